"""A meal that the firm pays for on the claim, on a day whose allowance pays for it too: does it take its place?"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date

from wainwright.claims.models import Claim
from wainwright.claims.questions.base import Asking, Kind, Option, Question
from wainwright.core.journey import Meal
from wainwright.core.said import say
from wainwright.core.workings import day_text
from wainwright.errors import Refusal
from wainwright.trips.models import Trip
from wainwright.trips.services.nights import mark_meal

MEALS = "meals"


def trip_on(claim: Claim, day: date) -> Trip | None:
    """The trip of a claim on which a day lies."""
    return next((t for t in claim.trips if t.starts and t.ends and t.starts <= day <= t.ends), None)


class Meals(Kind):
    """Asked once a day: a meal with others was eaten by the traveller too."""

    code = "meal"
    order = 30

    def find(self, asking: Asking) -> Iterable[Question]:
        """A question for each day with such a cost of which no meal is marked."""
        if not asking.file.allowance:
            return
        marked = {mark.partition(":")[0] for trip in asking.claim.trips for mark in trip.meals_off}
        asked: set[date] = set()
        for expense in asking.expenses.values():
            day = expense.date
            if expense.category != MEALS or expense.personal or day in asked or trip_on(asking.claim, day) is None:
                continue
            if day.isoformat() in marked or f"meal:{day.isoformat()}" in asking.claim.answered:
                continue
            asked.add(day)
            yield Question(
                f"meal-{day.isoformat()}", self.code,
                say("You claim {expense_label}, {expense_amount}, of {day}, and the daily allowance pays "
"your meals of that day. Which of them was it?", expense_label=expense.label, expense_amount=expense.amount, day=day_text(day)),
                (
                    Option("dinner", say("It was dinner"), "d"), Option("lunch", say("It was lunch"), "l"),
                    Option("breakfast", say("It was breakfast"), "b"), Option("none", say("None of mine"), "n"),
                ),
                line=expense.key,
            )  # fmt: skip

    def answer(self, asking: Asking, question: Question, said: str, words: str, ticked: Sequence[str]) -> str:
        """Mark the meal, so that the allowance leaves it out."""
        day = date.fromisoformat(question.key.removeprefix("meal-"))
        if said == "none":
            asking.say_no(f"meal:{day.isoformat()}")
            return say("The allowance pays all meals of that day.")
        if said not in {meal.value for meal in Meal}:
            raise Refusal(say("Say which meal it was."))
        trip = trip_on(asking.claim, day)
        mark_meal(asking.member, trip.pk if trip is not None else 0, day, Meal(said))
        return say("The allowance leaves {said} on {day} out.", said=said, day=day_text(day))


KIND = Meals()
