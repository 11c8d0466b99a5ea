"""An example claim typed in a line, and the people whom it would go to: who, in which order, why."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation

from wainwright import clock
from wainwright.accounts.selectors import books
from wainwright.core.asking import Asks, Facts, asked
from wainwright.core.money import Money, places
from wainwright.core.routing import Route, finance_faults, work_out_route
from wainwright.core.rules import kinds
from wainwright.core.said import both, joined, say
from wainwright.fields import typed_number
from wainwright.formats.countries import country_code
from wainwright.people.models import Firm, Membership
from wainwright.people.selectors import signers
from wainwright.rehearsal.whom import Groups
from wainwright.rulebook.selectors import groups_of, rulebook

# "1,240 EUR", "EUR 1.240,50", "1240": a comma within stays with the number.
_AMOUNT = re.compile(r"\d+(?:[.,'\u00a0 ]\d+)*")
MOST_LETTERS = 300


@dataclass(frozen=True)
class Example:
    """What a line was understood as, word by word, and the route of it; ``unknown`` are the words that mean nothing."""

    understood: list[str]
    unknown: list[str]
    route: Route | None
    finance: str = ""


@dataclass
class _Found:
    person: Membership | None = None
    amount: Money | None = None
    kind: str = "claim"


def example(firm: Firm, line: str, draft: Asks | None = None) -> Example:
    """Work the route of a line out: a person, an amount, codes, categories, countries, rules that speak, “plan” or “claim”.

    ``draft`` is a rule of the route that is asked though it is not in force. About ten queries. Nothing is kept.
    """
    book, ledger, today = rulebook(firm), books(firm), clock.today(firm.zone)
    groups, found = Groups.of(firm), _Found()
    understood: list[str] = []
    unknown: list[str] = []
    categories: dict[str, Money] = {}
    codes: list[tuple[str, str]] = []
    places: set[str] = set()
    speaks: set[str] = set()
    for word in _parts(line[:MOST_LETTERS]):
        low = word.casefold()
        by_rule = [
            s
            for s in book.settings
            if low.rstrip(".")
            in {words.casefold().rstrip(".") for words in (*both(kinds()[s.kind].title), *both(s.text))}
        ]
        category = next((code for code, each in book.categories.items() if low in (code, each.name.casefold())), "")
        keys = groups.meant.get(low, [])
        coded = [key for key in keys if key.startswith("code:")]
        if (amount := _amount(word, firm.currency)) and not (word.isdigit() and coded):
            found.amount = amount
            understood.append(joined("", (amount, " ", firm.currency)))
        elif low in ("plan", "trip", "claim"):
            found.kind = "claim" if low == "claim" else "plan"
            understood.append(say("a claim") if found.kind == "claim" else say("a plan"))
        elif by_rule:
            speaks |= {each.code for each in by_rule}
            understood.append(say("“{text}” speaks", text=by_rule[0].text))
        elif category:
            categories[category] = Money.zero(firm.currency)
            understood.append(say("for {names}", names=book.names[category]))
        elif len(coded) == 1:
            dimension, code = coded[0].split(":", 2)[1:]
            codes.append((dimension, code))
            understood.append(groups.say(coded))
        elif people := _people(firm, low, keys):
            if len(people) > 1:
                unknown.append(
                    say("“{word}” may be {list}", word=word, list=joined(", ", (each.name for each in people[:4])))
                )
            else:
                found.person = people[0]
                understood.append(people[0].name)
        elif country := country_code(word):
            places.add(country)
            understood.append(say("in {word}", word=word))
        else:
            unknown.append(
                say(
                    "“{word}” means nothing here: a person, an amount, a code, a category, a country, a "
                    "rule's words, or plan",
                    word=word[:40],
                )
            )
    if found.person is None:
        return Example(understood, unknown or [say("Say whose it is.")], None)
    amount = found.amount or Money.zero(firm.currency)
    codes = codes or list(found.person.coding.parts().items())
    by_code = dict.fromkeys(codes, amount)
    facts = Facts(
        found.kind, amount, today, dict.fromkeys(categories, amount), by_code, frozenset(places), groups_of(found.person), frozenset(speaks)
    )  # fmt: skip
    also = asked(
        [*(each for each in book.asks if draft is None or each.code != draft.code), *([draft] if draft else [])], facts
    )
    return _routed(found, amount, by_code, also, ledger.owned, firm, understood, unknown)


def _routed(
    found: _Found, amount: Money, by_code: Mapping[tuple[str, str], Money], also: Sequence[Asks], owned: Sequence, firm: Firm,
    understood: list[str], unknown: list[str],
) -> Example:  # fmt: skip
    people = signers(firm.pk, clock.today(firm.zone))
    key = str(found.person.pk) if found.person else ""
    route = work_out_route(key, amount, by_code, people, owned, also)
    faults = finance_faults(key, people) if found.kind == "claim" else []
    finance = joined("; ", faults) or (say("then finance checks it") if found.kind == "claim" else "")
    return Example(understood, unknown, route, finance)


def _parts(line: str) -> list[str]:
    """The words of a line, parted by commas; a comma within a number parts nothing."""
    kept = _AMOUNT.sub(lambda match: match.group(0).replace(",", "\x01"), line)
    return [" ".join(part.replace("\x01", ",").split()) for part in kept.split(",") if part.strip(" ,\x01")]


def _amount(word: str, currency: str) -> Money | None:
    number = word.upper().replace(currency, "").strip()
    if not number or not number[0].isdigit():
        return None
    try:
        amount = Decimal(typed_number(number, places(currency)))
        return Money.of(amount, currency) if 0 <= amount < Decimal(10) ** 10 else None
    except (InvalidOperation, ValueError):
        return None


def _people(firm: Firm, word: str, keys: Sequence[str]) -> list[Membership]:
    """Whom a name means: a whole one, an address, or the first name of somebody."""
    rows = Membership.objects.filter(firm=firm, active=True).select_related("person", "firm").order_by("person__name")
    named = [int(key.partition(":")[2]) for key in keys if key.startswith("person:")]
    if named:
        return list(rows.filter(pk__in=named))
    return (
        [each for each in rows.filter(person__name__istartswith=word)[:20] if each.name.casefold().split()[0] == word]
        if len(word) > 1
        else []
    )
