"""A paper and a charge that may be one cost: are they?"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from wainwright.claims.questions.base import Asking, Kind, Option, Question
from wainwright.claims.questions.fallen import words_of
from wainwright.claims.services.compose import take_into
from wainwright.core.said import say
from wainwright.errors import Refusal
from wainwright.expenses.services import sorting


class Pairs(Kind):
    """Each pair in doubt is asked by itself, with why they may belong together."""

    code = "pair"
    order = 20

    def find(self, asking: Asking) -> Iterable[Question]:
        """A question for each pair."""
        for row in asking.rows:
            if row.pair is None or row.pair.sure or row.paper is None or row.charge is None:
                continue
            total = row.paper.value("total")
            shows = f"{row.paper.value('merchant') or row.paper.name}{', ' + total if total else ''}"
            yield Question(
                f"pair-{row.paper.pk}-{row.charge.pk}", self.code, say("Is the paper “{shows}” that of the charge {words_of}?", shows=shows, words_of=words_of(row)),
                (Option("yes", say("Yes, one cost"), "y"), Option("no", say("No, two"), "n"), Option("none", say("Neither is this trip's"), "x")),
                more=row.pair.why,
            )  # fmt: skip

    def answer(self, asking: Asking, question: Question, said: str, words: str, ticked: Sequence[str]) -> str:
        """Take them as one, or never propose them together again."""
        _, receipt, charge = question.key.split("-")
        row = sorting.Thing(int(receipt), int(charge))
        if said == "yes":
            take_into(asking.member, [row], asking.claim.pk)
            return say("They are one cost, on the claim.")
        if said == "no":
            sorting.refuse_pair(asking.member, row)
            return say("They are two things.")
        if said == "none":
            asking.say_no(f"row:{receipt}:{charge}")
            return say("They stay in the tray.")
        raise Refusal(say("Say whether they are one cost."))


KIND = Pairs()
