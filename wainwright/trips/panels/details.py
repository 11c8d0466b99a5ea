"""The traveller's details: answers to the firm's questions, and the copy of the profile that this trip uses."""

from __future__ import annotations

from typing import Any

from django.contrib import messages

from wainwright.core.said import say, say_many
from wainwright.errors import Refusal
from wainwright.trips.forms import CopyForm
from wainwright.trips.moving import asked_of
from wainwright.trips.panels.base import Page, Panel, act
from wainwright.trips.profile import FOR_ONE_TRIP, side_by_side
from wainwright.trips.services import details


class DetailsPanel(Panel):
    """Questions of the firm, and where itineraries go, which phone, which card: here beside the profile."""

    name = "details"
    title = say("Your details")
    order = 50

    def there(self, page: Page) -> bool:
        """For the traveller, until the trip is over."""
        return page.own and page.trip.state not in page.trip.OVER

    def _unanswered(self, page: Page) -> int:
        return 0 if page.trip.is_move else sum(e.finding.rule == "question" for e in page.file.findings)

    def says(self, page: Page) -> str:
        """What is asked, else how far the copy and the profile agree."""
        if count := self._unanswered(page):
            return say_many("{count} question asked", "{count} questions asked", count)
        count = sum(each.differs for each in side_by_side(page.trip))
        return say("{count} not as in your profile", count=count) if count else say("as in your profile")

    def asks(self, page: Page) -> bool:
        """Where a question has no answer, or the card ends too soon."""
        return self._unanswered(page) > 0 or any(e.open and e.finding.target == "profile" for e in page.file.findings)

    def answers(self, target: str, page: Page) -> str:
        """Questions, and what is wrong with the profile."""
        about = ("profile",) if page.trip.is_move else ("questions", "question", "profile")
        return self.name if target.partition(":")[0] in about else ""

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """The questions with their answers, and each detail beside the profile's."""
        questions = asked_of(page.file.book, page.trip) if page.editable and not page.trip.is_move else []
        return {
            "questions": [(q, page.trip.answers.get(q.code, "")) for q in questions], "one_trip": FOR_ONE_TRIP,
            "rows": side_by_side(page.trip),
        }  # fmt: skip

    @act("questions/", "questions")
    def answer(self, page: Page) -> str:
        """Answer the firm's questions."""
        given = {key[2:]: value for key, value in page.request.POST.items() if key.startswith("q-")}
        details.answer(page.member, page.trip.pk, given)
        return self.name

    @act("copy/", "copy")
    def change(self, page: Page) -> str:
        """Change a detail for this trip alone, or for good."""
        form = CopyForm(page.request.POST)
        if not form.is_valid():
            raise Refusal(say("That detail cannot be changed here."))
        d, for_good = form.cleaned_data, "for_good" in page.request.POST
        details.change_copy(page.member, page.trip.pk, d["name"], d["value"], for_good)
        words = say("Kept for this trip and in your profile.") if for_good else say("Kept for this trip alone.")
        messages.info(page.request, words)
        return self.name

    @act("copy/take/", "copy-take")
    def take(self, page: Page) -> str:
        """Take the profile as it is now."""
        details.take_profile(page.member, page.trip.pk)
        return self.name


PANEL = DetailsPanel()
