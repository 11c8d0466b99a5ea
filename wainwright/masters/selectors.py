"""Reads of masters: what is known, what of it is in use and where, and what still has to be connected, gaps first."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date
from urllib.parse import urlencode

from django.db.models import Count, F, Q
from rapidfuzz import fuzz

from wainwright import clock
from wainwright.accounts.models import Budget, Code, FirmAccounts
from wainwright.bookings.models import Booking
from wainwright.claims.models import Claim
from wainwright.core.masters import ACCOUNT, BANK, SUPPLIER, TAX, Master
from wainwright.core.matching import plain_merchant
from wainwright.core.said import joined, say, say_many
from wainwright.expenses.models import Expense
from wainwright.masters.models import LedgerBank, MerchantSupplier, Supplier
from wainwright.people.models import Card, Firm, Membership
from wainwright.reconciling.models import BankAccount
from wainwright.rulebook.models import TaxCode
from wainwright.rulebook.selectors import from_now
from wainwright.trips.models import Trip

ALIKE = 88
MOST_MERCHANTS = 50


def known(firm: Firm) -> list[Master]:
    """Return every master that is known here. Four queries."""
    fields = ("dimension", "code", "name", "open_from", "open_until", "asks_for", "parent")
    found = [
        Master(*what, tuple(asks_for), parent)
        for *what, asks_for, parent in Code.objects.filter(firm=firm).values_list(*fields)
    ]
    found += [
        Master(SUPPLIER, row.code, row.name, None, row.open_until, iban=row.iban, tax_number=row.tax_number)
        for row in Supplier.objects.filter(firm=firm)
    ]
    found += [
        Master(BANK, row.code, row.name, None, row.open_until, parent=row.account, iban=row.iban)
        for row in LedgerBank.objects.filter(firm=firm)
    ]
    found += [
        Master(
            TAX, row.code, row.name, row.open_from, row.open_until, country=row.country, rate=row.rate, share=row.share
        )
        for row in TaxCode.objects.filter(firm=firm)
    ]
    return found


# In what a code is in use, and how often, in words.
_COUNTED: dict[str, Callable[[int], str]] = {
    "people": lambda number: say_many("{count} person's usual coding", "{count} people's usual coding", number),
    "trips": lambda number: say_many("{count} open trip", "{count} open trips", number),
    "claims": lambda number: say_many("{count} open claim", "{count} open claims", number),
    "costs": lambda number: say_many("{count} cost not posted", "{count} costs not posted", number),
    "budgets": lambda number: say_many("{count} budget", "{count} budgets", number),
}


def in_use(firm: Firm) -> dict[tuple[str, str], list[str]]:
    """Return where each code is in use: categories, accounts of the firm, people's usual coding, open trips and claims, budgets, cards. Eight queries."""
    found: dict[tuple[str, str], list[str]] = defaultdict(list)
    for category in from_now(firm, clock.today(firm.zone)):
        for account in {category.account, *(each["account"] for each in category.accounts_if)}:
            found[ACCOUNT, account].append(say("category {category}", category=category.name))
        for code in set(category.tax_codes.values()):
            found[TAX, code].append(say("category {category}", category=category.name))
    row = FirmAccounts.objects.filter(firm=firm).first()
    for name, account in row.named.items() if row is not None else ():
        found[ACCOUNT, account].append(say("the firm's account of {replace}", replace=name.replace("_", " ")))
    for account in (
        Card.objects.filter(owner__firm=firm, closed__isnull=True)
        .exclude(account="")
        .values_list("account", flat=True)
        .distinct()
    ):
        found[ACCOUNT, account].append(say("clearing account of a card"))
    counted: dict[tuple[str, str], dict[str, int]] = defaultdict(lambda: defaultdict(int))
    for what, rows in (
        ("people", Membership.objects.filter(firm=firm, active=True)), ("trips", Trip.objects.filter(firm=firm).exclude(state__in=Trip.OVER)),
        ("claims", Claim.objects.filter(firm=firm).exclude(state__in=[*Claim.OVER, "Settled", "Posted"])),
        ("costs", Expense.objects.filter(firm=firm).exclude(codes=[]).exclude(claim__state__in=["Posted", "Settled"])),
    ):  # fmt: skip
        for codes in rows.values_list("codes", flat=True):
            for dimension, code in codes:
                counted[dimension, code][what] += 1
    for dimension, code in Budget.objects.filter(firm=firm).values_list("dimension", "code").distinct():
        counted[dimension, code]["budgets"] += 1
    for key, of in counted.items():
        found[key] += [_COUNTED[what](number) for what, number in of.items()]
    return found


