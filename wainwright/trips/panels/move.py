"""Moving house: who moves on which trip, what the firm asks, and what each answer changes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.contrib import messages

from wainwright.core.moving import effects, share_words
from wainwright.core.said import joined, kept, say, say_many
from wainwright.core.states import stage_reached
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.fields import whole
from wainwright.trips.models import Trip
from wainwright.trips.moving import asked_of, planned_by, whole_move
from wainwright.trips.panels.base import Again, Page, Panel, act
from wainwright.trips.services import details, moving
from wainwright.trips.under import legs_of


def brief(trip: Trip) -> str:
    """How a party travels, in a few words: the modes and towns of its legs."""
    legs: Sequence[Any] = legs_of(trip)
    if not legs:
        return say("no legs yet")
    towns = [legs[0].origin["town"], *(leg.target["town"] for leg in legs)]
    return joined("", (joined(", ", dict.fromkeys(kept(leg.mode) for leg in legs)), ": ", " – ".join(towns)))


class MovePanel(Panel):
    """The parties of a move side by side; who goes along here; the firm's questions with what each answer decides."""

    name = "move"
    title = say("Who moves")
    order = 5

    def there(self, page: Page) -> bool:
        """On every trip of a move."""
        return page.trip.is_move

    def says(self, page: Page) -> str:
        """Who, and how much is asked."""
        if count := self._unanswered(page):
            return say_many("{count} question asked", "{count} questions asked", count)
        parties = len(self._parties(page))
        return say_many("{count} party", "{count} parties", parties)

    def asks(self, page: Page) -> bool:
        """Where a question has no answer."""
        return self._unanswered(page) > 0

    def answers(self, target: str, page: Page) -> str:
        """The firm's questions."""
        return self.name if target.partition(":")[0] in ("questions", "question") else ""

    def _unanswered(self, page: Page) -> int:
        return sum(e.finding.rule == "question" for e in page.file.findings)

    def _parties(self, page: Page) -> list[Trip]:
        if not hasattr(page, "_parties"):
            page._parties = whole_move(page.trip)  # type: ignore[attr-defined]
        return page._parties  # type: ignore[attr-defined, no-any-return]

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """Each party with its way and where it stands; the questions with what each answer changes."""
        parties, kin = self._parties(page), page.file.book.policy.kin
        planned = planned_by(parties, page.trip.currency)
        others = [each for each in parties if each.pk != page.trip.pk and each.editable]
        return {
            "parties": [(each, brief(each), stage_reached(each.state, each.authorised is not None, "")) for each in parties],
            "questions": [
                (q, page.trip.answers.get(q.code, ""), effects(q, page.trip.currency, planned))
                for q in asked_of(page.file.book, page.trip)
            ],
            "kin": list(kin), "kin_words": share_words(kin), "into": others if page.own and page.trip.moves_with_id else [],
            "typed": page.typed.get("mover", {"name": "", "kin": ""}), "error": page.typed.get("error", ""),
        }  # fmt: skip

    @act("move/questions/", "move-questions", sums=True)
    def answer(self, page: Page) -> str:
        """Answer the firm's questions about the move."""
        given = {key[2:]: value for key, value in page.request.POST.items() if key.startswith("q-")}
        details.answer(page.member, page.trip.pk, given)
        return self.name

    @act("move/movers/", "mover-add", sums=True)
    def add(self, page: Page) -> str:
        """Say that a relative moves too, along or apart."""
        post = page.request.POST
        name, kin, apart = post.get("name", "")[:80], post.get("kin", "")[:20], "apart" in post
        try:
            trip = moving.add_mover(page.member, page.trip.pk, name, kin, apart)
        except (Stale, NotAllowed):
            raise
        except Refusal as refusal:
            raise Again(self.name, mover={"name": name, "kin": kin}, error=refusal.message) from refusal
        words = (
            say("{trip_title} is started: say where they go.", trip_title=trip.title)
            if apart
            else say("{name} goes along.", name=name)
        )
        messages.info(page.request, words)
        return self.name

    @act("move/movers/off/", "mover-off", sums=True)
    def take_off(self, page: Page) -> str:
        """Take somebody off who does not move after all."""
        moving.take_off(page.member, page.trip.pk, page.request.POST.getlist("name")[:20])
        return self.name

    @act("move/part/", "move-part", sums=True)
    def part(self, page: Page) -> str:
        """Part those who are ticked into a party of their own."""
        party = moving.part(page.member, page.trip.pk, page.request.POST.getlist("name")[:20])
        messages.info(
            page.request, say("{party} travel apart now, with the same legs to begin from.", party=party.party)
        )
        return self.name

    @act("move/join/", "move-join", sums=True)
    def join(self, page: Page) -> str:
        """Join this party to another trip, along on which they travelled."""
        into = moving.join(page.member, page.trip.pk, whole(page.request.POST.get("into")))
        messages.info(
            page.request,
            say(
                "{party} stand on {into_title} now. This plan is called off.",
                party=page.trip.party,
                into_title=into.title,
            ),
        )
        return self.name


PANEL = MovePanel()
