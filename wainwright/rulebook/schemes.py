"""Allowance schemes as an administrator keeps them: drafts, put in force from a day on; what was in force is not rewritten."""

from __future__ import annotations

import hashlib
import json
import tomllib
from collections.abc import Mapping
from dataclasses import replace
from datetime import date
from pathlib import Path
from typing import Any

import tomli_w
from django.db import transaction

from wainwright import clock
from wainwright.core.allowance import NoRate, Rate, Scheme
from wainwright.core.allowance.reading import Fault, SchemeFaults, read_scheme
from wainwright.core.said import joined, say
from wainwright.core.workings import day_text
from wainwright.errors import Refusal, Stale
from wainwright.people.models import Firm, Membership
from wainwright.rulebook.holding import locked, renew
from wainwright.rulebook.models import SchemeData
from wainwright.rulebook.selectors import rulebook
from wainwright.trail.services import record

EXAMPLES = Path(__file__).parent / "examples"
MOST_LETTERS = 20_000
ROWS = ("rows", "supplements")


def examples() -> dict[str, dict[str, Any]]:
    """Return the schemes that ship as examples, by the name of their file."""
    return {path.stem: tomllib.loads(path.read_text(encoding="utf-8")) for path in sorted(EXAMPLES.glob("*.toml"))}


def as_text(data: Mapping[str, Any]) -> str:
    """Return a scheme's data as it is typed: the rows a line each, in their order, below what is said of all."""
    rest = {key: value for key, value in data.items() if key not in ROWS}
    tables = {key: value for key, value in rest.items() if isinstance(value, dict)}
    first = tomli_w.dumps({key: value for key, value in rest.items() if key not in tables})
    rows = "".join(
        f"{key} = [\n" + "".join(f"  {_inline(row)},\n" for row in data[key]) + "]\n" for key in ROWS if data.get(key)
    )
    return first + rows + ("\n" + tomli_w.dumps(tables) if tables else "")


def _inline(value: Any) -> str:
    """A row on one line."""
    if isinstance(value, dict):
        return "{ " + ", ".join(f"{key} = {_inline(each)}" for key, each in value.items()) + " }" if value else "{}"
    return (
        tomli_w.dumps({"x": value}).removeprefix("x = ").replace("\n", " ").strip()
        if not isinstance(value, list)
        else f"[{', '.join(map(_inline, value))}]"
    )


def digest(row: SchemeData) -> str:
    """Return what tells whether a scheme is still as somebody saw it."""
    seen = json.dumps([row.data, str(row.since)], sort_keys=True)
    return hashlib.sha256(seen.encode()).hexdigest()[:16]


def read_text(text: str, firm: Firm) -> tuple[dict[str, Any], Scheme]:
    """Return the data and the scheme of a text. Raises ``SchemeFaults`` with everything that is wrong, each with its place."""
    if len(text) > MOST_LETTERS:
        raise SchemeFaults([Fault("text", say("It is longer than {most_letters} letters.", most_letters=MOST_LETTERS))])
    try:
        data = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise SchemeFaults([Fault("text", say("It cannot be read: {error}.", error=error))]) from error
    scheme = read_scheme(data, firm.currency)
    return data, replace(scheme, bed_hour=rulebook(firm).policy.bed_hour)


@transaction.atomic
def keep_draft(by: Membership, text: str, scheme_id: int | None = None, seen: str = "") -> SchemeData:
    """Keep a scheme as a draft: a new one, or a draft that is there. Raises ``NotAllowed``, ``SchemeFaults``, ``Refusal``, ``Stale``."""
    firm = locked(by)
    data, scheme = read_text(text, firm)
    row = _of(firm, scheme_id, seen) if scheme_id else SchemeData(firm=firm)
    if row.since is not None:
        raise Refusal(
            say(
                "{code} is in force from {since}: what was reckoned by it stays. Copy it, and put the copy in force.",
                code=row.code,
                since=day_text(row.since, year=True),
            )
        )
    if SchemeData.objects.filter(firm=firm, code=scheme.code).exclude(pk=row.pk).exists():
        raise Refusal(
            say("There is a scheme {scheme_code} already. Give this one another code.", scheme_code=scheme.code)
        )
    before = row.data if row.pk else {}
    row.code, row.data = scheme.code, _plain(data)
    row.save()
    record(by, say("kept a draft of a scheme"), f"firm:{firm.pk}", before=before, after=row.data)
    return row


