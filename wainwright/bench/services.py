"""Deciding: the one place where a sign-off meets the trip or claim it is about."""

from __future__ import annotations

from django.db import transaction

from wainwright.claims.models import Claim
from wainwright.claims.services import road as claim_road
from wainwright.errors import Refusal, Stale
from wainwright.people.models import Membership
from wainwright.signoff import services as signoff
from wainwright.signoff.models import SignOff
from wainwright.trail.services import record
from wainwright.trips.models import Trip
from wainwright.trips.services import road as trip_road

ENDS = {"send_back": SignOff.State.SENT_BACK, "turn_down": SignOff.State.TURNED_DOWN}


def _subject(member: Membership, kind: str, object_id: int) -> Trip | Claim:
    """Lock and return what is decided on. Raises ``DoesNotExist`` for what the person may not see."""
    if kind == "trip":
        found = Trip.objects.select_for_update(of=("self",)).visible_to(member)
        return found.select_related("firm", "traveller__person", "traveller__firm").get(pk=object_id)
    found = Claim.objects.select_for_update(of=("self",)).visible_to(member)
    return found.select_related("firm", "claimant__person", "claimant__firm", "trip").get(pk=object_id)


def _as_shown(thing: Trip | Claim, version: int | None) -> None:
    """Raise ``Stale`` where the thing is not what the page showed: it was taken back, changed, or sent again since."""
    if version is not None and version != thing.version:
        raise Stale(
            "It was changed since you opened this page. Look at it again, then decide: what differs stands on it."
        )


def _road(kind: str):
    return trip_road if kind == "trip" else claim_road


@transaction.atomic
def approve(member: Membership, kind: str, object_id: int, comment: str = "", version: int | None = None) -> bool:
    """Sign; when the route is through, the trip is authorised or the claim goes to finance. Returns whether it is through.

    ``version`` is the one that was shown; another is refused with ``Stale``, as on every decision here.
    """
    thing, road = _subject(member, kind, object_id), _road(kind)
    _as_shown(thing, version)
    owner = thing.traveller if isinstance(thing, Trip) else thing.claimant
    given, through = signoff.give(
        member, thing.subject, comment, road.title(thing), f"/bench/{kind}/{object_id}/", owner
    )
    what = f"approved the {kind}"
    record(member, what, thing.subject, after={"comment": comment, "why": given.why}, for_whom=given.covers)
    if through:
        road.signed(member, thing, given.covers)
    return through


@transaction.atomic
def end(
    member: Membership, kind: str, object_id: int, act: str, comment: str, lines: dict[str, str] | None = None,
    version: int | None = None,
) -> None:  # fmt: skip
    """Send back or turn down, with a comment and remarks on single lines."""
    said = {line: text for line, text in (lines or {}).items() if text.strip()}
    thing, road = _subject(member, kind, object_id), _road(kind)
    _as_shown(thing, version)
    words = comment.strip() or ("See the remarks on the lines." if said else "")
    given = signoff.end(member, thing.subject, ENDS[act], words)
    # What has to be mended stands on the thing itself, where its owner mends it.
    if comment.strip():
        signoff.remark(member, thing.subject, comment)
    for line, text in said.items():
        signoff.remark(member, thing.subject, text, line)
    road.ended(member, thing, act, words, given.covers)


@transaction.atomic
def pass_on(
    member: Membership, kind: str, object_id: int, to_id: int, comment: str, version: int | None = None
) -> Membership:
    """Hand the decision to somebody else of the firm."""
    thing, road = _subject(member, kind, object_id), _road(kind)
    _as_shown(thing, version)
    to = Membership.objects.select_related("person", "firm").filter(firm_id=member.firm_id, pk=to_id).first()
    owner = thing.traveller_id if isinstance(thing, Trip) else thing.claimant_id
    if to is None or to.pk == owner:
        raise Refusal("Choose another approver of the firm.", "to")
    signoff.pass_on(member, thing.subject, to, comment, road.title(thing), f"/bench/{kind}/{object_id}/")
    record(member, f"passed the {kind} on", thing.subject, after={"to": to.person.name, "comment": comment})
    return to


@transaction.atomic
def say(member: Membership, kind: str, object_id: int, text: str, line: str = "") -> None:
    """Say something on a trip or claim, or on one of its lines."""
    thing = _subject(member, kind, object_id)
    if isinstance(thing, Claim):
        claim_road.say(member, thing.pk, text, line)
    else:
        trip_road.say(member, thing.pk, text, line)
