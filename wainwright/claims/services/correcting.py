"""Acts that change a claim after it was sent: each writes the next version of its statement."""

from __future__ import annotations

from collections.abc import Callable

from django.db import transaction
from django.db.models import F, QuerySet

from wainwright import clock
from wainwright.accounts import services as accounts
from wainwright.accounts.models import Posting
from wainwright.accounts.selectors import books, supplier_of
from wainwright.claims.models import Claim, OverPermitted
from wainwright.claims.selectors import facts_of, route_of
from wainwright.claims.services.closing import link
from wainwright.claims.services.road import asked_for, contents_of, finance_claim, renew
from wainwright.claims.services.statements import amend, must_not_be_on_its_way
from wainwright.claims.statements import findings_of, read
from wainwright.core.coding import ACCOUNT, Coding, check_coding
from wainwright.core.money import Money
from wainwright.core.posting import set_off_journal
from wainwright.core.routing import Route, RouteStep
from wainwright.core.said import joined, say
from wainwright.core.statement import Statement, reaccounted
from wainwright.core.states import CLAIM, CLAIM_SENT
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.news.services import tell
from wainwright.people.models import Membership
from wainwright.people.selectors import signers
from wainwright.rulebook.selectors import rulebook
from wainwright.signoff import services as signoff
from wainwright.signoff.models import SignOff
from wainwright.trail.services import record
from wainwright.trips.models import Trip


@transaction.atomic
def recode(member: Membership, claim_id: int, version: int, dimension: str, old: str, coding: Coding) -> int:
    """Finance puts another coding in place of every one that names ``old``; return how many places changed.

    The claimant is told; the statement's next version and the trail keep before and after. The costs themselves follow,
    so that the correction stands when the claim comes back and is sent again. Raises ``Refusal`` for a coding that does
    not hold.
    """
    claim = finance_claim(member, claim_id, version)
    if claim.state not in ("In finance check", "Posting refused", "Cleared"):
        raise Stale(say("The claim stands at {state}: its coding cannot be corrected now.", state=claim.state))
    faults = check_coding(coding, books(claim.firm).codes, clock.today(claim.firm.zone))
    if faults:
        raise Refusal(faults[0].text, faults[0].dimension)
    was = read(claim.statement, claim.currency)

    def holds(each: Coding) -> bool:
        return each.get(dimension) == old

    places = sum(holds(each.coding) and not each.personal for line in was.lines for each in line.coded)
    if not places:
        raise Refusal(say("Nothing on the claim is coded to {old}.", old=old), "old")
    _follow(claim, holds, coding)
    after = {"instead of": old, "coding": str(coding), "places": places}
    done = was.recoded(holds, coding)
    amend(claim, member, say("corrected the coding"), done, after)
    ask_owners(member, claim, done)
    tell(
        claim.claimant,
        say(
            "Finance corrected the coding of {claim_title} from {old} to {coding}",
            claim_title=claim.title,
            old=old,
            coding=coding,
        ),
        link(claim),
    )
    return places


@transaction.atomic
def reaccount(member: Membership, claim_id: int, version: int, old: str, account: str) -> int:
    """Finance puts another account in place of one on a claim that was sent; return how many places changed.

    The statement's next version; nobody is asked again, since what its owners bear stays. Raises ``Refusal``, ``Stale``.
    """
    claim = finance_claim(member, claim_id, version)
    if claim.state not in ("In finance check", "Posting refused", "Cleared"):
        raise Stale(say("The claim stands at {state}: its accounts cannot be corrected now.", state=claim.state))
    known = books(claim.firm).codes.codes.get((ACCOUNT, account))
    if known is None or not known.open_on(clock.today(claim.firm.zone)):
        raise Refusal(
            say("Account {account} is not open in the ledger.", account=account[:20] or say("(none)")), "account"
        )
    done, places = reaccounted(read(claim.statement, claim.currency), old, account)
    if not places:
        raise Refusal(say("Nothing on the claim is on account {old}.", old=old[:20]), "old")
    after = {"instead of": old, "account": account, "places": places}
    amend(claim, member, say("corrected an account"), done, after)
    return places


