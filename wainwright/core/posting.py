"""Posting: the journal of a claim, of its payment, and of an advance. Every journal balances."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

from wainwright.core.coding import Coding
from wainwright.core.money import Money, total
from wainwright.core.said import joined, say
from wainwright.core.settlement import Settlement, set_off


class Unbalanced(ValueError):
    """Debits and credits differ."""


@dataclass(frozen=True, slots=True)
class Accounts:
    """The firm's accounts that a claim posts to."""

    owed_to_staff: str
    owed_by_staff: str
    card_clearing: str
    prepaid_travel: str
    advances: str
    input_tax: str
    bank: str
    # Three that a firm may do without: what it owes to suppliers and to card issuers, and what currencies differ by.
    suppliers: str = ""
    card_issuers: str = ""
    differences: str = ""

    @property
    def of_staff(self) -> tuple[str, str]:
        """The two on which what a person is owed and owes stands: entries there name the person as a supplier."""
        return self.owed_to_staff, self.owed_by_staff


@dataclass(frozen=True, slots=True)
class PostLine:
    """One cost line to post: net and recoverable tax on a coding (with its account), and who paid.

    ``card_account`` is the clearing account of the card that paid, where it has one of its own. ``owed_as`` says why a
    line that is not the firm's cost is owed by staff.
    """

    label: str
    coding: Coding
    net: Money
    tax: Money
    paid_by: Literal["self", "firm", "central"]
    personal: bool = False
    card_account: str = ""
    owed_as: str = "Personal"


@dataclass(frozen=True, slots=True)
class Entry:
    """One line of a journal: either a debit or a credit, never below zero. ``party`` is the supplier's code, where it is about one."""

    coding: Coding
    debit: Money
    credit: Money
    text: str
    party: str = ""


@dataclass(frozen=True, slots=True)
class Journal:
    """Entries that balance, under a key that can be entered only once."""

    key: str
    currency: str
    entries: tuple[Entry, ...]

    def __post_init__(self) -> None:
        if self.debits != self.credits:
            raise Unbalanced(
                say(
                    "{key}: debits {debits} and credits {credits}",
                    key=self.key,
                    debits=self.debits,
                    credits=self.credits,
                )
            )

    @property
    def debits(self) -> Money:
        """The sum of all debits."""
        return total((entry.debit for entry in self.entries), self.currency)

    @property
    def credits(self) -> Money:
        """The sum of all credits."""
        return total((entry.credit for entry in self.entries), self.currency)

    @property
    def plain_lines(self) -> list[dict[str, Any]]:
        """Its lines as values that JSON has, as every document of ours says them: amounts as decimal text."""
        return [
            {
                "account": e.coding.account, "coding": dict(e.coding.codes), "debit": str(e.debit.amount), "credit": str(e.credit.amount), "text": e.text,
                "supplier": e.party,
            }
            for e in self.entries
        ]  # fmt: skip

    def balance(self, account: str) -> Money:
        """Debits less credits of one account."""
        return total((e.debit - e.credit for e in self.entries if e.coding.account == account), self.currency)

    def reversed(self, key: str) -> Journal:
        """The journal that undoes this one."""
        swapped = tuple(
            Entry(e.coding, e.credit, e.debit, say("Reversal: {e_text}", e_text=e.text), e.party) for e in self.entries
        )
        return Journal(key, self.currency, swapped)

    def naming(self, party: str, accounts: Collection[str]) -> Journal:
        """The same journal with a supplier named on what stands on some accounts; an empty one names nobody."""
        return replace(
            self, entries=tuple(replace(e, party=party) if e.coding.account in accounts else e for e in self.entries)
        )


def _entry(coding: Coding, amount: Money, text: str, debit: bool) -> Entry | None:
    """One entry for a signed amount: what is below zero changes sides."""
    if not amount:
        return None
    nothing = Money.zero(amount.currency)
    on_debit = debit == (amount > nothing)
    size = max(amount, -amount)
    return Entry(coding, size if on_debit else nothing, nothing if on_debit else size, text)


