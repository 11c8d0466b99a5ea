"""Reads about claims."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date
from functools import cached_property
from typing import Any

from django.db.models import Case, CharField, Exists, OuterRef, QuerySet, Value, When
from django.db.models.functions import Cast, Concat

from wainwright import clock
from wainwright.accounts.models import Payment
from wainwright.accounts.selectors import Books, books, budget_effects
from wainwright.claims.figures import ClaimFigures, claim_subject, figures, journal_for
from wainwright.claims.models import Claim
from wainwright.core.budget import BudgetEffect
from wainwright.core.coding import check_coding
from wainwright.core.money import Money
from wainwright.core.posting import Journal
from wainwright.core.routing import Route, work_out_route
from wainwright.core.rules import Cure, Finding, Level, run
from wainwright.expenses.models import Expense
from wainwright.expenses.selectors import known_like, with_evidence
from wainwright.people.models import Membership
from wainwright.people.selectors import signers
from wainwright.rulebook.selectors import Explained, Rulebook, rulebook, with_reasons
from wainwright.trips.earnings import AllowanceFacts, allowance_of
from wainwright.trips.models import Trip


@dataclass(frozen=True)
class Certified:
    """A reason as it was certified, in the shape of the row it came from."""

    reason: str
    words: str


@dataclass(frozen=True)
class ClaimFile:
    """A claim with everything that follows from it."""

    claim: Claim
    book: Rulebook
    books: Books
    expenses: list[Expense]
    allowance: AllowanceFacts
    figures: ClaimFigures
    findings: list[Explained]
    route: Route = field(default_factory=lambda: Route(()))

    @cached_property
    def in_the_way(self) -> int:
        """How many findings still stand in the way."""
        return sum(each.open for each in self.findings)

    @cached_property
    def journal(self) -> Journal:
        """How it will post."""
        return journal_for(self.claim, self.figures, self.books)

    @cached_property
    def budgets(self) -> list[BudgetEffect]:
        """The budgets it touches; what its trip committed is given back by it, so it is left out."""
        committed_by = self.claim.trip.subject if self.claim.trip else self.claim.subject
        day = self.allowance.ends or clock.day_of(self.claim.created, self.claim.firm.zone)
        return budget_effects(self.claim.firm, day.year, self.figures.by_code, committed_by)

    @property
    def out_of_line(self) -> list[tuple[Any, list[Explained]]]:
        """Lines with their findings, what is out of line first, then what agrees, each by date."""
        by_line: dict[str, list[Explained]] = {}
        for each in self.findings:
            lines = {self._line_of(target) for target in (each.finding.target, *each.finding.also)}
            for line in lines:
                by_line.setdefault(line, []).append(each)
        rows = [(line, by_line.get(line.key, [])) for line in self.figures.lines]
        rank = {Level.STOP: 0, Level.EXPLAIN: 1, Level.NOTE: 3}

        def order(row: tuple[Any, list[Explained]]) -> tuple[int, date]:
            line, found = row
            worst = min((rank[each.finding.level] for each in found), default=4)
            return min(worst, 2 if not line.agrees else 4), line.day

        return sorted(rows, key=order)

    def _line_of(self, target: str) -> str:
        """The line a finding's target stands on; a night stands on the expense that pays it."""
        if target.startswith("night:"):
            day = target.partition(":")[2]
            return next((e.key for e in self.expenses if day in e.nights), target)
        return target


def load_file(member: Membership, claim: Claim) -> ClaimFile:
    """Load a claim's file: live while it is open, as certified once it is sent. The caller has checked who may see it."""
    book, ledger = rulebook(claim.firm), books(claim.firm)
    expenses = list(with_evidence(claim.expenses.all()))
    trip = claim.trip
    plan = trip.plan if trip else {}
    advance = trip.advance if trip and trip.advance_paid else Money.zero(claim.currency)
    if not claim.editable:
        kept = claim.certified
        facts = AllowanceFacts(
            Money.from_minor(kept.get("allowance", 0), claim.currency), tuple(kept.get("allowance_lines", ())), (),
            trip.ends if trip else None,
        )  # fmt: skip
        done = figures(claim, expenses, facts, advance, book, ledger, plan)
        return ClaimFile(claim, book, ledger, expenses, facts, done, [_thawed(row) for row in kept.get("findings", ())])
    facts = allowance_of(trip, book, claim.currency)
    done = figures(claim, expenses, facts, advance, book, ledger, plan)
    today = clock.today(claim.firm.zone)
    subject = claim_subject(
        claim,
        expenses,
        done,
        facts,
        known_like(
            claim.firm_id,
            claim.currency,
            {e.date for e in expenses},
            {e.amount_minor for e in expenses},
            [e.pk for e in expenses],
        ),
        book,
        today,
    )
    found = run(subject, book.settings)
    people = signers(claim.firm_id, today)
    route = work_out_route(str(claim.claimant_id), done.total, done.by_code, people, ledger.owned)
    own = _own_findings(claim, expenses, done, ledger, route)
    return ClaimFile(claim, book, ledger, expenses, facts, done, with_reasons(claim.subject, [*own, *found]), route)


