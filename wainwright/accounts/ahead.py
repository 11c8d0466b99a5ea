"""What the ledger would refuse of a journal, as far as its masters are known here: said before it is sent, in the reader's words."""

from __future__ import annotations

from datetime import date

from django.db.models import Q

from wainwright.accounts.selectors import books
from wainwright.core.coding import ACCOUNT
from wainwright.core.posting import Journal
from wainwright.core.said import say
from wainwright.core.workings import day_text
from wainwright.people.models import Firm


def would_refuse(firm: Firm, journal: Journal, day: date) -> list[str]:
    """Return a sentence with its cure for each code, account and supplier that the ledger would not take on a day. One query at most."""
    ledger, found = books(firm).codes, {}
    # A firm whose accounts nobody has fetched yet is not told that it has none.
    none_known = not any(kind == ACCOUNT for kind, _ in ledger.codes)
    for entry in journal.entries:
        parts = entry.coding.parts()
        for kind, code in parts.items():
            known = ledger.codes.get((kind, code))
            name = "Account" if kind == ACCOUNT else ledger.dimension(kind).label
            cure = (
                say("Put another in its place.")
                if kind != ACCOUNT
                else say("Put another account in its place, or name another under Masters.")
            )
            if known is None and kind == ACCOUNT and none_known:
                continue
            if known is None:
                found[kind, code] = say(
                    "{name} {code} is not in the ledger. {cure}", name=name, code=code or say("(none)"), cure=cure
                )
            elif not known.open_on(day):
                found[kind, code] = say(
                    "{name} {code} {known} is closed on {day}. {cure}",
                    name=name,
                    code=code,
                    known=known.name,
                    day=day_text(day),
                    cure=cure,
                )
            for needed in known.asks_for if known is not None else ():
                if not parts.get(needed):
                    label = ledger.dimension(needed).article
                    found[needed, code] = say(
                        "{name} {code} asks for {label}, which is missing. Correct the coding.",
                        name=name,
                        code=code,
                        label=label,
                    )
        if not entry.coding.account:
            found[ACCOUNT, ""] = say(
                "“{entry_text}” posts to no account. Name one under Masters.", entry_text=entry.text
            )
    named = {entry.party for entry in journal.entries} - {""}
    closed = firm.suppliers.filter(Q(open_until__lt=day), code__in=named) if named else ()
    return [
        *found.values(),
        *(say("Supplier {row} is closed. Connect another under Masters.", row=row) for row in closed),
    ]
