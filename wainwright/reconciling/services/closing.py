"""A period of an account closed to the cent, and opened again."""

from __future__ import annotations

from datetime import date

from django.db import transaction

from wainwright import clock
from wainwright.core.money import Money
from wainwright.core.said import as_figure, say, say_many
from wainwright.errors import Refusal, Stale
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.reconciling.models import Line, Reconciliation
from wainwright.reconciling.selectors import agreed
from wainwright.reconciling.services.base import account_for
from wainwright.trail.services import record


@transaction.atomic
def close(member: Membership, account_id: int, until: date, closing: Money, why_left: str) -> Reconciliation:
    """Close a period of an account: to a day, with the balance that the bank says. Raises ``Refusal``.

    What does not add up is refused with both sums; what is left needs a reason.
    """
    must(member, "reconcile")
    account = account_for(member, account_id, lock=True)
    if until > clock.today(member.firm.zone):
        raise Refusal(say("That day has not come yet."), "until")
    last = account.reconciliations.first()
    if last is not None and until <= last.until:
        raise Refusal(
            say("It is closed to {until} already. Choose a later day.", until=as_figure(last.until, "%d %b %Y")),
            "until",
        )
    found = agreed(account, until)
    if not found.count:
        raise Refusal(say("There is no line up to that day. Take a statement in first."), "until")
    if found.closing != closing:
        raise Refusal(
            say("From {opening} with {came_in} in and {went_out} out it comes to {closing}, the bank "
"says {closing_2}. A statement is missing, or the balance is of another day.", opening=found.opening, came_in=found.came_in, went_out=-found.went_out, closing=found.closing, closing_2=closing), "closing",
        )  # fmt: skip
    words = " ".join(why_left.split())[:300]
    if found.left_count and len(words) < 3:
        raise Refusal(
            say_many("{count} line is left. Say why.", "{count} lines are left. Say why.", found.left_count), "why_left"
        )
    lines = Line.objects.filter(account=account, reconciliation__isnull=True, day__lte=until)
    # What is left stays open, and can be told later: the period says what was left as it was closed.
    loose = Line.objects.filter(account=account, match__isnull=True, day__lte=until)
    left = [[day.isoformat(), name, minor] for day, name, minor in loose.values_list("day", "name", "amount_minor")]
    made = Reconciliation.objects.create(
        account=account, number=(last.number if last else 0) + 1, since=found.since, until=until, opening_minor=found.opening.minor,
        in_minor=found.came_in.minor, out_minor=found.went_out.minor, closing_minor=closing.minor, left_minor=found.left.minor, left=left,
        why_left=words, by=member, time=clock.now(),
    )  # fmt: skip
    lines.update(reconciliation=made)
    record(
        member,
        say("closed a reconciliation"),
        f"bankaccount:{account.pk}",
        after={"until": until.isoformat(), "closing": closing.minor, "left": len(left)},
    )
    return made


@transaction.atomic
def reopen(member: Membership, reconciliation_id: int, why: str) -> None:
    """Open the last closed period of an account again. Raises ``Refusal``, ``Stale``."""
    must(member, "reconcile")
    row = (
        Reconciliation.objects.select_for_update(of=("self",), no_key=True)
        .filter(pk=reconciliation_id, account__firm_id=member.firm_id)
        .select_related("account")
        .first()
    )
    if row is None:
        raise Stale(say("It was opened again already."))
    if row.account.reconciliations.filter(until__gt=row.until).exists():
        raise Refusal(say("A later period is closed on top of it. Open that first."))
    if len(why.strip()) < 3:
        raise Refusal(say("Say why it is opened again."), "why")
    Line.objects.filter(reconciliation=row).update(reconciliation=None)
    record(
        member,
        say("opened a reconciliation again"),
        f"bankaccount:{row.account_id}",
        before={"until": row.until.isoformat()},
        after={"why": why.strip()[:200]},
    )
    row.delete()
