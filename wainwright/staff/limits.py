"""Limits of authority: up to how much each signs, many at once, from today or from a day on."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal, InvalidOperation

from django.db import transaction

from wainwright import clock
from wainwright.bench.moving import move_on
from wainwright.core.money import Money, places
from wainwright.core.said import say
from wainwright.core.text import decimal
from wainwright.core.workings import day_text
from wainwright.errors import Faults, Refusal, Stale
from wainwright.fields import typed_number
from wainwright.news.services import tell
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership
from wainwright.rulebook import holding
from wainwright.rulebook.holding import FARTHEST
from wainwright.staff.models import LimitChange
from wainwright.staff.services import widens_own
from wainwright.trail.services import record

ANY = "any"


@dataclass(frozen=True)
class Limit:
    """Up to how much somebody signs; nothing for any sum."""

    member: Membership
    limit: Money | None

    @property
    def words(self) -> str:
        """As it is said."""
        return say("any sum") if self.limit is None else str(self.limit)


def read_limits(firm: Firm, typed: Mapping[int, str]) -> list[Limit]:
    """Return what is typed for some people, as "2,000.00" or "any"; those of whom nothing is typed, or nothing new, are left out.

    Raises ``Faults`` by "limit-N" with everything that is wrong. One query.
    """
    rows = Membership.objects.filter(firm=firm, pk__in=typed, active=True).select_related("person", "firm")
    there, faults, found = {row.pk: row for row in rows}, {}, []
    for pk, text in typed.items():
        if not text.strip():
            continue
        member, limit = there.get(pk), None
        if member is None:
            faults[f"limit-{pk}"] = say("Somebody of them is not here any more. Look at the list anew.")
            continue
        if text.strip().casefold() not in (ANY, "any sum"):
            limit = _amount(text, firm.currency)
            if limit is None:
                faults[f"limit-{pk}"] = say(
                    "{member}: “{text}” is no amount in {currency}. Type one, or: any.",
                    member=member.person.name,
                    text=text[:20],
                    currency=firm.currency,
                )
                continue
        if limit != member.limit:
            found.append(Limit(member, limit))
    if faults:
        raise Faults(faults)
    return found


def _amount(text: str, currency: str) -> Money | None:
    try:
        amount: Decimal = decimal(typed_number(text.upper().replace(currency, "").strip(), places(currency)))
        fits = amount.is_finite() and 0 <= amount < 10**12 and Money.rounded(amount, currency).amount == amount
    except (InvalidOperation, ArithmeticError, ValueError):
        return None
    return Money.of(amount, currency) if fits else None


@transaction.atomic
def set_limits(by: Membership, typed: Mapping[int, str], since: date | None) -> list[Limit]:
    """Say up to how much some people sign from a day on; those of today hold at once. All of them, or none.

    Raises ``NotAllowed``, ``Faults``, ``Refusal``.
    """
    must(by, "people")
    firm = Firm.objects.select_for_update(no_key=True).get(pk=by.firm_id)
    today = clock.today(firm.zone)
    found = read_limits(firm, typed)
    if not found:
        raise Refusal(say("Type a limit that is not there yet, beside somebody's name."), "limits")
    if since is None or not today <= since <= today + FARTHEST:
        raise Refusal(say("Choose from which day on: today or later, within two years."), "since")
    for each in found:
        if each.member.pk == by.pk and each.member.signs_own and widens_own(each.member, each.limit):
            raise Refusal(
                say("Another administrator raises yours: nobody widens what they sign of their own."), "limits"
            )
        minor = None if each.limit is None else each.limit.minor
        change, _ = LimitChange.objects.update_or_create(
            firm=firm, member=each.member, since=since, done=None, defaults={"limit_minor": minor, "by": by.doer, "time": clock.now()}
        )  # fmt: skip
        if since == today:
            _begin(change, by)
        else:
            record(
                by, say("set a limit of authority from a day on"), f"member:{each.member.pk}", after={"limit": each.words, "from": str(since)}
            )  # fmt: skip
            _tell(each, since, by)
    if since == today:
        move_on(firm.pk)
    return found


def _begin(change: LimitChange, by: Membership | None) -> None:
    member = (
        Membership.objects.select_for_update(of=("self",), no_key=True)
        .select_related("person", "firm")
        .get(pk=change.member_id)
    )
    before = Limit(member, member.limit)
    member.limit_minor = change.limit_minor
    member.save(update_fields=["limit_minor"])
    after = Limit(member, member.limit)
    change.done = clock.now()
    change.save(update_fields=["done"])
    record(
        by, say("a limit of authority holds"), f"member:{member.pk}", before={"limit": before.words}, after={"limit": after.words, "from": str(change.since)},
        firm_id=change.firm_id,
    )  # fmt: skip
    if by is not None:
        _tell(after, change.since, by)


def _tell(each: Limit, since: date, by: Membership) -> None:
    if each.member.pk != by.pk:
        words = say("From {since} on you sign up to {words}.", since=day_text(since, year=True), words=each.words)
        tell(
            each.member,
            say("{by} set how much you sign in {member}", by=by.person.name, member=each.member.firm.name),
            "/profile/",
            words,
        )


@transaction.atomic
def call_off(by: Membership, change_id: int) -> LimitChange:
    """Take back a limit that has not begun. Raises ``NotAllowed``, ``Stale``."""
    must(by, "people")
    change = (
        LimitChange.objects.select_for_update(of=("self",), no_key=True).select_related("member__person", "member__firm", "firm")
        .filter(firm_id=by.firm_id, pk=change_id, done=None).first()
    )  # fmt: skip
    if change is None:
        raise Stale(say("It has begun, or somebody took it back meanwhile."))
    record(by, say("took back a limit of authority"), f"member:{change.member_id}", before={"limit": str(change.limit or say("any sum")), "from": str(change.since)})  # fmt: skip
    change.delete()
    return change


def begin_due() -> int:
    """Let every limit hold whose day has come in its firm; return how many. Safe to call at any time, and twice."""

    def begin(change: LimitChange) -> None:
        _begin(change, None)
        move_on(change.firm_id)

    return holding.begin_due(LimitChange, begin)
