"""A whole firm as an archive of open formats, and taken in again by an installation that has no firm yet.

A ZIP: ``read-me.txt``; ``archive.json`` (what it must come to); each table as ``tables/NAME.jsonl`` (all of it, one row a line)
and ``tables/NAME.csv`` (the same for people); papers as they came under ``papers/``; ``trail/entries.jsonl`` with the
firm's acts, ``trail/chain.csv`` with the hash of every entry of the installation, so that each act can be proved to stand
where it stood, and ``trail/anchors.txt``. Keys and passwords stay behind: people choose a password anew.
"""

from __future__ import annotations

import csv
import io
import json
import tempfile
import zipfile
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from typing import Any, BinaryIO

from django.conf import settings
from django.core import serializers
from django.core.files.base import File
from django.core.files.storage import default_storage
from django.core.management.color import no_style
from django.core.serializers.json import DjangoJSONEncoder
from django.db import connection, models, transaction
from django.db.models import Q

from wainwright import clock
from wainwright.core.said import joined, say
from wainwright.errors import Refusal
from wainwright.operating.firm_rows import models_of_firms, rows_of
from wainwright.operating.sets import files_named, one_moment, through
from wainwright.operating.tally import count
from wainwright.people.models import Firm, Person
from wainwright.trail import anchors
from wainwright.trail.models import Entry
from wainwright.trail.selectors import check_chain
from wainwright.trail.services import record

FORM, CHUNK = 1, 2_000
READ_ME = """This is everything that {name} had in Wainwright on {day}.

tables/*.jsonl   each table, one row a line, as JSON; tables/*.csv is the same for a spreadsheet
papers/          every receipt, bill, letter and statement as it came
trail/           entries.jsonl: each act of the firm; chain.csv: the hash of every entry, in order; anchors.txt: what was
                 kept outside. The hash of an entry is the SHA-256 of the JSON list [number, time, who, for whom, what,
                 subject, before, after, hash of the entry before, ["firm", number of the firm]] without blanks.
archive.json     how many rows each table has and what its whole numbers add up to (money is in minor units)

Another installation takes it in: manage.py take_firm FILE. Passwords and keys are not in here.
"""


class Exact(DjangoJSONEncoder):
    """Moments to the microsecond: Django's own stops at a thousandth, and the hashes of the trail do not."""

    def default(self, o: Any) -> Any:
        """Say a moment in full."""
        return o.isoformat() if isinstance(o, datetime) else super().default(o)


def write(firm: Firm, target: BinaryIO) -> dict[str, Any]:
    """Write a firm's archive, as it stands at one moment, and return what it comes to."""
    with (
        tempfile.TemporaryDirectory(dir=settings.VAR) as folder,
        one_moment(Path(folder)) as using,
        zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED, allowZip64=True) as made,
    ):
        said: dict[str, Any] = {
            "form": FORM,
            "firm": firm.slug,
            "made": clock.now().isoformat(),
            "tables": {},
            "papers": {},
            "missing": [],
        }
        made.writestr("read-me.txt", READ_ME.format(name=firm.name, day=f"{clock.today(firm.zone):%Y-%m-%d}"))
        names: set[str] = set()
        for model, rows in rows_of(firm, using).items():
            said["tables"][model._meta.label] = dict(zip(("rows", "sums"), count(rows), strict=True))
            _table(made, model, rows)
            names.update(files_named(rows))
        said["trail"] = _trail(made, firm, using)
        for name in sorted(names):
            digest = _paper(made, name)
            if digest is None:
                said["missing"].append(name)
            else:
                said["papers"][name] = digest
        made.writestr("archive.json", json.dumps(said, indent=1))
    return said


def _table(made: zipfile.ZipFile, model: type[models.Model], rows: models.QuerySet) -> None:
    name, fields = f"tables/{model._meta.label}", model._meta.concrete_fields
    with made.open(f"{name}.jsonl", "w", force_zip64=True) as file:
        for row in _without_keys(rows):
            file.write(serializers.serialize("jsonl", [row], cls=Exact).encode())
    with (
        made.open(f"{name}.csv", "w", force_zip64=True) as file,
        io.TextIOWrapper(file, "utf-8-sig", newline="") as text,
    ):
        out = csv.writer(text)
        out.writerow([field.column for field in fields])
        for row in _without_keys(rows):
            out.writerow([_cell(field.value_to_string(row)) for field in fields])


def _cell(value: Any) -> str:
    """A cell that no spreadsheet takes for a formula."""
    text = "" if value is None or value == "None" else str(value)
    return (
        f"'{text}"
        if text[:1] in ("=", "+", "@") or (text[:1] == "-" and not text[1:].replace(".", "").isdigit())
        else text
    )


def _without_keys(rows: models.QuerySet) -> Iterator[models.Model]:
    for row in rows.iterator(chunk_size=CHUNK):
        if isinstance(row, Person):
            row.password = ""
        yield row


def _trail(made: zipfile.ZipFile, firm: Firm, using: str) -> dict[str, Any]:
    own = Q(firm_id=firm.pk) | Q(firm_id=None)
    with made.open("trail/entries.jsonl", "w", force_zip64=True) as file:
        for row in Entry.objects.using(using).filter(own).order_by("number").iterator(chunk_size=CHUNK):
            file.write(serializers.serialize("jsonl", [row], cls=Exact).encode())
    last = None
    with (
        made.open("trail/chain.csv", "w", force_zip64=True) as file,
        io.TextIOWrapper(file, "utf-8", newline="") as text,
    ):
        out = csv.writer(text)
        out.writerow(["number", "hash", "firm", "with firm"])
        for last in (
            Entry.objects.using(using)
            .order_by("number")
            .values_list("number", "digest", "firm_id", "with_firm")
            .iterator(chunk_size=CHUNK)
        ):
            out.writerow(["" if value is None else value for value in last])
    made.writestr("trail/anchors.txt", "\n".join(anchors.lines()))
    return {
        "entries": Entry.objects.using(using).filter(own).count(),
        "last": last[0] if last else 0,
        "hash": last[1] if last else "",
    }


