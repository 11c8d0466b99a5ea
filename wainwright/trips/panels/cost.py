"""Another cost to expect."""

from __future__ import annotations

from typing import Any

from wainwright.core.said import say
from wainwright.trips.forms import OtherForm
from wainwright.trips.panels.base import Page, Panel, act
from wainwright.trips.services import plan


class CostPanel(Panel):
    """A cost that is neither a move nor a night: it becomes a line of the journey."""

    name = "cost"
    title = say("+ a cost")
    order = 90
    key = "c"

    def there(self, page: Page) -> bool:
        """While planning."""
        return page.editable

    def answers(self, target: str, page: Page) -> str:
        """Costs in general."""
        return self.name if target == "others" else ""

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """The form."""
        return {
            "form": page.form(
                "other_form", lambda: OtherForm(categories=page.file.book.choices(page.trip.traveller).values())
            )
        }

    @act("others/", "other-add", sums=True)
    def add(self, page: Page) -> str:
        """Expect another cost; the form is ready for the next one."""
        form = OtherForm(page.request.POST, categories=page.file.book.choices(page.trip.traveller).values())
        d = page.valid("other_form", form, self.name)
        with page.trying("other_form", form, self.name):
            plan.add_other(page.member, page.trip.pk, d["category"], d["label"], d["amount"], d["paid_by"], d["day"])
        return self.name


PANEL = CostPanel()
