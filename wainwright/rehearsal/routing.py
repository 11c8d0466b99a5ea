"""Rules of the route as an administrator keeps them: who is asked as well, where, and when."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from django.db import transaction

from wainwright.accounts.models import Code, Dimension
from wainwright.core.asking import Place
from wainwright.core.money import Money
from wainwright.core.said import joined, said_by, say
from wainwright.core.text import one_line
from wainwright.errors import Faults, Refusal
from wainwright.formats.countries import country_code
from wainwright.language import country_names
from wainwright.people.models import Firm, Membership
from wainwright.rehearsal.in_force import Kept
from wainwright.rehearsal.whom import Groups, NoGroup
from wainwright.rulebook.holding import locked
from wainwright.rulebook.models import Category, RouteSetting, RuleSetting
from wainwright.trail.services import record

MOST_RULES, MOST_LETTERS = 200, 200


@dataclass(frozen=True)
class RouteTyped:
    """A rule of the route as it is typed: ``signer`` by name, codes and countries parted by commas, people as rules name them."""

    text: str
    signer: str
    place: str = Place.OWNERS.value
    over: Decimal | None = None
    kinds: Sequence[str] = ("plan", "claim")
    categories: Sequence[str] = ()
    codes: str = ""
    countries: str = ""
    named: str = ""
    left_out: str = ""
    rules: Sequence[str] = ()


def _said(row: RouteSetting) -> dict[str, Any]:
    """A row as the trail keeps it."""
    return {
        "text": row.text, "asks": row.signer_id, "place": row.place, "over": row.over_minor, "on": row.kinds, "categories": row.categories, "codes": row.codes,
        "countries": row.countries, "for": row.groups, "rules": row.rules, "from": str(row.since or ""), "until": str(row.until or ""),
    }  # fmt: skip


def _check(row: RouteSetting) -> None:
    try:
        read_route(row.firm, typed_of(row, Groups.of(row.firm)), row)
    except Faults as wrong:
        raise Refusal(say("It cannot be put in force as it is: {wrong}", wrong=wrong)) from wrong


ROUTES = Kept(RouteSetting, say("rule of the route"), _said, _check)


def typed_of(row: RouteSetting, groups: Groups) -> RouteTyped:
    """Return a rule of the route that is there as it would be typed."""
    named, left_out = groups.lines(row.groups)
    over = None if row.over_minor is None else Money.from_minor(row.over_minor, row.firm.currency).amount
    return RouteTyped(
        row.text, groups.say([f"person:{row.signer_id}"]), row.place, over, row.kinds, row.categories,
        joined(", ", (groups.say([f"code:{dimension}:{code}"]) for dimension, code in row.codes)), joined(", ", (country_names().get(each, each) for each in row.countries)),
        named, left_out, row.rules,
    )  # fmt: skip


def read_route(firm: Firm, typed: RouteTyped, row: RouteSetting | None = None) -> RouteSetting:
    """Return what is typed as a rule of the route, not kept. Raises ``Faults`` with everything that is wrong."""
    faults: dict[str, str] = {}
    row = row or RouteSetting(firm=firm, draft=True)
    groups = Groups.of(firm)
    row.text = one_line(typed.text).strip()
    if not 5 <= len(row.text) <= MOST_LETTERS:
        faults["text"] = say(
            "Say why in 5 to {most_letters} letters, as everybody on the route reads it.", most_letters=MOST_LETTERS
        )
    signer = _signer(firm, typed.signer, groups, faults)
    if signer is not None:
        row.signer = signer
    row.place = typed.place
    if typed.place not in [each.value for each in Place]:
        faults["place"] = say("Choose where on the route.")
    row.over_minor = None
    if typed.over is not None:
        amount = Money.rounded(typed.over, firm.currency)
        row.over_minor = amount.minor
        if amount.amount != typed.over or amount.minor <= 0 or amount.amount > 100_000_000:
            faults["over"] = say("An amount above zero, in steps of the firm's currency. Empty: any amount.")
    row.kinds = [each for each in ("plan", "claim") if each in typed.kinds]
    if not row.kinds:
        faults["kinds"] = say("Tick what it is for: plans, claims.")
    row.categories, row.rules = list(dict.fromkeys(typed.categories)), list(dict.fromkeys(typed.rules))
    known = set(Category.objects.filter(firm=firm, draft=False).values_list("code", flat=True))
    if lost := sorted(set(row.categories) - known):
        faults["categories"] = say("There is no category {list}.", list=joined(", ", lost))
    spoken = set(RuleSetting.objects.filter(firm=firm, draft=False).values_list("code", flat=True))
    if lost := sorted(set(row.rules) - spoken):
        faults["rules"] = say("There is no rule {list}.", list=joined(", ", lost))
    row.codes = _codes(firm, typed.codes, groups, faults)
    row.countries = _countries(typed.countries, faults)
    try:
        row.groups = groups.read(typed.named, typed.left_out)
    except NoGroup as wrong:
        faults["named"] = said_by(wrong)
    if faults:
        raise Faults(faults)
    return row


def _signer(firm: Firm, typed: str, groups: Groups, faults: dict[str, str]) -> Membership | None:
    keys = [key for key in groups.meant.get(" ".join(typed.split()).casefold(), []) if key.startswith("person:")]
    found = Membership.objects.filter(firm=firm, pk=int(keys[0].partition(":")[2])).first() if len(keys) == 1 else None
    if found is None:
        several = say(" Several have that name: type the e-mail.") if len(keys) > 1 else ""
        faults["signer"] = (
            say("Nobody of the firm is called “{typed}”.{several}", typed=typed[:40], several=several)
            if typed.strip()
            else say("Say who signs.")
        )
    elif not found.active or not found.may["decide"]:
        faults["signer"] = say(
            "{say} does not decide. An administrator can make them an approver under People.", say=groups.say(keys)
        )
        return None
    return found


def _codes(firm: Firm, typed: str, groups: Groups, faults: dict[str, str]) -> list[list[str]]:
    found, wrong = [], []
    for word in filter(None, (" ".join(each.split()) for each in typed.replace("\n", ",").split(","))):
        keys = [key for key in groups.meant.get(word.casefold(), []) if key.startswith("code:")]
        if len(keys) == 1:
            found.append(keys[0].split(":", 2)[1:])
        else:
            wrong.append(
                say("“{word}” may be several codes: {keys}.", word=word[:40], keys=groups.say(keys))
                if keys
                else say("“{word}” is no code.", word=word[:40])
            )
    if wrong:
        faults["codes"] = joined(" ", wrong)
    return found


def _countries(typed: str, faults: dict[str, str]) -> list[str]:
    words = [" ".join(each.split()) for each in typed.replace("\n", ",").split(",") if each.strip()]
    wrong = [word for word in words if not country_code(word)]
    if wrong:
        faults["countries"] = say(
            "“{wrong}” is no country. Write its name in English, or its two letters.", wrong=wrong[0][:40]
        )
    return list(dict.fromkeys(code for word in words if (code := country_code(word))))


@transaction.atomic
def keep_route(
    by: Membership, typed: RouteTyped, row_id: int | None = None, seen: str = "", code: str = ""
) -> RouteSetting:
    """Keep a rule of the route as a draft: a new one, a draft that is there, or the change of ``code``.

    Raises ``NotAllowed``, ``Faults``, ``Refusal``, ``Stale``.
    """
    firm = locked(by)
    if row_id is not None:
        row = ROUTES.draft(firm, row_id, seen)
        before = _said(row)
        row = read_route(firm, typed, row)
    else:
        row, before = read_route(firm, typed), {}
        if code:
            ROUTES.may_change(firm, code)
        row.code = code or ROUTES.free_code(firm, "asks", MOST_RULES)
    row.save()
    record(
        by,
        say("kept a draft of a {noun}", noun=ROUTES.noun),
        ROUTES.subject(firm.pk, row.code),
        before=before or None,
        after=_said(row),
    )
    return row


def condition_words(row: RouteSetting, groups: Groups, names: dict[str, str], rules: dict[str, str]) -> list[str]:
    """Return when a rule of the route asks, condition by condition; ``names`` are categories, ``rules`` sentences by code."""
    found = []
    if row.over_minor is not None:
        found.append(
            say(
                "from {from_minor} {currency}",
                from_minor=Money.from_minor(row.over_minor, row.firm.currency),
                currency=row.firm.currency,
            )
        )
    if row.categories:
        found.append(say("of {list}", list=joined(", ", (names.get(each, each) for each in row.categories))))
    if row.codes:
        found.append(
            say(
                "on {list}",
                list=joined(", ", (groups.say([f"code:{dimension}:{code}"]) for dimension, code in row.codes)),
            )
        )
    if row.countries:
        found.append(say("in {list}", list=joined(", ", (country_names().get(each, each) for each in row.countries))))
    if row.rules:
        found.append(say("where this speaks: {list}", list=joined("; ", (rules.get(each, each) for each in row.rules))))
    if row.groups:
        found.append(say("of {sentence}", sentence=groups.sentence(row.groups)))
    if len(row.kinds) == 1:
        found.append(say("{kinds}s alone", kinds=row.kinds[0]))
    return found or ["always"]


def dimensions_of(firm: Firm) -> list[tuple[str, list[str]]]:
    """Return some codes of each dimension, to show how they are typed. Two queries."""
    names = {each.code: each.name for each in Dimension.objects.filter(firm=firm)}
    rows: dict[str, list[str]] = {name: [] for name in names.values()}
    for dimension, code in Code.objects.filter(firm=firm).values_list("dimension", "code")[:400]:
        if dimension in names and len(rows[names[dimension]]) < 3:
            rows[names[dimension]].append(code)
    return list(rows.items())
