"""A period of an account closed to the cent, and opened again."""

from __future__ import annotations

from datetime import date

from django.db import transaction

from wainwright import clock
from wainwright.core.money import Money
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
        raise Refusal("That day has not come yet.", "until")
    last = account.reconciliations.first()
    if last is not None and until <= last.until:
        raise Refusal(f"It is closed to {last.until:%d %b %Y} already. Choose a later day.", "until")
    found = agreed(account, until)
    if not found.count:
        raise Refusal("There is no line up to that day. Take a statement in first.", "until")
    if found.closing != closing:
        raise Refusal(
            f"From {found.opening} with {found.came_in} in and {-found.went_out} out it comes to {found.closing}, the bank says {closing}. "
            "A statement is missing, or the balance is of another day.", "closing",
        )  # fmt: skip
    words = " ".join(why_left.split())[:300]
    if found.left_count and len(words) < 3:
        raise Refusal(
            f"{found.left_count} {'line is' if found.left_count == 1 else 'lines are'} left. Say why.", "why_left"
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
        "closed a reconciliation",
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
        raise Stale("It was opened again already.")
    if row.account.reconciliations.filter(until__gt=row.until).exists():
        raise Refusal("A later period is closed on top of it. Open that first.")
    if len(why.strip()) < 3:
        raise Refusal("Say why it is opened again.", "why")
    Line.objects.filter(reconciliation=row).update(reconciliation=None)
    record(
        member,
        "opened a reconciliation again",
        f"bankaccount:{row.account_id}",
        before={"until": row.until.isoformat()},
        after={"why": why.strip()[:200]},
    )
    row.delete()