def _follow(claim: Claim, holds: Callable[[Coding], bool], coding: Coding) -> None:
    """Give the costs the coding that their lines have now."""
    default = claim.coding
    for expense in claim.expenses.prefetch_related("parts", "shares"):
        pieces = [(share, share.coding.filled_from(default)) for share in expense.shares.all()]
        pieces += [(part, part.coding) for part in expense.parts.all() if part.coding]
        if expense.coding:
            pieces.append((expense, expense.coding))
        for place, its in pieces:
            if holds(its):
                place.take_coding(coding)
                place.save()
    if holds(default):
        claim.take_coding(coding)
    for row in claim.shares:
        for part in row["parts"]:
            if holds(Coding.of(part["codes"])):
                part["codes"] = [list(pair) for pair in coding.codes]


def deciders(member: Membership, claim_id: int, version: int) -> Claim:
    """Lock and return a claim for whoever decides on it now: whose turn it is, or finance while it checks.

    Raises ``NotAllowed``, ``Stale``.
    """
    claim = (
        Claim.objects.select_for_update(of=("self",), no_key=True)
        .visible_to(member)
        .select_related("firm", "claimant__person", "claimant__firm", "trip", "statement")
        .get(pk=claim_id)
    )
    if claim.claimant_id == member.pk:
        raise NotAllowed(say("Somebody else decides on your own claim."))
    if version != claim.version:
        raise Stale(say("The claim was changed since you opened this page. Look at it again, then decide."))
    if claim.state == "In sign-off":
        signoff.turn_of(member, claim.subject)
    elif not (member.may["check"] and claim.state == "In finance check"):
        raise Stale(say("The claim stands at {state}: nothing is decided on its lines now.", state=claim.state))
    return claim


@transaction.atomic
def allow_over(member: Membership, claim_id: int, version: int, key: str, comment: str) -> Claim:
    """Whoever decides on a claim permits to pay what a line is over the ceiling, with a reason: the statement's next version.

    The person whose turn it is on the route, or finance while it checks; never the claimant. Raises ``Refusal``,
    ``NotAllowed``, ``Stale``.
    """
    if len(comment.strip()) < 3:
        raise Refusal(say("Say why what is over the ceiling is to be paid."), "comment")
    claim = deciders(member, claim_id, version)
    was = read(claim.statement, claim.currency)
    line = next((each for each in was.lines if each.key == key), None)
    if line is None or not line.over:
        raise Stale(say("Nothing on that line is over its ceiling any more."))
    done = was.allowed_in_full(key)
    _within_authority(claim, done)
    values = {
        "amount_minor": F("amount_minor") + line.over.minor,
        "by": member,
        "why": comment.strip()[:300],
        "time": clock.now(),
    }
    OverPermitted.objects.update_or_create(
        claim=claim, key=key, defaults=values, create_defaults=values | {"amount_minor": line.over.minor}
    )
    amend(
        claim,
        member,
        say("permitted what is over the ceiling"),
        done,
        {"line": key, "over": str(line.over), "why": comment.strip()[:300]},
    )
    signoff.remark(
        member,
        claim.subject,
        say("Permitted: {over} over the ceiling. {comment}", over=line.over, comment=comment.strip()),
        key,
    )
    renew(claim, done)
    tell(
        claim.claimant,
        say(
            "{over} over the ceiling on {line_label} is paid: {comment}",
            over=line.over,
            line_label=line.label,
            comment=comment.strip()[:120],
        ),
        link(claim),
    )
    return claim


def _route(claim: Claim, done: Statement) -> Route:
    """Who must sign a claim as it is now, by the rules that spoke when it was certified. Four queries."""
    book, today = rulebook(claim.firm), clock.today(claim.firm.zone)
    people = signers(claim.firm_id, today)
    found = {each.finding.rule for each in findings_of(claim.statement)} if claim.statement else set()
    nights = (night.place["country"] for trip in claim.trips for night in trip.nights.all())
    paid = claim.expenses.exclude(country="").values_list("country", flat=True)
    asking = facts_of(claim, done, book, today, {*nights, *paid}, found)
    return route_of(claim, done, people, books(claim.firm), book, asking)


def _unsigned(claim: Claim, done: Statement) -> list[RouteStep]:
    """Whoever would be on the route of a claim as it is now, and was never asked about it."""
    route = _route(claim, done)
    rows = SignOff.objects.filter(subject=claim.subject).exclude(state="Dropped")
    asked = set(rows.values_list("signer_id", flat=True))
    return [step for step in route.steps if int(step.signer) not in asked]


