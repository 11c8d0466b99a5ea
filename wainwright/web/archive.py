"""A person's own data as one archive, written as it is sent: what stands in the database as JSON, and their papers as they came."""

from __future__ import annotations

import json
import zipfile
from collections.abc import Iterable, Iterator
from typing import Any

from django.core.serializers.json import DjangoJSONEncoder
from django.db.models import Model, QuerySet

from wainwright import clock
from wainwright.claims.models import Claim
from wainwright.expenses.models import Charge, Expense, Receipt
from wainwright.news.models import Notice
from wainwright.people.models import Membership
from wainwright.trail.models import Entry
from wainwright.trips.models import Paper, Trip

PIECE = 256_000
# What is the firm's or the machine's own business, or a key to something.
HELD_BACK = {"password", "iban_before", "key", "secret", "digest", "previous", "sha256"}


class _Sink:
    """Takes what is written and gives it on, piece by piece."""

    def __init__(self) -> None:
        self.pieces: list[bytes] = []
        self.at = 0

    def write(self, data: bytes) -> int:
        """Take some."""
        self.pieces.append(bytes(data))
        self.at += len(data)
        return len(data)

    def tell(self) -> int:
        """How much was taken."""
        return self.at

    def flush(self) -> None:
        """Nothing is held here."""

    def taken(self) -> Iterator[bytes]:
        """Give on what was taken since."""
        given, self.pieces = self.pieces, []
        yield from given


def kinds_of(member: Membership) -> dict[str, QuerySet[Any]]:
    """Return what is somebody's in a firm, by what it is called in the archive."""
    trail = Entry.objects.filter(firm_id=member.firm_id, who=f"{member.person.name} <{member.person.email}>")
    return {
        "person": Membership.objects.filter(pk=member.pk), "cards": member.cards.order_by("pk"), "vehicles": member.vehicles.order_by("pk"),
        "covers": member.covers.order_by("pk"), "delegates": member.delegates.order_by("pk"), "trips": Trip.objects.filter(traveller=member).order_by("pk"),
        "claims": Claim.objects.filter(claimant=member).order_by("pk"), "costs": Expense.objects.filter(owner=member).order_by("pk"),
        "charges": Charge.objects.filter(owner=member).order_by("pk"), "papers": Receipt.objects.filter(owner=member).order_by("pk"),
        "news": Notice.objects.filter(member=member).order_by("pk"), "what I did": trail.order_by("number"),
    }  # fmt: skip


def archive_of(member: Membership) -> Iterator[bytes]:
    """Yield a ZIP with everything that is somebody's in a firm. A paper that is missing is named, and the rest goes on."""
    sink = _Sink()
    with zipfile.ZipFile(sink, "w", zipfile.ZIP_DEFLATED, strict_timestamps=False) as made:  # type: ignore[call-overload]
        stamp = clock.now().timetuple()[:6]
        for name, rows in kinds_of(member).items():
            with made.open(zipfile.ZipInfo(f"{name}.json", stamp), "w") as file:
                for piece in _as_json(rows, member if name == "person" else None):
                    file.write(piece)
                    yield from sink.taken()
        missing: list[str] = []
        for path, stored in _files(member):
            try:
                with stored.open("rb") as source, made.open(zipfile.ZipInfo(path, stamp), "w") as file:
                    while piece := source.read(PIECE):
                        file.write(piece)
                        yield from sink.taken()
            except FileNotFoundError:
                missing.append(path)
        if missing:
            made.writestr(zipfile.ZipInfo("missing.txt", stamp), "\n".join(missing))
    yield from sink.taken()


def _as_json(rows: QuerySet[Any], of: Membership | None) -> Iterator[bytes]:
    encoder = DjangoJSONEncoder(ensure_ascii=False, indent=1)
    yield b"["
    for number, row in enumerate(rows.iterator(chunk_size=500)):
        said = _said(row)
        if of is not None:
            said |= {"name": of.person.name, "email": of.person.email, "firm": of.firm.name, "roles": of.roles}
        yield ((",\n" if number else "\n") + encoder.encode(said)).encode()
    yield b"\n]\n"


def _said(row: Model) -> dict[str, Any]:
    found = {}
    for field in row._meta.fields:
        value = getattr(row, field.attname)
        if field.name not in HELD_BACK:
            found[field.name] = str(value) if field.get_internal_type() == "FileField" else value
    # Texts that are kept as JSON are shown as such.
    return json.loads(json.dumps(found, cls=DjangoJSONEncoder))


def _files(member: Membership) -> Iterable[tuple[str, Any]]:
    """Their papers as they came, under names that no two share."""
    for receipt in Receipt.objects.filter(owner=member).order_by("pk").iterator(chunk_size=200):
        if receipt.file:
            yield f"papers/{receipt.pk}-{_plain(receipt.name)}", receipt.file
    for paper in Paper.objects.filter(trip__traveller=member).order_by("pk").iterator(chunk_size=200):
        if paper.file:
            yield f"trips/{paper.trip_id}/{paper.pk}-{_plain(paper.name)}", paper.file


def _plain(name: str) -> str:
    """A name that is a name on any machine, and no way out of the archive."""
    return (
        "".join(letter if letter.isalnum() or letter in "-_." else "_" for letter in name)[-80:].lstrip(".") or "file"
    )
