"""A claim's road: sent, signed, checked, cleared."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.db.models import QuerySet

from wainwright import clock
from wainwright.accounts.ahead import would_refuse
from wainwright.accounts.selectors import books
from wainwright.accounts.services import give_back
from wainwright.claims.models import Claim
from wainwright.claims.profile import copy_for
from wainwright.claims.risk import risk_as_kept, risk_of
from wainwright.claims.selectors import journal_for, load_file
from wainwright.claims.services.closing import give_back_expenses, link, take_earlier_off
from wainwright.claims.services.compose import mine
from wainwright.claims.services.statements import must_not_be_on_its_way, write
from wainwright.claims.statements import read
from wainwright.core.money import Money
from wainwright.core.risk import drawn, looks_at
from wainwright.core.said import joined, say
from wainwright.core.statement import Line, Statement
from wainwright.core.states import CLAIM
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.news.services import tell
from wainwright.people.acting import must_be_oneself, must_prepare
from wainwright.people.may import must
from wainwright.people.models import Membership
from wainwright.people.selectors import finance_of
from wainwright.rulebook.selectors import rulebook
from wainwright.signoff import services as signoff
from wainwright.signoff.models import Remark, SignOff
from wainwright.trail.services import record
from wainwright.visible import visible_row


def title(claim: Claim) -> str:
    """The claim as it is called in news and lists."""
    return joined("", (claim.claimant.person.name, ": ", claim.title))


@transaction.atomic
def send(member: Membership, claim_id: int, version: int, typed_name: str) -> Claim:
    """Certify and send. Only the claimant, with their own name typed; what is certified is kept as it is shown."""
    must_be_oneself(member)
    claim = mine(member, claim_id, version)
    file = load_file(member, claim)
    if file.in_the_way:
        raise Refusal(
            say("{in_the_way} still to put right or explain before the claim can go.", in_the_way=file.in_the_way)
        )
    if typed_name.strip().casefold() != member.person.name.casefold():
        raise Refusal(say("Type your name as it stands here, {member}, to certify.", member=member.person.name), "name")
    before = claim.state
    claim.state = CLAIM.after(claim.state, "send")
    claim.sent, claim.signed_name, claim.ready_by = clock.now(), typed_name.strip(), None
    claim.profile = copy_for(claim)
    planned = claim.planned
    take_earlier_off(claim, file.figures.settlement.sums.earlier)
    risk = risk_of(claim, file)
    statement = write(
        claim, member, say("certified and sent"), file.figures, file.findings, file.budget_day, planned, risk
    )
    claim.version += 1
    claim.save()
    Remark.objects.filter(subject=claim.subject, mended=False).update(mended=True)
    marks = tuple(statement.marks)
    asked = asked_for(claim, file.figures.total, marks)
    signoff.start(member, asked, file.route, contents_of(file.figures))
    after = {
        "statement": statement.number,
        "total": statement.total_minor,
        "due": statement.due_minor,
        "lines": len(file.figures.lines),
    }
    record(member, say("certified and sent the claim"), claim.subject, before={"state": before}, after=after)
    if not SignOff.objects.filter(subject=claim.subject, state=SignOff.State.WAITING).exists():
        # Everybody's earlier sign-off stands: nothing they signed has changed.
        claim.state = CLAIM.after(claim.state, "sign")
        claim.save(update_fields=["state"])
        if not clears_itself(claim):
            _came_to_finance(claim, member)
    return claim


@transaction.atomic
def ready(member: Membership, claim_id: int) -> Claim:
    """Say that a claim somebody prepared is ready: it waits on the claimant's desk for one signature. Raises ``NotAllowed``."""
    must_prepare(member, "claim")
    claim = mine(member, claim_id)
    signoff.say_ready(member, claim, "claim", link(claim))
    return claim


def asked_for(claim: Claim, amount: Money, marks: tuple[str, ...], what: str = "") -> signoff.Asked:
    """What is put before those who sign a claim whose statement is written."""
    what = what or ("supplement" if claim.supplements_id else "claim")
    risk = claim.statement.risk if claim.statement else 0
    return signoff.Asked(
        claim.subject, title(claim), f"/bench/claim/{claim.pk}/", amount, marks, what, str(claim.coding), risk
    )


def contents_of(done: Statement) -> dict[str, str]:
    """A fingerprint for each scope: the amounts and codings that a signer of that scope has signed, not the words."""
    lines = {line.key: [str(line.says.amount), line.category, line.paid_by, _personal(line)] for line in done.lines}
    codes = {f"{dimension}:{code}": str(amount.amount) for (dimension, code), amount in done.by_code.items()}
    contents = {"all": signoff.fingerprint({"lines": lines, "codes": codes})}
    return contents | {scope: signoff.fingerprint({"amount": amount}) for scope, amount in codes.items()}


