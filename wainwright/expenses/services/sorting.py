"""Sorting the tray: many at once, put aside, refused as a pair, handed to somebody else, undone."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.db import IntegrityError, transaction
from django.db.models import Q

from wainwright.core.said import joined, say
from wainwright.errors import Refusal, Stale
from wainwright.expenses.models import Charge, Expense, Receipt, RefusedPair
from wainwright.expenses.services import editing, taking
from wainwright.news.services import tell
from wainwright.people.models import Membership
from wainwright.trail.services import record

MOST = 200
# So many are named where a name could mean several.
MOST_NAMED = 5


@dataclass(frozen=True)
class Thing:
    """A row of the board: a paper, a charge, or both, and what was booked for them."""

    receipt: int | None
    charge: int | None
    booking: int | None = None

    @classmethod
    def read(cls, text: str) -> Thing | None:
        """Read "12:" or ":7" or "12:7", or with a booking "12:7:5"; nothing for what is no row."""
        parts = text.split(":")
        if len(parts) not in (2, 3) or not all((part.isdecimal() and len(part) < 18) or not part for part in parts):
            return None
        if not (parts[0] or parts[1]):
            return None
        return cls(*(int(part) if part else None for part in parts))


def things(texts: Sequence[str]) -> list[Thing]:
    """Read rows that were ticked. Raises ``Refusal`` where none was, or too many."""
    found = [thing for text in texts if (thing := Thing.read(text))]
    if not found:
        raise Refusal(say("Tick at least one row first."))
    if len(found) > MOST:
        raise Refusal(say("At most {most} rows at once.", most=MOST))
    return found


@transaction.atomic
def take_many(member: Membership, rows: Sequence[Thing]) -> list[Expense]:
    """Make an expense of each row; all or none. Raises ``Refusal`` naming what cannot be taken yet."""
    return [taking.take(member, row.receipt, row.charge, row.booking) for row in rows]


@transaction.atomic
def all_personal(member: Membership, rows: Sequence[Thing]) -> list[Expense]:
    """Mark every charge as personal; a paper alone cannot be. Raises ``Refusal``."""
    charges = [row.charge for row in rows if row.charge]
    if len(charges) != len(rows):
        raise Refusal(say("Only charges can be personal; a paper that is not the firm's affair is put aside."))
    return [taking.mark_personal(member, charge) for charge in charges]


@transaction.atomic
def put_aside(member: Membership, rows: Sequence[Thing], reason: str) -> int:
    """Put rows aside with a reason; an empty reason brings them back. Returns how many things moved."""
    reason = reason.strip()[:120]
    receipts = Receipt.objects.filter(owner=member, expense__isnull=True, pk__in=[r.receipt for r in rows if r.receipt])
    charges = Charge.objects.filter(owner=member, state="Loose", pk__in=[r.charge for r in rows if r.charge])
    count = receipts.update(aside=reason) + charges.update(aside=reason)
    if not count:
        raise Stale(say("They were taken already, on this page or another."))
    after = {"things": [[r.receipt, r.charge] for r in rows], "reason": reason}
    record(
        member, say("put things aside") if reason else say("brought things back"), f"member:{member.pk}", after=after
    )
    return count


@transaction.atomic
def refuse_pair(member: Membership, row: Thing) -> None:
    """Say that a paper and a charge are not one cost: they are not proposed together again."""
    receipt = Receipt.objects.filter(owner=member, pk=row.receipt).first()
    charge = Charge.objects.filter(owner=member, pk=row.charge).first()
    if receipt is None or charge is None:
        raise Stale(say("They were taken already, on this page or another."))
    RefusedPair.objects.get_or_create(receipt=receipt, charge=charge)
    record(member, say("refused a pair"), f"receipt:{receipt.pk}", after={"charge": charge.pk})


@transaction.atomic
def allow_pair(member: Membership, row: Thing) -> None:
    """Undo a refusal."""
    if not RefusedPair.objects.filter(receipt__owner=member, receipt=row.receipt, charge=row.charge).delete()[0]:
        raise Stale(say("That was undone already."))
    record(member, say("allowed a pair again"), f"receipt:{row.receipt}", after={"charge": row.charge})


@transaction.atomic
def give_to(member: Membership, rows: Sequence[Thing], who: str) -> Membership:
    """Hand papers to somebody else of the firm, who finds them in their tray. Charges stay with their card's owner.

    ``who`` is a mail address, or as much of a name as tells them from all others.
    """
    to = _traveller(member, " ".join(who.split()))
    if any(row.charge for row in rows):
        raise Refusal(say("A charge belongs to the card's owner and cannot be handed on; untick it."))
    receipts = list(
        Receipt.objects.select_for_update(no_key=True).filter(
            owner=member, expense__isnull=True, pk__in=[r.receipt for r in rows]
        )
    )
    if not receipts:
        raise Stale(say("They were taken already, on this page or another."))
    for receipt in receipts:
        receipt.owner = to
        try:
            with transaction.atomic():
                receipt.save(update_fields=["owner"])
        except IntegrityError as error:
            raise Refusal(
                say("{to} has {receipt} already.", to=to.person.name, receipt=receipt.name), "email"
            ) from error
        record(member, say("handed a paper on"), f"receipt:{receipt.pk}", after={"to": to.person.name})
    many = say("{receipts_count} papers", receipts_count=len(receipts)) if len(receipts) > 1 else say("a paper")
    tell(to, say("{member} put {the_many} into your tray", member=member.person.name, the_many=many), "/tray/")
    return to


def undo(member: Membership, expense_ids: Sequence[int]) -> int:
    """Take apart what was taken just now: papers and charges lie loose again. Returns how many were undone."""
    count = 0
    for expense_id in expense_ids[:MOST]:
        if Expense.objects.filter(pk=expense_id, owner=member).exists():
            editing.remove(member, expense_id)
            count += 1
    if not count:
        raise Stale(say("There is nothing left to undo."))
    return count


def _traveller(member: Membership, who: str) -> Membership:
    """Another person who travels for the firm, by mail address or name."""
    if not who:
        raise Refusal(say("Say to whom: type their name, or the address they sign in with."), "email")
    others = Membership.objects.select_related("person", "firm").exclude(pk=member.pk)
    others = others.filter(firm_id=member.firm_id, active=True, traveller=True)
    whole = Q(person__email__iexact=who) | Q(person__name__iexact=who)
    for wanted in (whole, Q(person__name__icontains=who)):
        found = list(others.filter(wanted).order_by("person__name", "pk")[: MOST_NAMED + 1])
        if len(found) == 1:
            return found[0]
        if found:
            names = joined(
                ", ", (joined("", (each.person.name, " (", each.person.email, ")")) for each in found[:MOST_NAMED])
            )
            more = say(", and others") if len(found) > MOST_NAMED else ""
            raise Refusal(
                say("That could be {names}{more}. Type the mail address of the one you mean.", names=names, more=more),
                "email",
            )
    raise Refusal(
        say("Nobody who travels for the firm has that name or address. Type it as they sign in with it."), "email"
    )