def _own_findings(
    claim: Claim, expenses: list[Expense], done: ClaimFigures, ledger: Books, route: Route
) -> list[Finding]:
    """Stops that are no rule of the firm's: nothing on it, a coding the ledger would refuse, nobody to sign."""

    def stop(code: str, target: str, text: str, cure: str) -> Finding:
        return Finding(f"{code}@{target}", code, Level.STOP, text, "", Cure(cure, target), target)

    found = []
    if not done.lines:
        found.append(stop("empty", claim.subject, "Nothing is on the claim yet.", "Put expenses in"))
    day = clock.today(claim.firm.zone)
    said: set[str] = set()
    for fault in check_coding(claim.coding, ledger.codes, day):
        said.add(fault.text)
        found.append(stop(f"coding-{fault.code}-{fault.dimension}", claim.subject, fault.text, "Change the coding"))
    for expense in expenses:
        codings = [share.as_core(claim.coding).coding for share in expense.shares.all()] or [
            expense.coding.filled_from(claim.coding)
        ]
        codings += [part.coding.filled_from(codings[0]) for part in expense.parts.all() if part.coding]
        for coding in codings:
            for fault in check_coding(coding, ledger.codes, day):
                if fault.text not in said:
                    said.add(fault.text)
                    text = f"{expense.label}: {fault.text}"
                    found.append(stop(f"coding-{fault.code}-{fault.dimension}", expense.key, text, "Change the coding"))
    found += [stop("route", claim.subject, fault, "See the route") for fault in route.faults]
    return found


def frozen(file: ClaimFile) -> dict[str, Any]:
    """Return what is certified with a claim, as data: allowance, what is allowed, findings with their reasons."""
    return {
        "allowance": file.allowance.amount.minor,
        "allowance_lines": list(file.allowance.lines),
        "allows": {str(line.expense.pk): [line.allows.minor, line.allows_by] for line in file.figures.lines if line.expense},
        "findings": [
            {
                "identity": each.finding.identity, "rule": each.finding.rule, "level": each.finding.level.value,
                "text": each.finding.text, "rule_text": each.finding.rule_text, "target": each.finding.target,
                "also": list(each.finding.also), "cure": each.finding.cure.label,
                "reason": each.reason.reason if each.reason else "", "words": each.reason.words if each.reason else "",
            }
            for each in file.findings
        ],
    }  # fmt: skip


def _thawed(row: dict[str, Any]) -> Explained:
    finding = Finding(
        row["identity"], row["rule"], Level(row["level"]), row["text"], row["rule_text"], Cure(row["cure"], row["target"]),
        row["target"], None, tuple(row["also"]),
    )  # fmt: skip
    return Explained(finding, Certified(row["reason"], row["words"]) if row["words"] else None)  # type: ignore[arg-type]


def claims_of(member: Membership) -> QuerySet[Claim]:
    """Return a person's own claims, the latest first."""
    return Claim.objects.filter(claimant=member).select_related("trip").order_by("-id")


def claim_for(member: Membership, claim_id: int) -> Claim:
    """Return a claim that ``member`` may see. Raises ``Claim.DoesNotExist``."""
    return (
        Claim.objects.visible_to(member)
        .select_related("firm", "claimant__person", "claimant__firm", "trip__traveller__person", "cleared_by__person")
        .get(pk=claim_id)
    )


def to_check(member: Membership) -> QuerySet[Claim]:
    """Return what waits for finance: the refused first, then the longest; never the reviewer's own."""
    return (
        Claim.objects.filter(firm_id=member.firm_id, state__in=["Posting refused", "In finance check", "Cleared"])
        .exclude(claimant=member)
        .select_related("claimant__person")
        .order_by(Case(When(state="Posting refused", then=0), default=1), "sent", "id")
    )


def payable(member: Membership) -> QuerySet[Claim]:
    """Return the posted claims of the firm that are owed to their claimants and not under way to the bank."""
    return (
        Claim.objects.filter(firm_id=member.firm_id, state="Posted", due_minor__gt=0)
        .select_related("claimant__person", "claimant__firm")
        .order_by("sent", "id")
    )


def advances_to_pay(member: Membership) -> QuerySet[Trip]:
    """Return the trips of the firm whose advance was authorised and is not paid yet, nor set off by a claim already sent."""
    under_way = Payment.objects.filter(subject=Concat(Value("advance:"), Cast(OuterRef("pk"), CharField()))).exclude(
        state="Failed"
    )
    return (
        Trip.objects.filter(
            firm_id=member.firm_id, state__in=["Authorised", "Under way"], advance_minor__gt=0, advance_paid=False
        )
        .exclude(Exists(under_way))
        .select_related("traveller__person", "traveller__firm")
        .order_by("starts", "id")
    )