def _collect(entries: Iterable[Entry | None]) -> tuple[Entry, ...]:
    return tuple(entry for entry in entries if entry is not None)


def claim_journal(key: str, lines: Sequence[PostLine], settlement: Settlement, accounts: Accounts) -> Journal:
    """Build the journal of a claim from its lines; allowance and mileage are lines of ``paid_by`` "self".

    Debits: cost with the net, input tax with the recoverable tax, personal cost on the firm's card
    as owed by staff. Credits: owed to staff, card clearing, prepaid travel. The advance is cleared,
    and what staff owe is set off against what they are owed as far as that goes; so owed to staff
    less owed by staff is exactly what the settlement says is due. Raises ``Unbalanced``.
    """
    currency = settlement.due.currency
    credit_to = {"self": accounts.owed_to_staff, "firm": accounts.card_clearing, "central": accounts.prepaid_travel}
    entries: list[Entry | None] = []
    credits: dict[str, Money] = {}
    for line in lines:
        gross = line.net + line.tax
        if line.personal:
            if line.paid_by == "self":
                continue
            entries.append(
                _entry(Coding(accounts.owed_by_staff), gross, joined("", (line.owed_as, ": ", line.label)), True)
            )
        else:
            entries.append(_entry(line.coding, line.net, line.label, True))
            tax_coding = line.coding.with_account(accounts.input_tax)
            entries.append(_entry(tax_coding, line.tax, say("Tax: {line_label}", line_label=line.label), True))
        account = credit_to[line.paid_by]
        if line.paid_by == "firm" and line.card_account:
            account = line.card_account
        credits[account] = credits.get(account, Money.zero(currency)) + gross
    names = {
        accounts.owed_to_staff: say("Owed to staff"), accounts.card_clearing: say("Card clearing"),
        accounts.prepaid_travel: say("Billed centrally"),
    }  # fmt: skip
    entries += [
        _entry(Coding(account), amount, names.get(account, "Card clearing"), False)
        for account, amount in credits.items()
    ]
    sums = settlement.sums
    entries.append(_entry(Coding(accounts.owed_to_staff), sums.advance, say("Advance cleared"), True))
    entries.append(_entry(Coding(accounts.advances), sums.advance, say("Advance cleared"), False))
    taken = set_off(sums)
    entries.append(_entry(Coding(accounts.owed_to_staff), taken, say("Personal cost set off"), True))
    entries.append(_entry(Coding(accounts.owed_by_staff), taken, say("Personal cost set off"), False))
    entries.append(_entry(Coding(accounts.owed_to_staff), sums.earlier, say("Owed back on earlier claims"), True))
    entries.append(_entry(Coding(accounts.owed_by_staff), sums.earlier, say("Owed back on earlier claims"), False))
    # An advance that was more than what it was spent on: from now on it is staff who owe.
    too_much = max(sums.advance - sums.earned, Money.zero(currency))
    entries.append(_entry(Coding(accounts.owed_by_staff), too_much, say("Advance owed back"), True))
    entries.append(_entry(Coding(accounts.owed_to_staff), too_much, say("Advance owed back"), False))
    return Journal(key, currency, _collect(entries))


def payment_journal(key: str, amount: Money, accounts: Accounts, text: str) -> Journal:
    """Build the journal of a payment to staff: debit owed to staff, credit the bank."""
    return _two_lines(key, accounts.owed_to_staff, accounts.bank, amount, text)


@dataclass(frozen=True, slots=True)
class TAccount:
    """One account of a journal as a T: what stands on its debit side, what on its credit side, and the difference."""

    account: str
    debits: tuple[Entry, ...]
    credits: tuple[Entry, ...]
    balance: Money

    @property
    def opposite(self) -> Money:
        """The difference as it stands on the credit side."""
        return -self.balance


