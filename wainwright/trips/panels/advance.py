"""The advance: proposed as the firm's percentage of what qualifies, asked for beside what the trip comes to."""

from __future__ import annotations

from typing import Any

from wainwright.core.money import places
from wainwright.core.said import say
from wainwright.core.text import decimal
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.fields import typed_number
from wainwright.trips.panels.base import Again, Page, Panel, act
from wainwright.trips.services import plan


class AdvancePanel(Panel):
    """How much is proposed and how that was worked out, and how much is asked for."""

    name = "advance"
    title = say("Advance")
    order = 75

    def there(self, page: Page) -> bool:
        """While planning: asked for, or raised where one is paid; on a move on the employee's own trip alone."""
        return page.editable and page.trip.moves_with_id is None

    def says(self, page: Page) -> str:
        """What is asked for, or what could be."""
        most = page.file.figures.proposed_advance.amount
        if page.trip.advance_paid:
            more = page.trip.advance_to_pay
            return (
                say(
                    "{advance_paid_out} paid, {more} more asked for",
                    advance_paid_out=page.trip.advance_paid_out,
                    more=more,
                )
                if more
                else say("{advance_paid_out} paid", advance_paid_out=page.trip.advance_paid_out)
            )
        if page.trip.advance_minor:
            return say("{advance} asked for", advance=page.trip.advance)
        return say("up to {most}", most=most) if most.minor else say("none is due")

    def asks(self, page: Page) -> bool:
        """Where more is asked for than is proposed."""
        return bool(page.trip.advance_to_pay) and page.trip.advance > page.file.figures.proposed_advance.amount

    def answers(self, target: str, page: Page) -> str:
        """The advance."""
        return self.name if target == "advance" else ""

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """The proposal with its workings, and what was typed."""
        return {
            "paid": page.trip.advance_paid_out, "proposed": page.file.figures.proposed_advance, "outstanding": page.file.outstanding,
            "amount": page.typed.get("amount", page.trip.advance.amount), "why": page.typed.get("why", page.trip.advance_why),
            "error": page.typed.get("error", ""), "at": page.typed.get("at", ""),
        }  # fmt: skip

    @act("advance/", "advance")
    def ask(self, page: Page) -> str:
        """Ask for an advance."""
        typed, why = page.request.POST.get("advance", "")[:40], page.request.POST.get("why", "")[:200]
        try:
            try:
                amount = decimal(typed_number(typed, places(page.trip.currency)).strip() or "0")
            except ArithmeticError as error:
                raise Refusal(say("Type the advance as a number.")) from error
            if not amount.is_finite() or abs(amount) > 10**9:
                raise Refusal(say("Type the advance as a number."))
            plan.ask_advance(page.member, page.trip.pk, amount, page.file.figures.proposed_advance.amount, why)
        except (Stale, NotAllowed):
            raise
        except Refusal as refusal:
            raise Again(
                self.name, amount=typed, why=why, error=refusal.message, at=refusal.field or "advance"
            ) from refusal
        return self.name


PANEL = AdvancePanel()
