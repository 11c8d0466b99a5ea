"""Reads about codes, budgets, journals and payments."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property, lru_cache

from django.db.models import Count, Exists, OuterRef, Q, QuerySet, Sum

from wainwright import clock
from wainwright.accounts.models import Budget, Code, CodingKept, CodingPart, FirmAccounts, PayRun, Posting, PostingLine
from wainwright.accounts.models import Dimension as Dimension_
from wainwright.core.budget import Budget as CoreBudget
from wainwright.core.budget import BudgetEffect
from wainwright.core.coding import ACCOUNT, CodeBook, Coding, Dimension
from wainwright.core.coding import Code as CoreCode
from wainwright.core.matching import plain_merchant
from wainwright.core.money import Money, add_up
from wainwright.core.picking import PickList, folded
from wainwright.core.posting import Accounts, Entry, Journal
from wainwright.core.routing import Owned
from wainwright.core.said import joined, say
from wainwright.errors import Refusal
from wainwright.people.models import Firm, Membership

# No more journals than these are found by their lines.
FEW_JOURNALS = 5000
# What is known of the ledger for longer may be wrong by now.
OLD = timedelta(days=7)


@dataclass(frozen=True)
class Books:
    """A firm's codes, their owners and its accounts, loaded at once."""

    codes: CodeBook
    owned: tuple[Owned, ...]
    accounts: Accounts
    allowance_account: str
    mileage_account: str
    known_as_of: datetime | None = None

    @property
    def old(self) -> bool:
        """Whether what is known of the ledger is so old that what is checked against it may be wrong."""
        return self.known_as_of is not None and self.known_as_of < clock.now() - OLD

    @property
    def dimensions(self) -> tuple[Dimension, ...]:
        """The firm's dimensions, in their order."""
        return self.codes.dimensions

    def picks(self, dimension: str) -> PickList:
        """The codes of a dimension, or of another kind (accounts, customers), for choosing."""
        return self._picks.get(dimension) or PickList(())

    @cached_property
    def account_names(self) -> list[tuple[str, str]]:
        """The ledger's accounts by code, each with its name, for lists."""
        return sorted((code, each.name) for (kind, code), each in self.codes.codes.items() if kind == ACCOUNT)

    @cached_property
    def _picks(self) -> dict[str, PickList]:
        rows: dict[str, list[tuple[str, str]]] = {}
        for (dimension, code), each in self.codes.codes.items():
            rows.setdefault(dimension, []).append((code, each.name))
        return {dimension: PickList.of(found) for dimension, found in rows.items()}


def read_coding(text: str, ledger: Books) -> Coding:
    """Find a coding in one box: codes parted by "/", each by its code or by any part of its name that only one has.

    Raises ``Refusal`` naming the piece that fits nothing, or several.
    """
    found: dict[str, str] = {}
    for piece in filter(None, (piece.strip() for piece in text.split("/"))):
        all_fits = [(each.code, code) for each in ledger.dimensions for code in ledger.picks(each.code).find(piece)]
        fits = [pair for pair in all_fits if folded(pair[1]) == folded(piece)] or all_fits
        if len(fits) != 1:
            names = joined(", ", (ledger.picks(dimension).words(code) for dimension, code in fits[:4]))
            raise Refusal(
                f"“{piece[:40]}” "
                + (say("fits several codes: {names}.", names=names) if fits else say("fits no code."))
            )
        dimension, code = fits[0]
        found[dimension] = code
    return ledger.codes.ordered(found)


def books(firm: Firm) -> Books:
    """Return a firm's books: three queries at first, none while its version stays the same."""
    return _books(firm.pk, firm.rules_version)


@lru_cache(maxsize=64)
def _books(firm_id: int, _version: str) -> Books:
    row = FirmAccounts.objects.select_related("firm").get(firm_id=firm_id)
    firm = row.firm
    # A ledger may have tens of thousands of codes: plain rows, not models.
    fields = ("dimension", "code", "name", "open_from", "open_until", "asks_for", "parent")
    rows = Code.objects.filter(firm=firm).values_list(*fields, "owner_id", "threshold_minor")
    codes, owned = [], []
    for *what, asks_for, parent, owner, threshold in rows:
        codes.append(CoreCode(firm.slug, *what, tuple(asks_for), parent))
        if owner:
            own = Owned(*what[:3], str(owner), Money.from_minor(threshold, firm.currency))
            owned.append(own)
    dimensions = [each.as_core() for each in Dimension_.objects.filter(firm=firm)]
    accounts = Accounts(
        row.owed_to_staff,
        row.owed_by_staff,
        row.card_clearing,
        row.prepaid_travel,
        row.advances,
        row.input_tax,
        row.bank,
        row.suppliers,
        row.card_issuers,
        row.differences,
    )
    return Books(
        CodeBook.of(firm.slug, codes, dimensions), tuple(owned), accounts, row.allowance, row.mileage, row.known_as_of
    )


