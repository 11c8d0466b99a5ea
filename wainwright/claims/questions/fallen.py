"""What lies loose in the days of the trip: does it belong to it?"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from wainwright.claims.questions.base import Asking, Kind, Option, Question, Tick
from wainwright.claims.services.compose import take_into
from wainwright.claims.services.drafting import day_of
from wainwright.core.workings import day_text
from wainwright.errors import Refusal
from wainwright.expenses.selectors import Row
from wainwright.expenses.services import sorting


def words_of(row: Row) -> str:
    """A row of the tray in a few words: who, how much, when, by what."""
    name = row.charge.merchant.title() if row.charge is not None else (row.paper.value("merchant") or row.paper.name)
    amount = f", {row.amount} {row.amount.currency}" if row.amount is not None else ""
    by = f", card {row.charge.card.last_four}" if row.charge is not None else ", a paper alone"
    pays = f", pays {row.booking.label}" if row.booking is not None else ""
    return f"{name}{amount}, {day_text(day_of(row))}{by}{pays}"


class Fallen(Kind):
    """Everything that may belong and was not paired in doubt is asked at once: what is ticked goes on the claim."""

    code = "fallen"
    order = 10

    def find(self, asking: Asking) -> Iterable[Question]:
        """One question for all of it."""
        rows = [row for row in asking.rows if (row.pair is None or row.pair.sure) and row.amount is not None]
        if rows:
            many = f"{len(rows)} things lie loose" if len(rows) > 1 else "One thing lies loose"
            yield Question(
                "fallen", self.code, f"{many} in the days of this trip. What of it belongs to it?",
                (
                    Option("yes", "The ticked ones belong", "y"), Option("personal", "The ticked ones are personal", "p"),
                    Option("no", "None of it", "n"),
                ),
                [Tick(row.code, words_of(row)) for row in rows],
            )  # fmt: skip

    def answer(self, asking: Asking, question: Question, said: str, words: str, ticked: Sequence[str]) -> str:
        """Put the ticked ones on the claim, or mark them personal; what is not ticked is not asked again."""
        known = [tick.value for tick in question.ticks]
        chosen = [code for code in known if code in ticked]
        if said == "no":
            asking.say_no(*(_answered(code) for code in known))
            return "They stay in the tray."
        if not chosen:
            raise Refusal("Tick what you mean first, or say that none of it belongs.")
        if said == "personal":
            made = sorting.all_personal(asking.member, sorting.things(chosen))
        elif said == "yes":
            made = take_into(asking.member, sorting.things(chosen), asking.claim.pk)
        else:
            raise Refusal("Say whether they belong to the trip, are personal, or neither.")
        left = [_answered(code) for code in known if code not in chosen]
        if left:
            asking.say_no(*left)
        return (
            f"{len(made)} {'is' if len(made) == 1 else 'are'} {'personal' if said == 'personal' else 'on the claim'}."
        )


def _answered(code: str) -> str:
    """Under what it is kept that a row was answered with no: its paper and its charge, whatever was booked for them."""
    return f"row:{':'.join(code.split(':')[:2])}"


KIND = Fallen()