@dataclass(frozen=True)
class Proposal:
    """What is proposed for a gap: the code, how it is called, and why."""

    code: str
    name: str
    why: str


@dataclass(frozen=True)
class Gap:
    """Something that is not connected, or to what is closed by now: what it is, why it hurts, what is proposed.

    ``leads``: what the form that mends it knows already, as the query of its address.
    """

    kind: str
    key: str
    name: str
    why: str
    proposal: Proposal | None = None
    leads: str = ""


def gaps(firm: Firm, day: date) -> list[Gap]:
    """Return what has to be connected, before it hurts: categories, cards, people, merchants. Fourteen queries."""
    codes = {row.code: row for row in Code.objects.filter(firm=firm, dimension=ACCOUNT)}
    open_accounts = {code: row for code, row in codes.items() if not (row.open_until and row.open_until < day)}
    return [
        *_firm(firm, open_accounts, codes),
        *_categories(firm, open_accounts, codes, day),
        *_cards(firm, open_accounts),
        *_banks(firm, day),
        *_people(firm, day),
        *_merchants(firm, day),
    ]


def _firm(firm: Firm, open_accounts: dict[str, Code], codes: dict[str, Code]) -> list[Gap]:
    """Accounts of the firm that the ledger has closed or does not have: nothing that stands on them can be posted."""
    row = FirmAccounts.objects.filter(firm=firm).first()
    return [
        Gap("firm", name, name.replace("_", " ").capitalize(), (say("account {account} is closed", account=account) if account in codes else say("account {account} is not in the ledger", account=account)))
        for name, account in (row.named.items() if row is not None else ())
        if account not in open_accounts
    ]  # fmt: skip


def _categories(firm: Firm, open_accounts: dict[str, Code], codes: dict[str, Code], day: date) -> list[Gap]:
    found, seen = [], set()
    for category in from_now(firm, day).order_by("order", "name", F("since").asc(nulls_first=True)):
        if category.account in open_accounts or category.draft or category.code in seen:
            continue
        seen.add(category.code)
        why = (
            say("it posts to no account")
            if not category.account
            else (
                say("account {account} is closed", account=category.account)
                if category.account in codes
                else say("account {account} is not in the ledger", account=category.account)
            )
        )
        best = max(
            ((fuzz.token_set_ratio(category.name, row.name), row) for row in open_accounts.values()),
            key=lambda each: each[0],
            default=None,
        )
        proposal = Proposal(best[1].code, best[1].name, say("its name is alike")) if best and best[0] >= ALIKE else None
        found.append(Gap("category", category.code, category.name, why, proposal))
    return found


def _cards(firm: Firm, open_accounts: dict[str, Code]) -> list[Gap]:
    """Cards of the firm whose clearing account is no open account, or that no bank account mirrors."""
    usual = FirmAccounts.objects.filter(firm=firm).values_list("card_clearing", flat=True).first() or ""
    mirrored = set(BankAccount.objects.filter(firm=firm, kind="card").values_list("ledger_account", flat=True))
    found: list[Gap] = []
    behind: dict[str, list[Card]] = {}
    for card in Card.objects.filter(owner__firm=firm, firm_pays=True, closed__isnull=True).select_related(
        "owner__person"
    ):
        account = card.account or usual
        name = joined("", (card, ", ", card.owner.person.name))
        if account not in open_accounts:
            proposal = (
                Proposal(usual, open_accounts[usual].name, say("it is the firm's own"))
                if usual in open_accounts
                else None
            )
            found.append(
                Gap(
                    "card",
                    str(card.pk),
                    name,
                    say("its clearing account {account} is not open", account=account or say("is not named")),
                    proposal,
                )
            )
        elif account not in mirrored:
            behind.setdefault(account, []).append(card)
    return found + [_no_statement(account, cards) for account, cards in behind.items()]


def _no_statement(account: str, cards: Sequence[Card]) -> Gap:
    """Cards that go against one clearing account which no card account mirrors: one is kept, and all are connected."""
    first, more = cards[0], len(cards) - 1
    known = {
        "name": say("{issuer} account", issuer=first.issuer),
        "number": first.last_four,
        "kind": "card",
        "ledger_account": account,
    }
    return Gap(
        say("card bank"),
        str(first.pk),
        joined("", (first, ", ", first.owner.person.name))
        + (say_many(" and {count} other", " and {count} others", more) if more else ""),
        say("no card account is kept for {account}: its statement would agree with nothing", account=account),
        leads=urlencode(known),
    )