def _paper(made: zipfile.ZipFile, name: str) -> str | None:
    try:
        with (
            default_storage.open(name, "rb") as source,
            made.open(f"papers/{name}", "w", force_zip64=True) as file,
        ):
            return through(source, file)[1]
    except FileNotFoundError:
        return None


def take_in(source: BinaryIO) -> tuple[Firm, dict[str, Any]]:
    """Take a firm in. Raises ``Refusal``, and changes nothing, where there is a firm already or the archive is not whole."""
    if Firm.objects.exists() or Entry.objects.exists():
        raise Refusal(
            say(
                "There is a firm here already. A firm is taken in by an installation that has none: its "
                "keys go with it."
            )
        )
    try:
        with zipfile.ZipFile(source) as made:
            said = json.loads(made.read("archive.json"))
            if said["form"] != FORM:
                raise Refusal(
                    say(
                        "The archive is of form {form}; this version reads form {form_2}.",
                        form=said["form"],
                        form_2=FORM,
                    )
                )
            with transaction.atomic():
                kept = _take_tables(made, said)
                _take_trail(made, said)
                firm = Firm.objects.get()
                _compare(firm, said)
                with transaction.atomic():
                    record(
                        None,
                        say("took the firm in from an archive"),
                        f"firm:{firm.pk}",
                        firm_id=firm.pk,
                        after={"made": said["made"], "entries": said["trail"]["entries"]},
                    )
                papers = _take_papers(made, said)
            return firm, {"rows": kept, "papers": papers, "missing": said["missing"]}
    except (zipfile.BadZipFile, KeyError, json.JSONDecodeError, serializers.base.DeserializationError) as error:
        raise Refusal(say("This is no archive of a firm, or not all of it: {error}", error=error)) from error


def _take_tables(made: zipfile.ZipFile, said: dict[str, Any]) -> int:
    known = {model._meta.label: model for model in (Person, *models_of_firms())}
    if strange := said["tables"].keys() - known.keys():
        raise Refusal(
            say(
                "The archive has tables that this version does not know: {list}. Take a newer version.",
                list=joined(", ", sorted(strange)),
            )
        )
    kept = 0
    for label, model in known.items():
        if label not in said["tables"]:
            continue
        waiting: list[models.Model] = []
        for row in _lines(made, f"tables/{label}.jsonl"):
            if isinstance(row, Person):
                row.set_unusable_password()
            waiting.append(row)
            if len(waiting) >= CHUNK:
                kept += _keep(model, waiting)
                waiting = []
        kept += _keep(model, waiting)
    with connection.cursor() as cursor:
        for statement in connection.ops.sequence_reset_sql(no_style(), list(known.values())):
            cursor.execute(statement)
    # What refers to something that stayed behind would be found here.
    connection.check_constraints()
    return kept


def _keep(model: type[models.Model], rows: list[models.Model]) -> int:
    model._base_manager.bulk_create(rows, batch_size=200)
    return len(rows)


def _lines(made: zipfile.ZipFile, name: str) -> Iterator[models.Model]:
    with made.open(name) as file:
        for each in serializers.deserialize("jsonl", io.TextIOWrapper(file, "utf-8")):
            yield each.object


def _take_trail(made: zipfile.ZipFile, said: dict[str, Any]) -> None:
    own = {row.number: row for row in _lines(made, "trail/entries.jsonl")}
    previous, rows = "0" * 64, []
    with made.open("trail/chain.csv") as file:
        for line in csv.DictReader(io.TextIOWrapper(file, "utf-8", newline="")):
            number = int(line["number"])
            row = own.pop(number, None) or Entry(
                number=number, time=clock.now(), firm_id=int(line["firm"]) if line["firm"] else None, who="", what=say("of another firm"), subject="", previous=previous,
                digest=line["hash"], with_firm=line["with firm"] == "True", held=True,
            )  # fmt: skip
            previous = line["hash"]
            rows.append(row)
    if own:
        raise Refusal(say("The archive has acts that its chain does not name."))
    Entry.objects.bulk_create(rows, batch_size=200)
    if broken := check_chain():
        raise Refusal(
            say("The trail of the archive breaks at entry {number}: {why}.", number=broken.number, why=broken.why)
        )
    last = rows[-1] if rows else None
    if (last.number if last else 0, last.digest if last else "") != (said["trail"]["last"], said["trail"]["hash"]):
        raise Refusal(say("The trail of the archive does not end where it says."))


def _compare(firm: Firm, said: dict[str, Any]) -> None:
    wrong = []
    for model, rows in rows_of(firm).items():
        label = model._meta.label
        found = dict(zip(("rows", "sums"), count(rows), strict=True))
        if label in said["tables"] and found != said["tables"][label]:
            wrong.append(label)
    if wrong:
        raise Refusal(
            say(
                "What was taken in does not come to what the archive says: {list}. Nothing was kept.",
                list=joined(", ", wrong),
            )
        )


def _take_papers(made: zipfile.ZipFile, said: dict[str, Any]) -> int:
    for name, digest in said["papers"].items():
        with made.open(f"papers/{name}") as file:
            kept = default_storage.save(name, File(file))
        with default_storage.open(kept, "rb") as file:
            found = through(file)[1]
        if kept != name or found != digest:
            raise Refusal(
                say("The paper {name} is not what it was, or something lies in its place. Nothing was kept.", name=name)
            )
    return len(said["papers"])