def renew(claim: Claim, done: Statement) -> None:
    """Put a statement's next version before those who have not signed yet, with its risk. Inside the caller's transaction."""
    signoff.renew(claim.subject, done.total, contents_of(done), claim.statement.risk if claim.statement else 0)


def _personal(line: Line) -> list[str]:
    return [str(each.gross.amount) for each in line.coded if each.personal]


@transaction.atomic
def remark(member: Membership, claim_id: int, text: str, line: str = "") -> None:
    """Say something on the claim, or on one of its lines; those who are asked or have signed are told, and its claimant.

    It needs no taking back, since no figure changes by it. Raises ``Refusal``.
    """
    claim = Claim.objects.visible_to(member).select_related("claimant__person", "claimant__firm").get(pk=claim_id)
    signoff.remark(member, claim.subject, text, line)
    record(member, say("said something"), claim.subject, after={"line": line, "text": text[:200]})
    told = {row.signer_id: row.signer for row in signoff.asked_now(claim.subject)}
    if claim.state == "In finance check":
        told |= {person.pk: person for person in finance_of(claim.firm_id)}
    who = member.doer
    for other in told.values():
        if other.pk not in (member.pk, who.pk):
            tell(
                other,
                say("{who} on {title}: {text}", who=who.person.name, title=title(claim), text=text.strip()[:120]),
                f"/bench/claim/{claim.pk}/",
            )
    if claim.claimant_id not in (member.pk, who.pk):
        tell(
            claim.claimant,
            say(
                "{who} on {claim_title}: {text}", who=who.person.name, claim_title=claim.title, text=text.strip()[:120]
            ),
            link(claim),
        )


@transaction.atomic
def take_back(member: Membership, claim_id: int) -> Claim:
    """Take the claim back while nobody has decided. Raises ``Stale`` once somebody has."""
    claim = mine(member, claim_id, editable=False)
    if signoff.anyone_decided(claim.subject):
        raise Stale(say("Somebody has decided already. Ask them to send it back to you."))
    before = claim.state
    claim.state = CLAIM.after(claim.state, "take_back")
    claim.version += 1
    claim.save()
    claim.taken_off.all().delete()
    signoff.drop(claim.subject)
    record(member, say("took the claim back"), claim.subject, before={"state": before}, after={"state": claim.state})
    return claim


def signed(member: Membership, claim: Claim, given_for: str) -> None:
    """The last sign-off is there: the claim goes to finance. Inside the bench's transaction."""
    before = claim.state
    claim.state = CLAIM.after(claim.state, "sign")
    claim.version += 1
    claim.save()
    record(
        member,
        say("signed the claim off"),
        claim.subject,
        before={"state": before},
        after={"state": claim.state},
        for_whom=given_for,
    )
    if clears_itself(claim):
        tell(claim.claimant, say("{claim_title} is signed off and cleared", claim_title=claim.title), link(claim))
    else:
        tell(
            claim.claimant, say("{claim_title} is signed off and goes to finance", claim_title=claim.title), link(claim)
        )
        _came_to_finance(claim, member)


def _came_to_finance(claim: Claim, by: Membership) -> None:
    """Tell those who check that a claim waits for them, but not whoever sent it on, nor its claimant."""
    for person in finance_of(claim.firm_id):
        if person.pk not in (by.pk, claim.claimant_id):
            tell(
                person,
                say(
                    "{title} waits for finance: {total} {currency}",
                    title=title(claim),
                    total=claim.total,
                    currency=claim.currency,
                ),
                f"/bench/claim/{claim.pk}/",
            )


def clears_itself(claim: Claim) -> bool:
    """Clear a claim that finance does not look at, as the firm chose; say whether. Inside the caller's transaction.

    What is drawn, and by which number, stands in the trail, where it can be checked with the seed.
    """
    policy, row = rulebook(claim.firm).policy, claim.statement
    if policy.look_share >= 100 or row is None or claim.state != "In finance check" or claim.objection:
        return False
    above = None if policy.look_above_minor is None else Money.from_minor(policy.look_above_minor, claim.currency)
    number = drawn(policy.look_seed, f"{claim.code}:{row.number}")
    found = looks_at(risk_as_kept(row), policy.harmless_to, claim.total, above, policy.look_share, number)
    after = {"number drawn": str(number), "of": f"{claim.code}:{row.number}", "why": found.why}
    ahead = ahead_of(claim)
    if found.looks or ahead:
        after |= {"why": say("the ledger would refuse it: {ahead}", ahead=ahead[0])} if ahead else {}
        record(None, say("goes to finance to be looked at"), claim.subject, firm_id=claim.firm_id, after=after)
        return False
    before = claim.state
    claim.state, claim.cleared_by = CLAIM.after(claim.state, "clear"), None
    claim.version += 1
    claim.save()
    record(
        None, say("cleared by itself"), claim.subject, firm_id=claim.firm_id, before={"state": before},
        after=after | {"state": claim.state},
    )  # fmt: skip
    return True


