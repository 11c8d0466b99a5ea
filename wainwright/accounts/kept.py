"""Kept splits: a split saved for use again, one's own or shared with the firm by finance."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import IntegrityError, transaction
from django.db.models import F, Q, QuerySet

from wainwright import clock
from wainwright.accounts.models import KeptSplit
from wainwright.accounts.selectors import books
from wainwright.accounts.splits import codings_must_hold, parts_data
from wainwright.core.said import joined, say
from wainwright.core.splits import SplitError, SplitPart, check_shares
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.people.models import Membership
from wainwright.trail.services import record


def kept_for(member: Membership, text: str = "") -> QuerySet[KeptSplit]:
    """Return the splits that a person may use, the most used first: their own and the firm's."""
    rows = KeptSplit.objects.filter(Q(owner=member) | Q(owner__isnull=True), firm_id=member.firm_id)
    return rows.filter(name__icontains=text.strip()) if text.strip() else rows


@transaction.atomic
def keep_split(member: Membership, name: str, parts: Sequence[SplitPart], shared: bool = False) -> KeptSplit:
    """Keep a split under a name, for oneself or for the whole firm; the same name is kept anew.

    Raises ``Refusal`` for shares that do not add up, a coding that does not hold or a name that says nothing;
    ``NotAllowed`` where somebody else than finance shares one.
    """
    if shared and not member.may["share_splits"]:
        raise NotAllowed(say("Only finance shares a split with the firm. Keep it for yourself."))
    name = " ".join(name.split())[:60]
    if len(name) < 2:
        raise Refusal(say("Give the split a name of two letters or more."), "name")
    try:
        check_shares(parts)
    except SplitError as error:
        raise Refusal(say("{error} A kept split is by share.", error=error), "share") from error
    codings_must_hold(parts, books(member.firm), clock.today(member.firm.zone))
    data = parts_data(parts)
    owner = None if shared else Membership.objects.get(pk=member.pk)
    try:
        with transaction.atomic():
            kept, new = KeptSplit.objects.update_or_create(
                firm=member.firm, owner=owner, name=name, defaults={"parts": data}
            )
    except IntegrityError as error:
        raise Stale(say("Somebody kept a split under that name just now. Look at it first.")) from error
    whose = say("for the firm") if shared else say("for oneself")
    record(
        member,
        say("kept a split {whose}", whose=whose),
        f"firm:{member.firm_id}",
        after={"name": name, "parts": data, "new": new},
    )
    return kept


@transaction.atomic
def drop_split(member: Membership, kept_id: int) -> None:
    """Drop a kept split: one's own, or the firm's by finance. Splits made by it stay as they are. Raises ``Stale``, ``NotAllowed``."""
    kept = kept_for(member).filter(pk=kept_id).first()
    if kept is None:
        raise Stale(say("That split is not kept any more."))
    if kept.owner_id is None and not member.may["share_splits"]:
        raise NotAllowed(say("Only finance drops a split of the firm."))
    record(
        member, say("dropped a kept split"), f"firm:{member.firm_id}", before={"name": kept.name, "parts": kept.parts}
    )
    kept.delete()


def find_kept(member: Membership, text: str) -> KeptSplit:
    """Find the kept split that a text means: its name, or the only one that it is part of. Raises ``Refusal``."""
    wanted = " ".join(text.split()).casefold()
    found = list(kept_for(member, wanted)[:20])
    same = [each for each in found if each.name.casefold() == wanted]
    own = [each for each in same if each.owner_id is not None]
    for fits in (own, same, found):
        if len(fits) == 1:
            return fits[0]
    if found:
        raise Refusal(
            say(
                "“{text}” fits several: {list}. Type more of one.",
                text=text[:40],
                list=joined(", ", (each.name for each in found[:4])),
            ),
            "kept",
        )
    raise Refusal(say("No kept split is called “{text}”. Type any part of its name.", text=text[:40]), "kept")


def used(kept: KeptSplit) -> None:
    """Count that it was used, so that the most used stand first. Inside the caller's transaction."""
    KeptSplit.objects.filter(pk=kept.pk).update(used=F("used") + 1)
