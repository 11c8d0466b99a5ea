"""Reads about claims."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from decimal import Decimal
from functools import cached_property
from typing import Any

from django.db.models import Case, Exists, OuterRef, QuerySet, When

from wainwright import clock
from wainwright.accounts.models import Posting
from wainwright.accounts.selectors import Books, books, budget_effects, journal_of, supplier_of
from wainwright.claims.beside import Beside, beside
from wainwright.claims.facts import claim_subject
from wainwright.claims.figures import lines_of
from wainwright.claims.lodging import lodged, nights_billed
from wainwright.claims.models import Claim
from wainwright.claims.own_findings import own_findings
from wainwright.claims.statements import findings_of, read
from wainwright.core.asking import Facts, asked
from wainwright.core.budget import BudgetEffect
from wainwright.core.coding import Coding
from wainwright.core.money import Money, add_up
from wainwright.core.posting import Journal, claim_journal
from wainwright.core.routing import Route, Signer, finance_faults, work_out_route
from wainwright.core.rules import Level, run
from wainwright.core.rules.facts import Known
from wainwright.core.splits import SplitPart
from wainwright.core.statement import Line, Statement
from wainwright.expenses.elsewhere import known_like
from wainwright.expenses.models import Expense
from wainwright.expenses.selectors import evidence_of
from wainwright.people.models import Membership
from wainwright.people.selectors import signers
from wainwright.prepared import prepared
from wainwright.rulebook.selectors import Explained, Rulebook, groups_of, rulebook, with_reasons
from wainwright.trips.earnings import allowance_of, together
from wainwright.trips.selectors import WHOLE
from wainwright.visible import visible_row

# In these there may be a journal of it, whoever cleared it.
POSTING = ("Cleared", "Posting refused", "Posted", "Settled")


@dataclass(frozen=True)
class ClaimFile:
    """A claim with everything that follows from it: live while it is open, read from its statement once it is sent."""

    claim: Claim
    book: Rulebook
    books: Books
    figures: Statement
    findings: list[Explained]
    budget_day: date
    route: Route = field(default_factory=lambda: Route(()))
    expenses: Sequence[Expense] = ()
    beside: Beside | None = None

    @cached_property
    def in_the_way(self) -> int:
        """How many findings still stand in the way."""
        return sum(each.open for each in self.findings)

    @property
    def allowance(self) -> Money:
        """The daily allowance on it."""
        return self.figures.settlement.sums.allowance

    @property
    def allowance_workings(self) -> tuple[str, ...]:
        """How the daily allowance came about."""
        return next((line.workings for line in self.figures.lines if line.kind == "allowance"), ())

    @cached_property
    def journal(self) -> Journal:
        """How it will post."""
        return journal_for(self.claim, self.figures, self.books)

    @cached_property
    def budgets(self) -> list[BudgetEffect]:
        """The budgets it touches; what its trips committed is given back by it, so it is left out."""
        claim = self.claim
        spent = claim.state in ("Posted", "Settled")
        subjects = [claim.subject] if spent or not claim.trips else [trip.subject for trip in claim.trips]
        return budget_effects(claim.firm, claim.firm.year_of(self.budget_day), self.figures.by_code, *subjects)

    @cached_property
    def codings(self) -> dict[Coding, tuple[Money, int]]:
        """What each coding bears, without its account: cost without tax that comes back, and on how many lines."""
        found: dict[Coding, tuple[Money, int]] = {}
        for line in self.figures.lines:
            # A line may fall into pieces of one coding, as a bill of two rates does: it is still one line.
            pieces = ((piece.coding.with_account(""), piece.net) for piece in line.coded if not piece.personal)
            for own, net in add_up(pieces).items():
                amount, count = found.get(own, (Money.zero(self.claim.currency), 0))
                found[own] = (amount + net, count + 1)
        return found

    @property
    def on_default(self) -> Money:
        """What still stands on the claim's own coding, where others bear something too."""
        amount, _ = self.codings.get(self.claim.coding, (Money.zero(self.claim.currency), 0))
        return amount if len(self.codings) > 1 else Money.zero(self.claim.currency)

    @property
    def coding_pieces(self) -> list[SplitPart]:
        """Its codings with their shares, for the small divided bar."""
        whole = sum(amount.minor for amount, _ in self.codings.values())
        rows = [(coding, amount) for coding, (amount, _) in self.codings.items() if amount.minor > 0]
        return [SplitPart(coding, Decimal(amount.minor) * 100 / whole) for coding, amount in rows] if whole > 0 else []

    @property
    def by_day(self) -> list[Line]:
        """Its lines by day, as its document numbers them and stamps their papers."""
        return sorted(self.figures.lines, key=lambda line: line.day)

    @property
    def out_of_line(self) -> list[tuple[Line, list[Explained]]]:
        """Lines with their findings, what is out of line first, then what agrees, each by date."""
        by_line: dict[str, list[Explained]] = {}
        for each in self.findings:
            lines = {self._line_of(target) for target in (each.finding.target, *each.finding.also)}
            for line in lines:
                by_line.setdefault(line, []).append(each)
        rows = [(line, by_line.get(line.key, [])) for line in self.figures.lines]
        rank = {Level.STOP: 0, Level.EXPLAIN: 1, Level.NOTE: 3}

        def order(row: tuple[Line, list[Explained]]) -> tuple[int, date]:
            line, found = row
            worst = min((rank[each.finding.level] for each in found), default=4)
            return min(worst, 2 if not line.agrees else 4), line.day

        return sorted(rows, key=order)

    def _line_of(self, target: str) -> str:
        """The line a finding's target stands on; a night stands on the expense that pays it."""
        if target.startswith("night:"):
            night = target.partition(":")[2]
            return next((line.key for line in self.figures.lines if night in line.nights), target)
        return target