def ask_again(member: Membership, claim: Claim, done: Statement) -> None:
    """Put a claim that a correction raised before its whole route again. Inside the caller's transaction."""
    route = _route(claim, done)
    if route.faults:
        raise Refusal(route.faults[0])
    before = claim.state
    claim.state, claim.cleared_by = CLAIM.after(claim.state, "ask"), None
    claim.save()
    marks = tuple(claim.statement.marks) if claim.statement else ()
    signoff.start(member, asked_for(claim, done.total, marks, "correction"), route, contents_of(done))
    record(
        member, say("asked the route again, since it comes to more"), claim.subject, before={"state": before},
        after={"asked": [step.name for step in route.steps]},
    )  # fmt: skip


def ask_owners(member: Membership, claim: Claim, done: Statement) -> None:
    """Put a claim before the owners of what it is coded to now, where they were not asked; the others' signatures stand."""
    missing = [step for step in _unsigned(claim, done) if step.scope != "all"]
    if not missing:
        return
    before = claim.state
    claim.state, claim.cleared_by = CLAIM.after(claim.state, "ask"), None
    claim.save()
    marks = tuple(claim.statement.marks) if claim.statement else ()
    asked = asked_for(claim, done.total, marks, "correction")
    signoff.ask_more(member, asked, missing, contents_of(done))
    names = [step.name for step in missing]
    record(
        member,
        say("asked the owners of the new coding"),
        claim.subject,
        before={"state": before},
        after={"asked": names},
    )


def _within_authority(claim: Claim, done: Statement) -> None:
    """Raise ``Refusal`` where the claim as it would be needs a signature that its route does not have."""
    missing = joined(say(" and "), (step.name for step in _unsigned(claim, done)))
    if missing:
        raise Refusal(
            say(
                "With it the claim comes to {total}, which {missing} must sign: send it back, so that they are asked.",
                total=done.total,
                missing=missing,
            )
        )


def set_off_advance(trip: Trip, amount: Money) -> Posting | None:
    """An advance was paid: set what was paid against the trip's claim where that is under way. Inside the caller's transaction.

    A claim that is still open finds it when it is sent. One that is settled was paid without it, so the advance stays
    outstanding. One that was posted has a journal of its own for it, which is returned to be sent.
    """
    claim = _takes_advance(trip, Claim.objects.select_for_update(of=("self",), no_key=True))
    if claim is None or claim.statement is None:
        return None
    was = read(claim.statement, claim.currency)
    # What was set against it before stays: of other trips' advances, and of this one where it was raised since.
    done = was.with_advance(was.advance + amount)
    row = amend(claim, None, say("the advance was paid and set against it"), done)
    words = say(
        "Due to you is now {due} {currency} (statement {number}).",
        due=done.settlement.due,
        currency=claim.currency,
        number=row.number,
    )
    tell(
        claim.claimant,
        say("The advance of {amount} is set against {claim_title}", amount=amount, claim_title=claim.title),
        link(claim),
        words,
    )
    if claim.state != "Posted":
        return None
    key = f"set-off:{claim.firm_id}:{claim.number}:{claim.entry}"
    before = Posting.objects.filter(firm=claim.firm, key__startswith=key).count()
    key = f"{key}:{before + 1}" if before else key
    text = say("Advance set against {claim_code}", claim_code=claim.code)
    back = done.settlement.owed_back - was.settlement.owed_back
    ledger = books(claim.firm).accounts
    journal = set_off_journal(key, amount, back, ledger, text)
    journal = journal.naming(supplier_of(claim.claimant), (*ledger.of_staff, ledger.advances))
    trip.advance_settled = True
    trip.save(update_fields=["advance_settled"])
    return accounts.prepare_posting(claim.firm, journal, claim.subject, text, clock.today(claim.firm.zone))


def _takes_advance(trip: Trip, claims: QuerySet[Claim]) -> Claim | None:
    """The claim of a trip that an advance is set against as it is paid: the first that is sent and not settled."""
    rows = claims.filter(trip=trip, state__in=CLAIM_SENT, statement__isnull=False).exclude(state="Settled")
    return rows.select_related("firm", "claimant__person", "claimant__firm", "statement").order_by("pk").first()


def may_set_off(trip: Trip) -> bool:
    """Say whether the trip's claim can take an advance into account now: not while its journal is on the way."""
    claim = _takes_advance(trip, Claim.objects.all())
    try:
        if claim is not None:
            must_not_be_on_its_way(claim)
    except Stale:
        return False
    return True
