"""What the rules say of a cost while it is still being typed, and what is proposed for it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Any

from wainwright import clock
from wainwright.core.money import Money
from wainwright.core.rules import Finding, Item, Subject, run
from wainwright.core.rules.facts import FIELDS
from wainwright.core.said import as_figure, joined, said_by, say
from wainwright.errors import Refusal
from wainwright.expenses.elsewhere import known_like
from wainwright.expenses.models import Expense
from wainwright.expenses.proposals import Asked, propose_all
from wainwright.expenses.services.memory import usual_tax
from wainwright.expenses.services.taking import fill_cost
from wainwright.people.models import Membership
from wainwright.rulebook.models import Category
from wainwright.rulebook.selectors import Rulebook, rulebook

# Rules that look at a whole claim, or at what is attached later, are not asked while typing.
LATER = {
    "missing_evidence",
    "due_soon",
    "trip_not_authorised",
    "over_plan",
    "paper_missing",
    "advances_out",
    "split_under",
}


@dataclass(frozen=True)
class Checked:
    """What is known of a cost half typed: findings, what is refused, proposals, and its worth at home."""

    findings: tuple[Finding, ...] = ()
    refused: str = ""
    category: str = ""
    category_name: str = ""
    why: str = ""
    tax_rate: str = ""
    tax_why: str = ""
    home: Money | None = None
    source: str = ""
    amount: Money | None = None
    day: date | None = None


def check(member: Membership, values: dict[str, Any], besides: int = 0, has_receipt: bool = False) -> Checked:
    """Check what is typed so far; ``values`` are the form's fields that are valid. Four queries at most, nothing is kept."""
    book = rulebook(member.firm)
    merchant, category = values.get("merchant", ""), values.get("category", "")
    proposal = propose_all(member, [Asked(merchant, day=values.get("date"))])[0] if merchant else None
    if proposal and proposal.category == category:
        proposal = None
    rate, why = _tax(
        member, values, _as_of(book, values.get("date")).get(category or (proposal.category if proposal else ""))
    )
    name = book.names.get(proposal.category, "") if proposal else ""
    told = {
        "category": proposal.category if proposal else "", "category_name": name, "why": proposal.why if proposal else "",
        "tax_rate": f"{rate.normalize():f}" if rate is not None else "", "tax_why": why,
        "amount": _read(values), "day": values.get("date"),
    }  # fmt: skip
    if not (values.get("amount") and values.get("currency") and values.get("date") and category):
        return Checked(**told)
    expense = Expense(pk=besides or None, firm=member.firm, owner=member, currency=member.firm.currency)
    try:
        fill_cost(expense, **_costs(values))
    except (Refusal, ValueError) as refusal:
        return Checked(**told, refused=said_by(refusal))
    home = expense.amount if expense.original_currency else None
    return Checked(
        tuple(_findings(member, expense, book, has_receipt)), "", **told, home=home,
        source=joined("", (as_figure(expense.rate.normalize(), "f"), ", ", expense.rate_source)) if home else "",
    )  # fmt: skip


def _read(values: dict[str, Any]) -> Money | None:
    """The amount as it was understood; nothing while it is no amount of its currency yet."""
    if not (values.get("amount") and values.get("currency")):
        return None
    try:
        return Money.of(values["amount"], values["currency"])
    except ValueError:
        return None


def _as_of(book: Rulebook, day: date | None) -> dict[str, Category]:
    return book.categories_on(day) if day else book.categories


def _costs(values: dict[str, Any]) -> dict[str, Any]:
    amount = Money.of(values["amount"], values["currency"])
    tax = values.get("tax")
    return {
        "day": values["date"], "merchant": values.get("merchant") or "?", "category": values["category"], "amount": amount,
        "paid_by": values.get("paid_by") or "self", "tax_rate": (values.get("tax_rate") or Decimal(0)) / 100,
        "tax": Money.of(tax, values["currency"]) if tax is not None else None, "description": values.get("description", ""),
        "guests": values.get("guests", ""), "heads": values.get("heads") or 1, "receipt_rate": values.get("rate"),
        "reference": values.get("reference", ""), "customer": values.get("customer") or "", "country": values.get("country") or "",
    }  # fmt: skip


def _findings(member: Membership, expense: Expense, book: Any, has_receipt: bool) -> list[Finding]:
    filled = {name for name, _ in FIELDS if getattr(expense, name)}
    item = Item(
        "this", say("This cost"), expense.category, expense.date, expense.amount, expense.paid_by,  # type: ignore[arg-type]
        has_receipt=has_receipt, merchant=expense.merchant, filled=frozenset(filled), heads=expense.heads,
        rate_stale=expense.rate_stale, tax_odd=expense.tax_odd,
    )  # fmt: skip
    own = [expense.pk] if expense.pk else []
    known = known_like(member.firm_id, expense.currency, {(expense.date, expense.amount_minor)}, own)
    subject = Subject(
        "typing", "claim", clock.today(member.firm.zone), expense.currency, (item,), known=tuple(known), names=book.names,
        abroad=expense.abroad,
    )  # fmt: skip
    return run(subject, [setting for setting in book.rules_for(member) if setting.kind not in LATER])


def _tax(member: Membership, values: dict[str, Any], category: Any) -> tuple[Decimal | None, str]:
    """The tax rate that is proposed where none was typed: the merchant's last one, else the category's, at home only."""
    if values.get("tax_rate") is not None or values.get("tax") is not None:
        return None, ""
    if values.get("currency", member.firm.currency) != member.firm.currency:
        return None, ""
    usual = usual_tax(member, values.get("merchant", ""))
    if usual:
        return usual * 100, say("as here before")
    code = (
        rulebook(member.firm).tax_of(category, values.get("country") or "", values["date"])
        if category is not None and values.get("date")
        else None
    )
    if code is not None:
        return code.rate * 100, say(
            "tax code {code_code}, usual for {category}", code_code=code.code, category=category.name.lower()
        )
    if category is not None and category.tax_rate:
        return category.tax_rate * 100, say("usual for {category}", category=category.name.lower())
    return None, ""