def _banks(firm: Firm, day: date) -> list[Gap]:
    """Bank accounts of the ledger whose statements nobody takes in here."""
    kept = set(BankAccount.objects.filter(firm=firm).values_list("number", flat=True))
    rows = LedgerBank.objects.filter(Q(open_until__isnull=True) | Q(open_until__gte=day), firm=firm)
    return [
        Gap(
            "bank",
            row.code,
            joined("", (row.name, " ", row.iban)),
            say("no statement of it is taken in here"),
            Proposal(
                row.account, say("is its account of the ledger: keep {name}", name=row.name), say("the ledger says so")
            ),
        )
        for row in rows
        if row.iban not in kept
    ]


def _people(firm: Firm, day: date) -> list[Gap]:
    """People with claims who are no supplier of the ledger yet; one with the same account or name is proposed."""
    rows = (
        Membership.objects.filter(
            Q(supplier__isnull=True) | Q(supplier__open_until__lt=day), firm=firm, active=True, traveller=True
        )
        .select_related("person", "supplier")
        .order_by("person__name")
    )
    free = list(Supplier.objects.filter(firm=firm, member__isnull=True, open_until__isnull=True))
    by_iban = {row.iban: row for row in free if row.iban}
    by_name = {row.name.casefold(): row for row in free}
    found = []
    for member in rows:
        proposal = None
        if member.iban and member.iban in by_iban:
            proposal = Proposal(by_iban[member.iban].code, by_iban[member.iban].name, say("it has the same account"))
        elif member.person.name.casefold() in by_name:
            row = by_name[member.person.name.casefold()]
            proposal = Proposal(row.code, row.name, say("it has the same name"))
        found.append(
            Gap(
                "person",
                str(member.pk),
                member.person.name,
                say("the ledger has closed {supplier}", supplier=supplier)
                if (supplier := getattr(member, "supplier", None))
                else say("no supplier of the ledger is this person"),
                proposal,
            )
        )
    return found


def _merchants(firm: Firm, day: date) -> list[Gap]:
    """Merchants that bill the firm centrally and are no supplier yet, the most frequent first."""
    counted: dict[str, int] = defaultdict(int)
    billed = Expense.objects.filter(firm=firm, paid_by="central").exclude(merchant="").values_list("merchant")
    booked = Booking.objects.filter(firm=firm, paid_by="central", state="Ticketed").values_list("carrier")
    for merchant, number in [*billed.annotate(n=Count("pk")), *booked.annotate(n=Count("pk"))]:
        counted[merchant] += number
    # A card's issuer bills the firm as well.
    issuers = Card.objects.filter(owner__firm=firm, firm_pays=True, closed__isnull=True).values_list("issuer")
    for issuer, number in issuers.annotate(n=Count("pk")):
        counted[issuer] += number
    rows = sorted(counted.items(), key=lambda each: (-each[1], each[0]))
    told = dict(MerchantSupplier.objects.filter(firm=firm).values_list("merchant", "supplier__open_until"))
    open_ = Q(open_until__isnull=True) | Q(open_until__gte=day)
    free = list(Supplier.objects.filter(open_, firm=firm, member__isnull=True))
    found, seen = [], set()
    for merchant, number in rows[:MOST_MERCHANTS]:
        plain = plain_merchant(merchant)[:120]
        closed = (until := told.get(plain)) is not None and until < day
        if not plain or (plain in told and not closed) or plain in seen:
            continue
        seen.add(plain)
        best = max(
            ((fuzz.token_set_ratio(plain, plain_merchant(each.name)), each) for each in free),
            key=lambda each: each[0],
            default=None,
        )
        proposal = Proposal(best[1].code, best[1].name, say("its name is alike")) if best and best[0] >= ALIKE else None
        found.append(
            Gap(
                "merchant",
                plain,
                merchant,
                say_many(
                    "billed the firm {count} time, and its supplier is closed",
                    "billed the firm {count} times, and its supplier is closed",
                    number,
                )
                if closed
                else say_many(
                    "billed the firm {count} time, and is no supplier of the ledger",
                    "billed the firm {count} times, and is no supplier of the ledger",
                    number,
                ),
                proposal,
            )
        )
    return found
