"""A bill broken down: parts, nights, what is personal of it, the split over codings."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import date
from itertools import zip_longest

from django.shortcuts import redirect
from django.views.decorators.http import require_POST

from wainwright.accounts.selectors import books, read_coding
from wainwright.accounts.split_form import TypedSplit, do_split
from wainwright.core.money import Money, total
from wainwright.core.said import said_by, say
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.models import Expense
from wainwright.expenses.selectors import expense_for
from wainwright.expenses.services import editing
from wainwright.expenses.views.expense import money_of, money_or_nothing, says_allowance, show, version_of
from wainwright.fields import typed_day
from wainwright.rulebook.selectors import rulebook

PART_FIELDS = ("category", "label", "amount", "night", "meal", "tax", "code")


@dataclass(frozen=True)
class TypedParts:
    """A bill broken down as typed that was not kept: what is wrong, and what it takes to show the same again."""

    problem: str
    rows: tuple[dict, ...]
    left: Money

    def again(self) -> dict:
        """The page's context with what was typed and what is wrong with it."""
        return {"parts": list(self.rows), "parts_error": self.problem, "left": self.left}


def typed_parts(request, expense: Expense, keep: Callable[[list[editing.PartTyped]], object]) -> TypedParts | None:
    """Read parts from a form, or work out so many nights first, and ``keep`` them; nothing where they are kept.

    What is left goes where it is told to. What cannot be read or is refused comes back with what was typed.
    """
    columns = [request.POST.getlist(f"part-{name}") for name in PART_FIELDS]
    rows = [dict(zip(PART_FIELDS, row, strict=True)) for row in zip_longest(*columns, fillvalue="")]
    personal_rows = set(request.POST.getlist("part-personal"))
    try:
        parts = _nightly(request, expense) if "nights" in request.POST else []
        parts += [
            _part(row, expense, str(index) in personal_rows) for index, row in enumerate(rows) if row["amount"].strip()
        ]
        rest = request.POST.get("rest", "")
        left = expense.amount - total((part.amount for part in parts), expense.currency)
        if rest and parts and left:
            own = rest == "personal"
            label = say("Personal") if own else rulebook(expense.firm).names.get(rest) or say("The rest")
            parts.append(editing.PartTyped(expense.category if own else rest, label, left, own))
        keep(parts)
        return None
    except (Stale, NotAllowed):
        raise
    except (ValueError, OverflowError) as error:
        problem = (
            said_by(error)
            if "amount" in said_by(error)
            else say("A night or day is not a date. Use the day the night begins.")
        )
    except Refusal as refusal:
        problem = refusal.message
    typed = tuple(row | {"personal": str(n) in personal_rows} for n, row in enumerate(rows))
    left = expense.amount - total((money_or_nothing(row["amount"], expense.currency) for row in rows), expense.currency)
    return TypedParts(problem, typed, left)


@require_POST
@says_allowance
def set_parts(request, expense_id: int):
    """Break a bill down."""
    expense = expense_for(request.member, expense_id)
    member, version = request.member, version_of(request)
    again = typed_parts(request, expense, lambda parts: editing.set_parts(member, expense_id, version, parts))
    return redirect("expense", expense_id) if again is None else show(request, expense, 422, **again.again())


def _part(row: dict[str, str], expense: Expense, personal: bool) -> editing.PartTyped:
    """One typed row. Raises ``ValueError`` saying what is wrong."""
    day = date.fromisoformat(row["night"]) if row["night"] else None
    meal = row["meal"]
    return editing.PartTyped(
        row["category"], row["label"] or "Part", money_of(row["amount"], expense.currency), personal, None if meal else day, meal,
        (day or expense.date) if meal else None, money_of(row["tax"], expense.currency) if row["tax"].strip() else None,
        read_coding(row["code"], books(expense.firm)),
    )  # fmt: skip


@require_POST
def set_personal(request, expense_id: int):
    """Take the personal share out of a cost: an amount, or per cent."""
    expense = expense_for(request.member, expense_id)
    typed = request.POST.get("personal", "")
    try:
        editing.set_personal(request.member, expense_id, version_of(request), typed)
        return redirect("expense", expense_id)
    except Refusal as refusal:
        return show(request, expense, 422, personal_error=refusal.message, own_personal=typed)


def _nightly(request, expense: Expense) -> list[editing.PartTyped]:
    """The repeat of nights in one act."""
    count = request.POST.get("night-count", "").strip()
    if not count:
        return []
    first = typed_day(request.POST.get("night-first", ""))
    if not count.isdecimal() or not 0 < int(count) <= 60:
        raise Refusal(say("Say how many nights, from 1 to 60."))
    tax = request.POST.get("night-tax", "").strip()
    lodging = next((c.code for c in rulebook(expense.firm).categories.values() if c.is_lodging), expense.category)
    return editing.nightly_parts(
        first, int(count), money_of(request.POST.get("night-price", ""), expense.currency), lodging,
        money_of(tax, expense.currency) if tax else None,
    )  # fmt: skip


@require_POST
def set_split(request, expense_id: int):
    """Split a cost by share or by amount, or fill the editor in."""
    expense, member = expense_for(request.member, expense_id), request.member
    ledger, keep = books(expense.firm), expense.claim.coding if expense.claim else expense.owner.coding
    typed = TypedSplit.of(request.POST)
    try:
        parts, filled = do_split(member, typed, ledger, keep, expense.amount)
        if parts is None:
            return show(request, expense, typed_split=filled)
        editing.set_split(member, expense_id, version_of(request), parts)
        return redirect("expense", expense_id)
    except Stale:
        raise
    except Refusal as refusal:
        return show(request, expense, 422, typed_split=replace(typed, error=refusal.message))
