"""Masters of a ledger: what they are, and what taking a newer state of them would change."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import date
from decimal import Decimal
from typing import Any, Literal

from wainwright.core.coding import open_between
from wainwright.core.said import joined, say
from wainwright.core.workings import day_text

# Kinds that are no dimension of codings; every other kind is the code of a dimension.
ACCOUNT, CUSTOMER, SUPPLIER, TAX, PERSON = "account", "customer", "supplier", "tax_code", "person"
BANK = "bank_account"

What = Literal["new", "renamed", "changed", "closed", "gone", "back"]
ORDER: tuple[What, ...] = ("gone", "closed", "renamed", "changed", "back", "new")


@dataclass(frozen=True, slots=True)
class Master:
    """One thing that a ledger keeps: its kind, code and name, when it is open, what else it asks for, and what is known besides.

    ``rate`` and ``share`` are a tax code's, as fractions (0.25 is 25 %); ``iban`` and ``tax_number`` a supplier's.
    A bank account's ``parent`` is the account of the ledger that mirrors it.
    """

    kind: str
    code: str
    name: str
    open_from: date | None = None
    open_until: date | None = None
    asks_for: tuple[str, ...] = ()
    parent: str = ""
    country: str = ""
    rate: Decimal | None = None
    share: Decimal | None = None
    iban: str = ""
    tax_number: str = ""

    def open_on(self, day: date) -> bool:
        """Whether it may be used on a day."""
        return open_between(self.open_from, self.open_until, day)


def plain(master: Master) -> dict[str, Any]:
    """A master as values that JSON has: days and fractions as text."""
    return {
        name: value.isoformat() if isinstance(value, date) else str(value) if isinstance(value, Decimal) else value
        for name, value in asdict(master).items()
    }


@dataclass(frozen=True, slots=True)
class Change:
    """What taking would do to one master, in words, and where it is in use."""

    what: What
    kind: str
    code: str
    name: str
    words: str
    in_use: tuple[str, ...] = ()

    @property
    def hurts(self) -> bool:
        """Whether something in use can no longer be used once it is taken."""
        return self.what in ("gone", "closed") and bool(self.in_use)


def _said(master: Master) -> dict[str, str]:
    """What of a master is compared besides its name and whether it is open, in words."""
    rate = "" if master.rate is None else f"{(master.rate * 100).normalize():f} %"
    share = "" if master.share is None else f"{(master.share * 100).normalize():f} %"
    return {
        "asks for": joined(", ", master.asks_for), "belongs to": master.parent, "country": master.country, "rate": rate, "comes back": share,
        "account": master.iban, "tax number": master.tax_number, "open from": day_text(master.open_from, year=True) if master.open_from else "",
    }  # fmt: skip


def compare(
    known: Iterable[Master], fetched: Iterable[Master], day: date, in_use: Mapping[tuple[str, str], Sequence[str]], complete: Iterable[str]
) -> list[Change]:  # fmt: skip
    """Return what taking ``fetched`` would change of what is ``known``, what hurts first.

    Kinds named in ``complete`` are fetched whole: what is missing of them is gone. Of other kinds nothing is missing.
    """
    before, after, whole = {(m.kind, m.code): m for m in known}, {(m.kind, m.code): m for m in fetched}, set(complete)
    found = [_one(before.get(key), master, day, tuple(in_use.get(key, ()))) for key, master in after.items()]
    changes = [each for each in found if each is not None]
    for key, master in before.items():
        if key not in after and master.kind in whole and master.open_on(day):
            words = say("the ledger does not have it any more: it is closed here from today on")
            changes.append(Change("gone", *key, master.name, words, tuple(in_use.get(key, ()))))
    return sorted(changes, key=lambda each: (not each.hurts, ORDER.index(each.what), each.kind, each.code))


def _one(before: Master | None, now: Master, day: date, in_use: tuple[str, ...]) -> Change | None:
    if before is None:
        return Change("new", now.kind, now.code, now.name, say("new"))
    was_open, is_open = before.open_on(day), now.open_on(day)
    if was_open and not is_open:
        until = (
            say("closed since {open_until}", open_until=day_text(now.open_until, year=True))
            if now.open_until
            else say("not open yet")
        )
        return Change("closed", now.kind, now.code, now.name, until, in_use)
    if is_open and not was_open:
        return Change("back", now.kind, now.code, now.name, say("open again"), in_use)
    if before.name != now.name:
        return Change("renamed", now.kind, now.code, now.name, say("was {before}", before=before.name), in_use)
    old, new = _said(before), _said(now)
    words = joined(
        "; ",
        (
            say("{what}: {old}, now {new}", what=what, old=old[what] or say("nothing"), new=new[what] or say("nothing"))
            for what in old
            if old[what] != new[what]
        ),
    )
    if before.open_until != now.open_until:
        words = joined(
            "; ",
            filter(
                None,
                (
                    words,
                    say(
                        "open until {open_until}",
                        open_until=day_text(now.open_until, year=True) if now.open_until else say("no end"),
                    ),
                ),
            ),
        )
    return Change("changed", now.kind, now.code, now.name, words, in_use) if words else None
