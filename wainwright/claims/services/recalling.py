"""Calling a posted claim back from the ledger: a reversal is entered first, then the claim is with finance again."""

from __future__ import annotations

from datetime import date, datetime

from django.db import transaction
from django.db.models import Q

from wainwright import clock
from wainwright.accounts import services as accounts
from wainwright.accounts.models import Payment, Posting
from wainwright.accounts.selectors import journal_of
from wainwright.claims.models import Claim
from wainwright.claims.services.closing import link
from wainwright.claims.services.road import finance_claim
from wainwright.claims.statements import read
from wainwright.core.said import as_figure, say
from wainwright.core.states import CHARGE, CLAIM
from wainwright.errors import Refusal, Stale
from wainwright.expenses.models import Charge
from wainwright.news.services import tell
from wainwright.people.models import Membership
from wainwright.trail.services import record
from wainwright.trips.models import Trip
from wainwright.trips.selectors import ADVANCE_OUT


def recall(member: Membership, claim_id: int, version: int, why: str, on: date | None = None) -> Claim:
    """Finance calls a posted claim back that nothing was paid on: what was entered is reversed on a day.

    Then it is with finance, to be corrected, cleared and posted anew, or sent back. Raises ``Refusal``, ``Stale``.
    """
    words = " ".join(why.split())[:250]
    if len(words) < 3:
        raise Refusal(say("Say why it is called back."), "why")
    with transaction.atomic():
        claim = finance_claim(member, claim_id, version)
        CLAIM.after(claim.state, "reverse")
        _must_be_whole(claim)
        entered = Posting.objects.filter(firm_id=claim.firm_id, key=claim.journal_key, state=Posting.State.ENTERED)
        was = entered.first()
        if was is None:
            raise Stale(say("Its journal does not stand in the ledger, so there is nothing to reverse."))
        day = on or clock.today(claim.firm.zone)
        if day < was.date:
            raise Refusal(
                say(
                    "It was posted on {date}: it is reversed on that day or later.",
                    date=as_figure(was.date, "%d %b %Y"),
                ),
                "on",
            )
        journal = journal_of(was).reversed(claim.reversal_key)
        title = say("Reversal of {number}: {words}", number=was.number or claim.code, words=words)[:160]
        posting = accounts.prepare_posting(claim.firm, journal, claim.subject, title, day)
        record(member, say("sent the reversal"), claim.subject, after={"key": posting.key, "why": words})
    return finish_recall(posting, member)


def _must_be_whole(claim: Claim) -> None:
    """Raise ``Refusal`` where something rests on the claim as it was posted: money, another claim, an advance's journal."""
    subjects = [claim.subject, f"issuer:{claim.pk}"]
    if Payment.objects.filter(subject__in=subjects).exclude(state=Payment.State.FAILED).exists():
        raise Refusal(
            say("It was paid, or is with the bank. What is wrong is put right by a supplement, or by what comes back.")
        )
    gone = claim.taken_off.filter(owed__state="Settled").select_related("owed").first()
    if gone is not None:
        raise Refusal(
            say(
                "It has settled {owed_code}, which would be owed again. Put it right by a supplement.",
                owed_code=gone.owed.code,
            )
        )
    if claim.recovered.exists():
        raise Refusal(say("A later claim has paid what was owed back on it. Put it right by a supplement."))
    others = Posting.objects.filter(subject=claim.subject).exclude(key__startswith="claim:")
    if others.exclude(key__startswith="reverse:").exists():
        raise Refusal(say("A further journal stands on it: an advance set against it, or money that came back."))


def finish_recall(posting: Posting, member: Membership | None) -> Claim:
    """Send a kept reversal and carry its answer to the claim; safe to call again after it was broken off."""
    posting = accounts.send_posting(posting, member)
    with transaction.atomic():
        rows = Claim.objects.select_for_update(of=("self",), no_key=True).select_related(
            "firm", "claimant__person", "claimant__firm", "trip", "statement"
        )
        claim = rows.get(pk=int(posting.subject.partition(":")[2]))
        if posting.key != claim.reversal_key or not CLAIM.can(claim.state, "reverse"):
            return claim
        if posting.state == Posting.State.SENDING:
            return claim
        if posting.state != Posting.State.ENTERED:
            record(member, say("could not be called back"), claim.subject, firm_id=claim.firm_id)
            return claim
        before = claim.state
        claim.state, claim.cleared_by = CLAIM.after(claim.state, "reverse"), None
        claim.entry += 1
        claim.version += 1
        claim.save()
        _unposted(claim)
        record(
            member, say("called the claim back from the ledger"), claim.subject, firm_id=claim.firm_id,
            before={"state": before}, after={"state": claim.state, "reversal": posting.number},
        )  # fmt: skip
        tell(
            claim.claimant,
            say("{claim_title} was called back from the ledger and is with finance", claim_title=claim.title),
            link(claim),
            posting.title,
        )
    return claim


def _unposted(claim: Claim) -> None:
    """Take back what posting brought with it: charges are on the claim, what was spent is committed again."""
    for charge in Charge.objects.filter(expense__claim=claim, state="Posted").select_related("expense"):
        personal = charge.expense is not None and charge.expense.personal
        charge.state = CHARGE.after(charge.state, "take_personal_back" if personal else "take_back")
        charge.save(update_fields=["state"])
    row = claim.statement
    if row is not None:
        done = read(row, claim.currency)
        accounts.use_budgets(claim.firm, claim.firm.year_of(row.budget_day), claim.subject, done.by_code, actual=False)
        if row.advance_minor:
            taken = claim.advances_taken.values("trip_id")
            # What came back in money meanwhile is out no more.
            held = Trip.objects.alias(out=ADVANCE_OUT).filter(out__gt=0)
            held.filter(Q(pk=claim.trip_id) | Q(pk__in=taken)).update(advance_settled=False)


def recalled_half(before: datetime) -> list[Posting]:
    """Return the reversals that the ledger has and whose claim did not follow."""
    rows = Posting.objects.filter(key__startswith="reverse:", state=Posting.State.ENTERED, time__lte=before)
    claims = {
        claim.subject: claim for claim in Claim.objects.filter(state__in=["Posted", "Settled"], pk__in=_claims(rows))
    }
    found = rows.filter(subject__in=claims).select_related("firm")
    return [row for row in found if row.key == claims[row.subject].reversal_key]


def _claims(rows) -> list[int]:
    return [int(subject.partition(":")[2]) for subject in rows.values_list("subject", flat=True)]