@transaction.atomic
def put_in_force(by: Membership, scheme_id: int, since: date | None, seen: str) -> SchemeData:
    """Put a draft in force from a day on, today or later; the one before stays for the days before.

    Raises ``NotAllowed``, ``Refusal``, ``Stale``.
    """
    firm = locked(by)
    row = _of(firm, scheme_id, seen)
    if row.since is not None:
        raise Stale(
            say("{code} is in force from {since} already.", code=row.code, since=day_text(row.since, year=True))
        )
    today = clock.today(firm.zone)
    if since is None or since < today:
        raise Refusal(say("Choose from which day on: today or later. What was earned before stays as it is."), "since")
    other = SchemeData.objects.filter(firm=firm, since=since).first()
    if other is not None:
        raise Refusal(
            say(
                "{other_code} begins on that day already. Choose another day, or take {other_code} out first.",
                other_code=other.code,
            ),
            "since",
        )
    scheme = read_scheme(row.data, firm.currency)
    lacking = missing_amounts(scheme, list(rulebook(firm).rates), since)
    if lacking:
        raise Refusal(
            (
                say(
                    "Rates lack what it names: {list} …. Take in a table of rates with them, from that day.",
                    list=joined("; ", lacking[:5]),
                )
                if len(lacking) > 5
                else say(
                    "Rates lack what it names: {list}. Take in a table of rates with them, from that day.",
                    list=joined("; ", lacking[:5]),
                )
            ),
            "since",
        )
    row.since = since
    row.save(update_fields=["since"])
    renew(firm)
    record(
        by,
        say("put a scheme in force"),
        f"firm:{firm.pk}",
        after={"scheme": row.code, "from": str(since), "text": row.data},
    )
    return row


@transaction.atomic
def take_out(by: Membership, scheme_id: int, seen: str) -> SchemeData:
    """Take a scheme that has not begun back to a draft; drop a draft. Raises ``NotAllowed``, ``Refusal``, ``Stale``."""
    firm = locked(by)
    row = _of(firm, scheme_id, seen)
    if row.since is None:
        row.delete()
        record(by, say("dropped a draft of a scheme"), f"firm:{firm.pk}", before=row.data)
        return row
    if row.since <= clock.today(firm.zone):
        raise Refusal(
            say("{code} has begun: days were reckoned by it. Put another in force from a day on.", code=row.code)
        )
    row.since = None
    row.save(update_fields=["since"])
    renew(firm)
    record(by, say("took a scheme out before it began"), f"firm:{firm.pk}", after={"scheme": row.code})
    return row


def missing_amounts(scheme: Scheme, rates: list[Rate], since: date) -> list[str]:
    """Return, of the rates that hold on a day or later, where one has no amount that a row of a scheme names, in words."""
    names = {row.pays.amount for row in (*scheme.rows, *scheme.supplements)}
    newest: dict[tuple[str, str], date] = {}
    for rate in rates:
        if rate.since <= since and rate.until is None:
            place = (rate.town.casefold(), rate.country)
            newest[place] = max(newest.get(place, rate.since), rate.since)
    found = []
    for rate in rates:
        ended = rate.until is not None and rate.until < since
        if ended or rate.since < newest.get((rate.town.casefold(), rate.country), date.min):
            continue
        for name in sorted(names):
            try:
                rate.named(name)
            except NoRate:
                found.append(
                    say(
                        "{rate_label} from {since} has no “{name}”",
                        rate_label=rate.label,
                        since=day_text(rate.since, year=True),
                        name=name,
                    )
                )
    return found


def _of(firm: Firm, scheme_id: int, seen: str) -> SchemeData:
    row = SchemeData.objects.select_for_update(no_key=True).filter(firm=firm, pk=scheme_id).first()
    if row is None:
        raise Stale(say("That scheme is gone: somebody dropped it meanwhile."))
    if digest(row) != seen:
        raise Stale(say("Somebody changed it meanwhile. Look at it as it is now; what you typed stands below."))
    return row


def _plain(data: Mapping[str, Any]) -> dict[str, Any]:
    """The data as JSON can hold it: days and clock times as texts."""
    plain: dict[str, Any] = json.loads(json.dumps(data, default=str))
    return plain
