"""What waits for somebody who is away or gone goes on by itself: to their cover, else to the next above."""

from __future__ import annotations

from django.db import transaction

from wainwright import clock
from wainwright.claims.models import Claim
from wainwright.core.routing import Signer, covered_for, who_signs_for
from wainwright.core.said import say
from wainwright.news.services import tell
from wainwright.people.models import Firm, Membership
from wainwright.people.selectors import signers
from wainwright.signoff import services as signoff
from wainwright.signoff.models import SignOff
from wainwright.trail.services import record
from wainwright.trips.models import Trip


def move_on_everywhere() -> int:
    """Do it for every firm; return how many things went on."""
    return sum(move_on(firm_id) for firm_id in Firm.objects.values_list("pk", flat=True))


@transaction.atomic
def move_on(firm_id: int) -> int:
    """Hand every sign-off of a firm that waits for somebody who is away or gone to whoever signs in their place.

    Each is one entry in the trail; both are told, and whose it is. Where nobody can, it stays, and the administrators are
    told once. Returns how many went on.
    """
    firm = Firm.objects.get(pk=firm_id)
    people = signers(firm_id, clock.today(firm.zone))
    stuck = [key for key, one in people.items() if not one.active or one.cover]
    waiting = SignOff.objects.select_for_update(no_key=True).filter(
        firm_id=firm_id, state=SignOff.State.WAITING, signer__in=stuck
    )
    return sum(_hand_on(row, people) for row in list(waiting.order_by("pk")))


def _hand_on(row: SignOff, people: dict[str, Signer]) -> bool:
    owner, people = asker_of(row), dict(covered_for(row.amount, people))
    gone = people[str(row.signer_id)]
    to, covers = who_signs_for(gone.key, str(owner.pk), people)
    if to is None:
        _tell_once(row, gone)
        return False
    new = Membership.objects.select_related("person", "firm").get(pk=int(to.key))
    why = (
        say("{why}; {gone} is away", why=row.why, gone=gone.name)
        if gone.active
        else say("{why}; {gone} is gone", why=row.why, gone=gone.name)
    )
    signoff.hand_on(row, new, covers, why, row.decided_at)
    record(
        None, say("handed a decision on"), row.subject, firm_id=row.firm_id, before={"waited for": gone.name},
        after={"waits for": new.person.name, "covers": covers},
    )  # fmt: skip
    tell(
        owner,
        (
            say("{title}: {new} decides, since {gone} is away", title=row.title, new=new.person.name, gone=gone.name)
            if gone.active
            else say(
                "{title}: {new} decides, since {gone} is gone", title=row.title, new=new.person.name, gone=gone.name
            )
        ),
        row.lies_at,
    )
    return True


def asker_of(row: SignOff) -> Membership:
    """Whose trip or claim is decided on."""
    if row.kind == "trip":
        return Trip.objects.select_related("traveller__person", "traveller__firm").get(pk=row.object_id).traveller
    return Claim.objects.select_related("claimant__person", "claimant__firm").get(pk=row.object_id).claimant


def _tell_once(row: SignOff, gone: Signer) -> None:
    """Say that nobody can sign in somebody's place, to those who can name one: once for each thing."""
    words = (
        say(
            "{title} waits for {gone}, who is away, and nobody can sign in their place", title=row.title, gone=gone.name
        )
        if gone.active
        else say(
            "{title} waits for {gone}, who is gone, and nobody can sign in their place", title=row.title, gone=gone.name
        )
    )
    if words in row.comment:
        return
    row.comment = words[:1000]
    row.save(update_fields=["comment"])
    admins = Membership.objects.filter(firm_id=row.firm_id, administrator=True, active=True).select_related(
        "person", "firm"
    )
    for one in admins:
        tell(one, words, f"/people/{row.signer_id}/", say("Name a cover for them, or a manager above them."))
