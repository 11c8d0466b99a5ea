"""The daily allowance day by day: meals that others supply, what each day comes to, and how."""

from __future__ import annotations

from datetime import date
from typing import Any

from django.contrib import messages

from wainwright.core.journey import Meal
from wainwright.core.said import joined, say, say_many
from wainwright.drawing.ribbon import meals_of
from wainwright.errors import Refusal
from wainwright.trips.forms import HostForm
from wainwright.trips.panels.base import Page, Panel, act
from wainwright.trips.services import nights


class AllowancePanel(Panel):
    """Each day with its meals to mark, its sum and its workings; what a host supplies, for several days at once."""

    name = "allowance"
    title = say("Meals and allowance")
    order = 25

    def there(self, page: Page) -> bool:
        """Once there are days."""
        return bool(page.file.figures.allowance.days)

    def says(self, page: Page) -> str:
        """What it comes to."""
        found = page.file.figures.allowance
        return say_many("{amount} for {count} day", "{amount} for {count} days", len(found.days), amount=found.amount)

    def answers(self, target: str, page: Page) -> str:
        """Days and meals."""
        return self.name if target in ("allowance", "meals") else ""

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """The days with their meals as the ribbon has them, and the form for the host."""
        span = {"first": page.trip.starts, "last": page.trip.ends}
        done = page.file.figures
        return {
            "days": [(each, _cells(page, each.day)) for each in done.allowance.days],
            "form": page.form("host_form", lambda: HostForm(initial=span)) if page.may_mark_meals else None,
        }  # fmt: skip

    @act("meal/", "meal", sums=True)
    def mark(self, page: Page) -> None:
        """Mark a meal as supplied, on one day or on all like it."""
        post = page.request.POST
        day, _, meal = post.get("meal", "").partition(":")
        try:
            words, supplied = nights.mark_meal(
                page.member, page.trip.pk, date.fromisoformat(day), Meal(meal), "all" in post
            )
        except ValueError as error:
            raise Refusal(say("That is no meal of this trip.")) from error
        messages.info(
            page.request,
            (
                say("{words} is supplied by others now.", words=words)
                if supplied
                else say("{words} is yours to eat now.", words=words)
            ),
        )

    @act("host/", "host", sums=True)
    def host(self, page: Page) -> str:
        """Say for a span of days what the host supplies."""
        form = HostForm(page.request.POST)
        d = page.valid("host_form", form, self.name)
        with page.trying("host_form", form, self.name):
            meals = [Meal(m) for m in d["meals"]]
            count = nights.host_supplies(page.member, page.trip.pk, d["first"], d["last"], meals, d["quarters"])
        messages.info(page.request, say_many("Kept for {count} day.", "Kept for {count} days.", count))
        return self.name


def _cells(page: Page, day: date) -> list[dict[str, Any]]:
    """The meals of a day, as the ribbon has them."""
    return [
        {"key": f"{day.isoformat()}:{meal.value}", "word": meal.value.capitalize(), "text": joined("", (meal.value.capitalize(), ": ", words)), "state": state,
         "pressed": state == "supplied"}
        for meal, state, words in meals_of(page.file.figures.journey, day)
    ]  # fmt: skip


PANEL = AllowancePanel()