def journal_for(claim: Claim, done: Statement, ledger: Books) -> Journal:
    """Return the journal a claim will post, under its key."""
    journal = claim_journal(claim.journal_key, done.post_lines, done.settlement, ledger.accounts)
    return journal.naming(supplier_of(claim.claimant), (*ledger.accounts.of_staff, ledger.accounts.advances))


def load_file(member: Membership, claim: Claim) -> ClaimFile:
    """Load a claim's file: live while it is open, its newest statement once it is sent. The caller has checked who may see it."""
    book, ledger = rulebook(claim.firm), books(claim.firm)
    if not claim.editable and claim.statement is not None:
        done, found = read(claim.statement, claim.currency), findings_of(claim.statement)
        return ClaimFile(claim, book, ledger, done, found, claim.statement.budget_day)
    return live_file(claim)


def live_file(claim: Claim) -> ClaimFile:
    """Work a claim out as it would be now, whatever was certified of it."""
    book, ledger = rulebook(claim.firm), books(claim.firm)
    expenses = evidence_of(claim.pk)
    for expense in expenses:
        expense.claim = claim
    others = beside(claim)
    # What was called off was not travelled: nights and days away earn nothing, what was spent is spent.
    travelled = [trip for trip in claim.trips if trip.state != "Called off"]
    facts = together([allowance_of(trip, book, claim.currency) for trip in travelled or [None]])
    stays = lodged(expenses, facts, book)
    billed = nights_billed(claim, expenses, facts, book) if book.pays_flat else ()
    done = Statement.of(lines_of(claim, expenses, stays, facts, book, ledger, others, billed), others.advance)
    if done.settlement.due.minor > 0:
        done = done.less(others.taken_from(done.settlement.due))
    if claim.to_issuer_minor and claim.issuer_card is not None:
        part = Money.from_minor(claim.to_issuer_minor, claim.currency)
        done = done.sending(part, done.charged_to(str(claim.issuer_card)))
    today = clock.today(claim.firm.zone)
    known = known_beside(claim, expenses)
    rules = book.rules_for(claim.claimant)
    found_by_rule = run(claim_subject(claim, expenses, stays, facts, known, book, rules, today), rules)
    people = signers(claim.firm_id, today)
    places = {night.night.place.country for night in facts.nights} | {expense.country for expense in expenses}
    asking = facts_of(claim, done, book, today, places, {each.rule for each in found_by_rule})
    route = route_of(claim, done, people, ledger, book, asking)
    route = replace(route, faults=(*route.faults, *finance_faults(str(claim.claimant_id), people)))
    own = own_findings(claim, expenses, done, ledger, route, facts)
    day = facts.ends or clock.day_of(claim.created, claim.firm.zone)
    return ClaimFile(
        claim, book, ledger, done, with_reasons(claim.subject, [*own, *found_by_rule]), day, route, expenses, others
    )


def known_beside(claim: Claim, expenses: Sequence[Expense]) -> list[Known]:
    """Return the costs recorded elsewhere that may be the same as some of a claim. Two queries at most."""
    return known_like(
        claim.firm_id, claim.currency, {(e.date, e.amount_minor) for e in expenses}, [e.pk for e in expenses],
        {receipt.sha256 for e in expenses for receipt in e.receipts.all()},
    )  # fmt: skip