def by_code(amounts: Iterable[tuple[Coding, Money]]) -> dict[tuple[str, str], Money]:
    """Add amounts up by (dimension, code)."""
    return add_up((part, amount) for coding, amount in amounts for part in coding.parts().items())


def budget_effects(
    firm: Firm, year: int, amounts: Mapping[tuple[str, str], Money], *subjects: str
) -> list[BudgetEffect]:
    """Return each budget that ``amounts`` touch, before and after; what ``subjects`` use already is left out.

    One query, whatever the number of codes.
    """
    wanted = Q(pk__in=[])
    for dimension, code in amounts:
        wanted |= Q(dimension=dimension, code=code)
    others = ~Q(uses__subject__in=subjects)
    rows = Budget.objects.filter(wanted, firm=firm, year=year).annotate(
        committed=Sum("uses__committed_minor", filter=others, default=0),
        actual=Sum("uses__actual_minor", filter=others, default=0),
    )
    effects = []
    for row in rows.order_by("dimension", "code"):
        money = [Money.from_minor(n, firm.currency) for n in (row.amount_minor, row.committed, row.actual)]
        effects.append(BudgetEffect(CoreBudget(row.code, row.year, *money), amounts[row.dimension, row.code]))
    return effects


def supplier_of(member: Membership) -> str:
    """Return the code under which the ledger keeps a person as a supplier, nothing where it does not. One query at most."""
    row = getattr(member, "supplier", None)
    return row.code if row is not None else ""


def supplier_of_merchant(firm: Firm, merchant: str) -> str:
    """Return the code of the supplier that a merchant is, nothing where nobody has said. One query."""
    plain = plain_merchant(merchant)[:120]
    return (
        firm.suppliers.filter(merchants__merchant=plain).values_list("code", flat=True).first() or "" if plain else ""
    )


def postings(firm: Firm) -> QuerySet[Posting]:
    """Return a firm's journals, newest first."""
    return Posting.objects.filter(firm=firm).order_by("-time")


@dataclass(frozen=True)
class Coded:
    """What of a firm's ledger carries every code of a coding: how many journals, the newest first, and what its lines come to."""

    journals: QuerySet[Posting]
    count: int
    sums: dict[str, dict[str, int]]


def coded_so(firm: Firm, coding: Coding) -> Coded:
    """Return the journals with a line that carries every code of a coding; ``sums`` are debits less credits, in whole minor units, of what
    the ledger entered, by dimension and code. Five queries, from indexes alone where they read much.
    """
    kept = CodingKept.objects.filter(firm=firm)
    for dimension, code in coding.codes:
        kept = kept.filter(parts__dimension=dimension, parts__code=code)
    keys = list(kept.values_list("pk", flat=True))
    lines = PostingLine.objects.filter(kept__in=keys).order_by()
    count = lines.aggregate(n=Count("posting", distinct=True))["n"]
    # Few are found by their lines; of many the newest are found soonest by walking down the journals.
    few = Q(pk__in=lines.values("posting")) if count <= FEW_JOURNALS else Exists(lines.filter(posting=OuterRef("pk")))
    amount = Sum("debit_minor") - Sum("credit_minor")
    by_key = dict(lines.values_list("kept").annotate(s=amount))
    # What the ledger has not entered is little: it is taken off again, so that the many need no look at their journals.
    waiting = lines.filter(posting__firm=firm, posting__state__in=[Posting.State.SENDING, Posting.State.REFUSED])
    for key, minor in waiting.values_list("kept").annotate(s=amount):
        by_key[key] -= minor
    sums: dict[str, dict[str, int]] = {}
    for key, dimension, code in CodingPart.objects.filter(coding__in=keys).values_list("coding", "dimension", "code"):
        if key in by_key:
            of = sums.setdefault(dimension, {})
            of[code] = of.get(code, 0) + by_key[key]
    return Coded(postings(firm).filter(few), count, {name: dict(sorted(of.items())) for name, of in sums.items()})


def lines_of(posting: Posting) -> list[PostingLine]:
    """Return the lines of a journal in order."""
    return list(posting.lines.all())


def journal_of(posting: Posting) -> Journal:
    """Return a kept journal as the core knows it."""
    entries = tuple(
        Entry(
            line.coding.with_account(line.account), Money.from_minor(line.debit_minor, posting.currency),
            Money.from_minor(line.credit_minor, posting.currency), line.text, line.party,
        )
        for line in posting.lines.all()
    )  # fmt: skip
    return Journal(posting.key, posting.currency, entries)


def pay_runs(firm: Firm) -> QuerySet[PayRun]:
    """Return a firm's pay runs, newest first, without their files."""
    return PayRun.objects.filter(firm=firm).defer("file").order_by("-time")
