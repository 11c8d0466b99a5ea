"""A part of the trail as a file that proves itself: the acts of a firm between two days, the hash of every entry between them,
and a line signed with the machine's key that says when it was taken and what the rest must be.
"""

from __future__ import annotations

import csv
import hashlib
import io
import json
import zipfile
from dataclasses import dataclass
from datetime import date, datetime, time
from typing import BinaryIO
from zoneinfo import ZoneInfo

from django.core import serializers
from django.core.signing import BadSignature, Signer
from django.db.models import Max, Min

from wainwright import clock
from wainwright.core.said import as_figure, say
from wainwright.core.trail import GENESIS
from wainwright.errors import Refusal
from wainwright.operating.whole_firm import CHUNK, Exact
from wainwright.people.models import Firm
from wainwright.trail.models import Entry
from wainwright.trail.selectors import digests_of

# What a page writes while somebody waits; more is for a shorter time, or for the whole firm's archive.
MOST = 200_000
FIRST_YEAR, LAST_YEAR = 2000, 2200
_signer = Signer(salt=say("trail export"), sep=" ~ ")


@dataclass(frozen=True)
class Span:
    """What is taken: the numbers of the first and the last entry, and how many of them are the firm's."""

    first: int
    last: int
    own: int


def span_of(firm: Firm, since: date, until: date) -> Span:
    """Find the entries of a firm between two days, both among them. Raises ``Refusal`` where there are none, or too many."""
    if until < since:
        raise Refusal(say("The last day stands before the first."), "until")
    if since.year < FIRST_YEAR or until.year > LAST_YEAR:
        raise Refusal(
            say(
                "Days between {first_year} and {last_year} are looked for.", first_year=FIRST_YEAR, last_year=LAST_YEAR
            ),
            "since",
        )
    zone = ZoneInfo(firm.zone)
    rows = Entry.objects.filter(
        firm_id=firm.pk, held=False, time__gte=datetime.combine(since, time.min, zone), time__lt=datetime.combine(until, time.max, zone),
    )  # fmt: skip
    found = rows.aggregate(first=Min("number"), last=Max("number"))
    if found["first"] is None:
        raise Refusal(say("Nothing was done between these days."), "since")
    if found["last"] - found["first"] >= MOST:
        raise Refusal(
            say(
                "These are more than {most} entries: take a shorter time, or all of the firm under Firm, "
                "Take everything along.",
                most=as_figure(MOST, ","),
            ),
            "until",
        )
    return Span(found["first"], found["last"], rows.count())


def write(firm: Firm, span: Span, target: BinaryIO) -> str:
    """Write the file and return its signed line."""
    entries, chain = _entries(firm, span), _chain(span)
    before = Entry.objects.filter(number=span.first - 1).values_list("digest", flat=True).first() or GENESIS
    said = {
        "firm": firm.slug, "taken": clock.now().isoformat(), "first": span.first, "last": span.last, "before": before, "own": span.own,
        "entries": hashlib.sha256(entries).hexdigest(), "chain": hashlib.sha256(chain).hexdigest(),
    }  # fmt: skip
    line = _signer.sign(json.dumps(said, sort_keys=True))
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as made:
        made.writestr("entries.jsonl", entries)
        made.writestr("chain.csv", chain)
        made.writestr("signed.txt", line + "\n")
    return line


def _entries(firm: Firm, span: Span) -> bytes:
    rows = Entry.objects.filter(firm_id=firm.pk, held=False, number__gte=span.first, number__lte=span.last).order_by(
        "number"
    )
    return b"".join(
        serializers.serialize("jsonl", [row], cls=Exact).encode() for row in rows.iterator(chunk_size=CHUNK)
    )


def _chain(span: Span) -> bytes:
    text = io.StringIO(newline="")
    out = csv.writer(text)
    out.writerow(["number", "hash", "hash before"])
    rows = Entry.objects.filter(number__gte=span.first, number__lte=span.last).order_by("number")
    out.writerows(rows.values_list("number", "digest", "previous").iterator(chunk_size=CHUNK))
    return text.getvalue().encode()


def check(source: BinaryIO) -> dict[str, object]:
    """Prove such a file, and that this installation still bears it out. Raises ``Refusal`` with what does not fit."""
    try:
        with zipfile.ZipFile(source) as made:
            entries, chain, line = (made.read(name) for name in ("entries.jsonl", "chain.csv", "signed.txt"))
        said = json.loads(_signer.unsign(line.decode().strip()))
    except (zipfile.BadZipFile, KeyError, UnicodeDecodeError) as error:
        raise Refusal(say("This is no part of a trail that was taken from here.")) from error
    except BadSignature as error:
        raise Refusal(say("Its line was not signed by this machine, or was changed.")) from error
    if (hashlib.sha256(entries).hexdigest(), hashlib.sha256(chain).hexdigest()) != (said["entries"], said["chain"]):
        raise Refusal(say("Its acts or its chain were changed since it was taken."))
    hashes, before = {}, said["before"]
    for row in csv.DictReader(io.StringIO(chain.decode(), newline="")):
        if row["hash before"] != before:
            raise Refusal(say("Its chain breaks at entry {number}.", number=row["number"]))
        hashes[int(row["number"])] = before = row["hash"]
    for each in serializers.deserialize("jsonl", entries.decode()):
        if each.object.as_core().digest() != hashes.get(each.object.number):
            raise Refusal(say("Entry {number} is not what its hash says.", number=each.object.number))
    here = digests_of(hashes)
    wrong = [number for number, digest in hashes.items() if here.get(number) != digest]
    if wrong:
        raise Refusal(
            say("This installation does not bear it out: entry {wrong} is another, or missing here.", wrong=wrong[0])
        )
    return said