def ended(member: Membership, claim: Claim, act: str, comment: str, given_for: str = "") -> None:
    """The claim is sent back or turned down. Inside the caller's transaction."""
    before = claim.state
    # It comes back whole: what was objected to is decided anew.
    claim.state, claim.objection = CLAIM.after(claim.state, act), ""
    claim.version += 1
    claim.save()
    claim.taken_off.all().delete()
    back = 0
    if act == "turn_down":
        back = give_back_expenses(claim, comment, turned_down=True)
        claim.advances_taken.all().delete()
        for trip in claim.trips:
            # Nothing of it will be posted, so what its trips had committed is free again.
            give_back(trip.subject)
    what = say("sent the claim back") if act == "send_back" else say("turned the claim down")
    after = {"state": claim.state, "comment": comment}
    record(member, what, claim.subject, before={"state": before}, after=after, for_whom=given_for)
    who = {"title": claim.title, "member": member.person.name}
    news = (
        say("{title} was sent back to you by {member}", **who)
        if act == "send_back"
        else say("{title} was turned down by {member}", **who)
    )
    more = say(" What was on it lies in your tray again ({back}).", back=back) if back else ""
    tell(claim.claimant, news, link(claim), joined("", (comment, more)))


def locked_claim(member: Membership, claim_id: int) -> Claim:
    """Lock and return a claim that ``member`` may see, whatever they do with it. Raises ``Claim.DoesNotExist``."""
    claim = _locked(member, claim_id)
    if claim is None:
        raise Claim.DoesNotExist
    return claim


@visible_row
def _locked(who: Any) -> QuerySet[Claim]:
    rows = Claim.objects.select_for_update(of=("self",), no_key=True).visible_to(who)
    return rows.select_related("firm", "claimant__person", "claimant__firm", "trip", "statement")


def finance_claim(member: Membership, claim_id: int, version: int | None = None) -> Claim:
    """Lock and return a claim for a finance reviewer's act. Raises ``NotAllowed``, ``Stale``."""
    claim = locked_claim(member, claim_id)
    must(member, "check")
    if claim.claimant_id == member.pk:
        raise NotAllowed(say("Somebody else in finance checks your own claim."))
    if version is not None and version != claim.version:
        raise Stale(say("The claim was changed since you opened this page. Look at it again, then decide."))
    return claim


def ahead_of(claim: Claim) -> list[str]:
    """What the ledger would refuse of a claim that was sent, as far as is known here today."""
    if claim.statement is None:
        return []
    journal = journal_for(claim, read(claim.statement, claim.currency), books(claim.firm))
    return would_refuse(claim.firm, journal, clock.today(claim.firm.zone))


@transaction.atomic
def clear(member: Membership, claim_id: int, version: int) -> Claim:
    """Finance clears the claim: its figures are right and it may be posted."""
    claim = finance_claim(member, claim_id, version)
    if claim.objection:
        raise Refusal(
            say(
                "{claimant} objects: {objection} Answer that first.",
                claimant=claim.claimant.person.name,
                objection=claim.objection,
            )
        )
    before = claim.state
    claim.state = CLAIM.after(claim.state, "clear")
    if faults := ahead_of(claim):
        raise Refusal(say("The ledger would refuse it. {list}", list=joined(" ", faults[:3])))
    claim.cleared_by = member
    claim.version += 1
    claim.save()
    record(member, say("cleared the claim"), claim.subject, before={"state": before}, after={"state": claim.state})
    tell(
        claim.claimant,
        say("{claim_title} is checked and cleared by {member}", claim_title=claim.title, member=member.person.name),
        link(claim),
    )
    return claim


@transaction.atomic
def finance_end(member: Membership, claim_id: int, version: int, act: str, comment: str) -> Claim:
    """Finance sends the claim back or turns it down, with a reason."""
    if len(comment.strip()) < 3:
        raise Refusal(say("Say why, so that the traveller knows what to do."), "comment")
    claim = finance_claim(member, claim_id, version)
    if claim.state == "In sign-off":
        raise Stale(say("The claim is still being signed off: it comes to finance when all have signed."))
    must_not_be_on_its_way(claim)
    signoff.remark(member, claim.subject, comment)
    ended(member, claim, act, comment.strip())
    return claim
