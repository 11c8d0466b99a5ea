"""What lies loose in the days of the trip: does it belong to it?"""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from wainwright.claims.questions.base import Asking, Kind, Option, Question, Tick
from wainwright.claims.services.compose import take_into
from wainwright.claims.services.drafting import day_of
from wainwright.core.said import joined, say, say_many
from wainwright.core.workings import day_text
from wainwright.errors import Refusal
from wainwright.expenses.selectors import Row
from wainwright.expenses.services import sorting


def words_of(row: Row) -> str:
    """A row of the tray in a few words: who, how much, when, by what."""
    name = row.charge.merchant.title() if row.charge is not None else (row.paper.value("merchant") or row.paper.name)
    amount = joined("", (", ", row.amount, " ", row.amount.currency)) if row.amount is not None else ""
    by = (
        say(", card {last_four}", last_four=row.charge.card.last_four)
        if row.charge is not None
        else say(", a paper alone")
    )
    pays = say(", pays {booking_label}", booking_label=row.booking.label) if row.booking is not None else ""
    return joined("", (name, amount, ", ", day_text(day_of(row)), by, pays))


class Fallen(Kind):
    """Everything that may belong and was not paired in doubt is asked at once: what is ticked goes on the claim."""

    code = "fallen"
    order = 10

    def find(self, asking: Asking) -> Iterable[Question]:
        """One question for all of it."""
        rows = [row for row in asking.rows if (row.pair is None or row.pair.sure) and row.amount is not None]
        if rows:
            many = (
                say("{rows_count} things lie loose", rows_count=len(rows))
                if len(rows) > 1
                else say("One thing lies loose")
            )
            yield Question(
                "fallen", self.code, say("{the_many} in the days of this trip. What of it belongs to it?", the_many=many),
                (
                    Option("yes", say("The ticked ones belong"), "y"), Option("personal", say("The ticked ones are personal"), "p"),
                    Option("no", say("None of it"), "n"),
                ),
                [Tick(row.code, words_of(row)) for row in rows],
            )  # fmt: skip

    def answer(self, asking: Asking, question: Question, said: str, words: str, ticked: Sequence[str]) -> str:
        """Put the ticked ones on the claim, or mark them personal; what is not ticked is not asked again."""
        known = [tick.value for tick in question.ticks]
        chosen = [code for code in known if code in ticked]
        if said == "no":
            asking.say_no(*(_answered(code) for code in known))
            return say("They stay in the tray.")
        if not chosen:
            raise Refusal(say("Tick what you mean first, or say that none of it belongs."))
        if said == "personal":
            made = sorting.all_personal(asking.member, sorting.things(chosen))
        elif said == "yes":
            made = take_into(asking.member, sorting.things(chosen), asking.claim.pk)
        else:
            raise Refusal(say("Say whether they belong to the trip, are personal, or neither."))
        left = [_answered(code) for code in known if code not in chosen]
        if left:
            asking.say_no(*left)
        if said == "personal":
            return say_many("{count} is personal.", "{count} are personal.", len(made))
        return say_many("{count} is on the claim.", "{count} are on the claim.", len(made))


def _answered(code: str) -> str:
    """Under what it is kept that a row was answered with no: its paper and its charge, whatever was booked for them."""
    return f"row:{':'.join(code.split(':')[:2])}"


KIND = Fallen()