def t_accounts(journal: Journal) -> list[TAccount]:
    """Return a journal by account, in the order in which it names them; the balances come to nothing in all."""
    by_account: dict[str, list[Entry]] = {}
    for entry in journal.entries:
        by_account.setdefault(entry.coding.account, []).append(entry)
    return [
        TAccount(
            account, tuple(e for e in found if e.debit), tuple(e for e in found if e.credit), journal.balance(account)
        )
        for account, found in by_account.items()
    ]


def paid_back_journal(key: str, amount: Money, accounts: Accounts, text: str) -> Journal:
    """Build the journal of money that staff paid back: debit the bank, credit owed by staff."""
    return _two_lines(key, accounts.bank, accounts.owed_by_staff, amount, text)


def written_off_journal(key: str, amount: Money, accounts: Accounts, account: str, text: str) -> Journal:
    """Build the journal of money that is not asked back any more: debit a cost of the firm's, credit owed by staff."""
    return _two_lines(key, account, accounts.owed_by_staff, amount, text)


def advance_journal(key: str, amount: Money, accounts: Accounts, text: str) -> Journal:
    """Build the journal of an advance paid out: debit advances, credit the bank."""
    return _two_lines(key, accounts.advances, accounts.bank, amount, text)


def set_off_journal(key: str, amount: Money, back: Money, accounts: Accounts, text: str) -> Journal:
    """Build the journal of an advance set against a claim that was posted without it: debit owed to staff, credit advances.

    What of it the claim does not cover comes ``back``: from owed to staff to owed by staff.
    """
    entries = (
        _entry(Coding(accounts.owed_to_staff), amount, text, True), _entry(Coding(accounts.advances), amount, text, False),
        _entry(Coding(accounts.owed_by_staff), back, say("Advance owed back"), True),
        _entry(Coding(accounts.owed_to_staff), back, say("Advance owed back"), False),
    )  # fmt: skip
    return Journal(key, amount.currency, _collect(entries))


def advance_back_journal(key: str, amount: Money, accounts: Accounts, text: str) -> Journal:
    """Build the journal of an advance that came back before any claim took it: debit the bank, credit advances."""
    return _two_lines(key, accounts.bank, accounts.advances, amount, text)


def billed_journal(key: str, amount: Money, accounts: Accounts, text: str) -> Journal:
    """Build the journal of what a supplier billed to the firm: debit prepaid travel, credit suppliers.

    An ``amount`` below zero is what of it was given back. A claim takes it out of prepaid travel.
    """
    return _two_lines(key, accounts.prepaid_travel, accounts.suppliers, amount, text)


@dataclass(frozen=True, slots=True)
class Charged:
    """What a card of the firm was charged, on the clearing account behind it; a refund is below zero."""

    clearing: str
    amount: Money
    text: str


def charges_journal(key: str, charged: Sequence[Charged], currency: str, accounts: Accounts, text: str) -> Journal:
    """Build the journal of what a card's issuer charged: debit clearing, charge by charge, credit card issuers with the sum.

    A claim takes each out of clearing, so what stays there was not claimed yet.
    """
    entries = [_entry(Coding(each.clearing), each.amount, each.text, True) for each in charged]
    whole = total((each.amount for each in charged), currency)
    return Journal(key, currency, _collect([*entries, _entry(Coding(accounts.card_issuers), whole, text, False)]))


def difference_journal(key: str, clearing: str, amount: Money, accounts: Accounts, text: str) -> Journal:
    """Build the journal of what an issuer charged more than was claimed of a charge: debit differences, credit clearing."""
    return _two_lines(key, accounts.differences, clearing, amount, text)


def card_paid_journal(key: str, card: str, bank: str, amount: Money, text: str) -> Journal:
    """Build the journal of a card's bill that the bank paid: debit what is owed to its issuer, credit the bank."""
    return _two_lines(key, card, bank, amount, text)


def _two_lines(key: str, debit: str, credit: str, amount: Money, text: str) -> Journal:
    entries = (_entry(Coding(debit), amount, text, True), _entry(Coding(credit), amount, text, False))
    return Journal(key, amount.currency, _collect(entries))
