"""Sentences: English as they are kept, their message and figures remembered, and known again when they were kept as text."""

import pickle
from datetime import date
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from wainwright.core import said
from wainwright.core.money import Money
from wainwright.core.recognising import Messages
from wainwright.core.said import Said, as_figure, both, capital, joined, kept, said_by, say, say_many, small
from wainwright.core.workings import Step, day_text, plain

NAMES = st.text(alphabet="abcdefgh ÅØ", min_size=1, max_size=12).map(str.strip).filter(bool)


class SaidTest(TestCase):
    def setUp(self):
        reader = said._reader
        self.addCleanup(said.read_by, reader)
        said.read_by(None)

    def test_a_sentence_is_its_english_wherever_text_is_kept_or_compared(self):
        words = say("{name} is {days} days old", name="Taxi", days=3)
        self.assertEqual(words, "Taxi is 3 days old")
        self.assertEqual(f"{words}!", "Taxi is 3 days old!")
        self.assertEqual({words: 1}["Taxi is 3 days old"], 1)
        self.assertEqual((words.message, words.figures), ("{name} is {days} days old", {"name": "Taxi", "days": 3}))
        self.assertEqual(say("100 % {of} it"), "100 % {of} it")

    def test_it_is_read_as_it_is_shown_and_stays_what_it_is_in_what_is_kept(self):
        words = say_many("{count} day", "{count} days", 2)
        said.read_by(lambda sentence: f"<{sentence.message}>")
        self.assertEqual(str(words), "<{count} days>")
        self.assertEqual(f"{words}", "2 days")
        self.assertEqual("2 days", words)
        self.assertEqual(str(ValueError(words)), "<{count} days>")
        self.assertEqual(said_by(ValueError(words)), "2 days")

    def test_one_and_many(self):
        self.assertEqual([say_many("{count} day", "{count} days", n) for n in (0, 1, 2)], ["0 days", "1 day", "2 days"])

    def test_put_together_it_is_still_a_sentence(self):
        whole = say("Held") + joined(", ", [say("by {name}", name="Aiko"), Money.of("12.50", "EUR")]) + "."
        self.assertIsInstance(whole, Said)
        self.assertEqual(whole, "Heldby Aiko, 12.50.")
        self.assertEqual("Now: " + say("held"), "Now: held")
        self.assertIsInstance("Now: " + say("held"), Said)
        self.assertEqual(capital(say("held")), "Held")

    def test_within_another_it_begins_small_and_what_is_looked_for_may_be_typed_in_either_language(self):
        words = small(say("Held by {name}", name="Aiko"))
        said.read_by(lambda sentence: f"<{sentence.english}>")
        self.assertEqual((words, words.large, str(words)), ("held by Aiko", False, "<held by Aiko>"))
        self.assertEqual((both("Aiko"), both(say("held"))), (("Aiko", "Aiko"), ("held", "<held>")))

    def test_it_goes_through_the_queue(self):
        words = pickle.loads(pickle.dumps(say("{name} is held", name="Taxi")))
        self.assertEqual((words, words.message, words.figures), ("Taxi is held", "{name} is held", {"name": "Taxi"}))

    def test_figures_know_what_they_are(self):
        self.assertEqual((as_figure(Decimal("1240.5"), ",.2f"), as_figure(1240, ",")), ("1,240.50", "1,240"))
        self.assertEqual(day_text(date(2026, 10, 14)).value, date(2026, 10, 14))
        self.assertEqual((plain(Decimal("0.750")), plain(Decimal("0.750")).value), ("0.75", Decimal("0.75")))
        step = Step(say("Sum of the days"), "1,240.50", "BW-1", date(2025, 1, 1)).sentence()
        self.assertEqual(step, "Sum of the days (BW-1) from 1 Jan 2025: 1,240.50")
        self.assertEqual(kept("Sum of the days"), "Sum of the days")


MESSAGES = Messages(
    [
        (text, text)
        for text in (
            "{name} was declared lost", "{name} was declared lost by {who}", "Sum of the days", "{a} from {b}",
            "The claim is due by {day}.", "{title} waits for you{more}", "{cost} for {nights} nights in {town}",
            "charge of {date} on {card}: {merchant} {charge_amount}", "{item_label}, {item_amount}, has no receipt.",
        )
    ]
    + [("{count} line is open", "{count} lines are open")]
)  # fmt: skip


class RecognisingTest(TestCase):
    def test_an_amount_is_told_from_the_name_before_it(self):
        for text, name, amount in (
            ("charge of Tue 1 Sep on Quayside 4444: STOCZNIA SUPPLIES 1,187.35", "STOCZNIA SUPPLIES", "1,187.35"),
            ("charge of Tue 1 Sep on Quayside 4444: BAR 17 −20.00 EUR", "BAR 17", "−20.00 EUR"),
            ("Miller, Sons, 12.00, has no receipt.", "Miller, Sons", "12.00"),
            # Where no figure stands, it is known all the same.
            ("Miller, nothing, has no receipt.", "Miller", "nothing"),
        ):
            with self.subTest(text):
                figures = MESSAGES.find(text).figures
                self.assertEqual(list(figures.values())[-2:], [name, amount])

    def test_the_message_that_says_most_is_taken(self):
        found = MESSAGES.find("Taxi was declared lost by Aiko Brandt")
        self.assertEqual(found.many, "{name} was declared lost by {who}")
        self.assertEqual(found.figures, {"name": "Taxi", "who": "Aiko Brandt"})

    def test_a_part_that_goes_on_with_a_word_may_be_missing(self):
        for text, more in (("A survey waits for you", ""), ("A survey waits for you, late", ", late")):
            self.assertEqual(MESSAGES.find(text).figures, {"title": "A survey", "more": more})

    def test_what_says_too_little_is_not_taken_for_another(self):
        self.assertIsNone(MESSAGES.find("A very long title of a trip from somewhere quite far away"))
        self.assertIsNone(MESSAGES.find("Nothing like it"))

    def test_one_and_many(self):
        self.assertEqual(MESSAGES.find("1 line is open").number, 1)
        self.assertEqual(MESSAGES.find("12 lines are open").number, 12)

    @given(NAMES, NAMES)
    def test_whatever_the_names_a_sentence_is_known_by_its_message(self, name, who):
        text = f"{name} was declared lost by {who}"
        found = MESSAGES.find(text)
        self.assertEqual(found.many.format(**found.figures), text)
