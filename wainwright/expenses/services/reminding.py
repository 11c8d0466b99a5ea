"""Finance reminds people of charges that lie loose."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction

from wainwright import clock
from wainwright.core.said import say
from wainwright.errors import Refusal
from wainwright.expenses.models import Charge
from wainwright.news.services import tell
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.trail.services import record

MOST = 500


@transaction.atomic
def remind(member: Membership, charge_ids: Sequence[int]) -> int:
    """Remind the owners of loose charges, one message a person a day however many charges. Returns how many people.

    Raises ``NotAllowed`` for anybody but finance, ``Refusal`` where nothing is left to remind of.
    """
    must(member, "cards")
    today = clock.today(member.firm.zone)
    charges = list(
        Charge.objects.select_related("owner__person", "owner__firm", "card")
        .filter(firm_id=member.firm_id, state="Loose", pk__in=list(charge_ids)[:MOST])
        .exclude(reminded=today)
        .order_by("owner_id", "date")
    )
    if not charges:
        raise Refusal(say("Tick a charge that lies loose and was not reminded of today."))
    by_owner: dict[Membership, list[Charge]] = {}
    for charge in charges:
        by_owner.setdefault(charge.owner, []).append(charge)
    for owner, theirs in by_owner.items():
        oldest = (today - theirs[0].date).days
        tell(
            owner,
            say(
                "{count} charges lie loose in your tray, the oldest since {oldest} days. Take them or mark them personal.",
                count=len(theirs),
                oldest=oldest,
            )
            if len(theirs) > 1
            else say(
                "The charge of {merchant} lies loose in your tray, since {oldest} days. Take it or mark it personal.",
                merchant=theirs[0].merchant,
                oldest=oldest,
            ),
            "/tray/",
        )
    Charge.objects.filter(pk__in=[c.pk for c in charges]).update(reminded=today)
    after = {"people": sorted(owner.person.name for owner in by_owner), "charges": len(charges)}
    record(member, say("reminded of loose charges"), f"firm:{member.firm_id}", after=after)
    return len(by_owner)