def facts_of(
    claim: Claim, done: Statement, book: Rulebook, day: date, countries: Iterable[str], found: Collection[str]
) -> Facts:  # fmt: skip
    """Return what the route of a claim depends on; ``found`` are the codes of the rules that speak on it."""
    by_category = add_up((line.category, line.says) for line in done.lines if line.category)
    groups = groups_of(claim.claimant, book.names_countries)
    return Facts(
        "claim", done.total, day, by_category, done.by_code, frozenset(countries) - {""}, groups, frozenset(found)
    )


def route_of(
    claim: Claim, done: Statement, people: Mapping[str, Signer], ledger: Books, book: Rulebook, asking: Facts
) -> Route:
    """Return who must sign a claim: the usual road, and whom the firm's rules of the route ask as well."""
    return work_out_route(
        str(claim.claimant_id), done.total, done.by_code, people, ledger.owned, asked(book.asks, asking)
    )


EARLIER, CLAIMS_SHOWN = 12, 25


def earlier_of(member: Membership, claim: Claim) -> list[Claim]:
    """Return the claims of the same person that ``member`` may see and that were sent before, the latest dozen. One query."""
    rows = (
        Claim.objects.visible_to(member).live().filter(claimant=claim.claimant_id, sent__isnull=False, pk__lt=claim.pk)
    )
    return list(rows.select_related("statement").defer("statement__workings").order_by("-pk")[:EARLIER])


def claims_of(member: Membership) -> QuerySet[Claim]:
    """Return a person's own claims, the latest first."""
    return _own(member.pk)


@prepared
def newest_of(claimant: int) -> QuerySet[Claim]:
    """The first page of them, and one more: put together once."""
    return _own(claimant)[: CLAIMS_SHOWN + 1]


def _own(claimant: int) -> QuerySet[Claim]:
    return Claim.objects.filter(claimant_id=claimant).select_related("trip", "statement").order_by("-id")


def claim_for(member: Membership, claim_id: int) -> Claim:
    """Return a claim that ``member`` may see. Raises ``Claim.DoesNotExist``."""
    claim = _whole(member, claim_id)
    if claim is None:
        raise Claim.DoesNotExist
    # A claimant is of the claim's firm: one row serves both.
    claim.claimant.firm = claim.firm
    return claim


@visible_row
def _whole(who: Any) -> QuerySet[Claim]:
    """A claim with all that its page says of it."""
    around = ("firm", "claimant__person", "claimant__supplier", "trip__traveller__person", "trip__signed", "cleared_by__person", "statement")  # fmt: skip
    has = Exists(Claim.also.through.objects.filter(claim_id=OuterRef("pk")))
    rows = Claim.objects.visible_to(who).select_related(*around)
    return rows.defer(*(f"trip__{name}" for name in WHOLE)).annotate(has_also=has)


def planned_of(claim: Claim) -> Money | None:
    """Return what was authorised for the trip of a claim when it was sent, nothing where nothing had to be."""
    row = claim.statement
    return Money.from_minor(row.planned_minor, claim.currency) if row and row.planned_minor is not None else None


def posting_of(claim: Claim) -> Posting | None:
    """Return the journal of a claim that was cleared, of its current entry. One query at most."""
    return postings_of(claim)[0]


def postings_of(claim: Claim) -> tuple[Posting | None, Posting | None]:
    """Return the journal of a claim's current entry, and the reversal that was asked of the ledger. One query at most."""
    if not (claim.cleared_by_id or claim.state in POSTING):
        return None, None
    keys = claim.journal_key, claim.reversal_key
    found = {row.key: row for row in _postings(claim.firm_id, *keys)}
    return found.get(keys[0]), found.get(keys[1])


@prepared
def _postings(firm: int, own: str, reversal: str) -> QuerySet[Posting]:
    return Posting.objects.filter(firm_id=firm, key__in=[own, reversal]).select_related("firm")


def posted_journal(posting: Posting | None) -> Journal | None:
    """Return a journal that stands in the ledger, as it was entered; nothing for one that does not."""
    return journal_of(posting) if posting is not None and posting.state == Posting.State.ENTERED else None


def to_check(member: Membership) -> QuerySet[Claim]:
    """Return what waits for finance: the refused first, then the longest; never the reviewer's own."""
    return (
        Claim.objects.filter(firm_id=member.firm_id, state__in=["Posting refused", "In finance check", "Cleared"])
        .exclude(claimant=member)
        .select_related("claimant__person", "statement")
        .order_by(Case(When(state="Posting refused", then=0), default=1), "sent", "id")
    )
