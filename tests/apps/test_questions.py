"""Questions of the firm's own, from the form to the traveller: asked by day, of whom they are meant for, and what an answer decides."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta

from django.test import Client

from tests.apps.test_laying_down import LaidDown
from tests.coverage import shows
from wainwright.errors import Faults, NotAllowed, Refusal, Stale
from wainwright.people.models import Membership
from wainwright.rehearsal import in_force
from wainwright.rehearsal.questions import QUESTIONS, keep_question
from wainwright.rulebook.holding import renew
from wainwright.rulebook.models import FirmQuestion
from wainwright.rulebook.questions import QuestionTyped, read_question, typed_question
from wainwright.rulebook.selectors import rulebook
from wainwright.trips.models import Trip
from wainwright.trips.moving import asked_about, asked_of
from wainwright.trips.services import details

DAY = timedelta(days=1)
VISA = QuestionTyped(
    "Who sees to the visa?", kind="choice", choices="The firm\nYou yourselves", required=True, where="abroad"
)


class Questions(LaidDown):
    same_on_any_day = True

    def put(self, typed: QuestionTyped, since=None, code: str = "", named: str = "") -> FirmQuestion:
        row = keep_question(self.callum, typed, named, code=code)
        row = in_force.put_in_force(QUESTIONS, self.callum, row.pk, since or self.today, QUESTIONS.digest(row))
        self.maren.firm = self.callum.firm = self.priya.firm = self.firm()
        return row

    def asked(self, trip: Trip) -> list[str]:
        trip = Trip.objects.select_related("traveller__firm", "firm").get(pk=trip.pk)
        return [each.code for each in asked_of(rulebook(trip.firm), trip)]


class AskedTest(Questions):
    @shows("P1.2")
    def test_asked_abroad_of_whom_it_is_meant_for_from_its_day_on(self):
        trip = self.a_trip(starts=20)
        before = self.asked(trip)
        row = self.put(VISA, named="role traveller")
        self.assertEqual(self.asked(trip), [*before, row.code])
        with self.assertRaisesRegex(Refusal, "The firm, You yourselves"):
            details.answer(self.maren, trip.pk, {row.code: "nobody"})
        details.answer(self.maren, trip.pk, {row.code: "The firm"})
        self.assertEqual(Trip.objects.get(pk=trip.pk).answers[row.code], "The firm")
        # Changed from tomorrow on: what is asked today stays as it is.
        self.put(replace(typed_question(row), text="Who has the visa?"), self.today + DAY, row.code)
        self.assertEqual([each.text for each in asked_about(rulebook(self.firm()), "trip", self.maren) if each.code == row.code], [VISA.text])  # fmt: skip
        FirmQuestion.objects.filter(code=row.code).update(groups=["role:auditor"])
        renew(self.firm())
        self.assertEqual(self.asked(trip), before)

    def test_what_was_sent_stays_as_it_was_asked(self):
        trip = self.sent_trip(starts=20)
        before = self.asked(trip)
        row = self.put(VISA)
        FirmQuestion.objects.filter(pk=row.pk).update(since=self.today)
        Trip.objects.filter(pk=trip.pk).update(sent=trip.sent - 3 * DAY)
        self.assertEqual(self.asked(trip), before)

    @shows("S7.1")
    def test_hangs_on_another_and_in_no_circle(self):
        first = self.put(QuestionTyped("Are samples along?"))
        second = self.put(QuestionTyped("How many?", kind="number", after=first.code, answer="yes"))
        trip = self.a_trip(starts=20)
        self.assertNotIn(second.code, self.asked(trip))
        details.answer(self.maren, trip.pk, {first.code: "yes", second.code: "3"})
        self.assertEqual(Trip.objects.get(pk=trip.pk).answers, {first.code: "yes", second.code: "3"})
        details.answer(self.maren, trip.pk, {first.code: "no", second.code: "3"})
        self.assertEqual(Trip.objects.get(pk=trip.pk).answers, {first.code: "no"})
        with self.assertRaisesRegex(Faults, "circle"):
            keep_question(self.callum, replace(typed_question(first), after=first.code, answer="yes"), code=first.code)
        with self.assertRaisesRegex(Faults, "nothing can hang"):
            keep_question(self.callum, QuestionTyped("And of what?", after=second.code, answer="3"))
        with self.assertRaisesRegex(Refusal, "hangs on it"):
            in_force.end(QUESTIONS, self.callum, first.code, self.today, QUESTIONS.digest(first))
        with self.assertRaises(NotAllowed):
            keep_question(self.priya, VISA)


class TypedTest(Questions):
    def test_everything_that_is_wrong_is_said(self):
        with self.assertRaises(Faults) as wrong:
            read_question(self.firm(), QuestionTyped("?", "house", "maybe", "a", where="up", after="x"))
        self.assertEqual(set(wrong.exception.faults), {"text", "about", "kind", "choices", "where", "after"})
        move = QuestionTyped("Who moves the piano?", "move", "choice", "A mover\nYou")
        for row, words in (
            ({"what": "sum", "name": "Piano", "category": "removal", "amount": "0"}, "above zero"), ({"what": "sum", "amount": "100", "category": "removal"}, "is called"),
            ({"what": "cost", "name": "Piano", "category": "nowhere", "amount": "1"}, "no category"), ({"what": "vehicles"}, "numbers of vehicles"),
            ({"what": "tickets"}, "who pays"), ({"when": "Nobody", "what": "tickets", "paid_by": "self"}, "none of the answers"), ({"what": "dance"}, "say what it decides"),
            ({"what": "sum", "amuont": "75"}, "there is no amuont"),
        ):  # fmt: skip
            with self.subTest(row), self.assertRaisesRegex(Faults, words):
                read_question(self.firm(), replace(move, entitles=[row]))
        with self.assertRaisesRegex(Faults, "about a move"):
            read_question(self.firm(), QuestionTyped("Is it far?", entitles=[{"what": "tickets", "paid_by": "self"}]))
        kept = read_question(self.firm(), replace(move, entitles=[{"when": "You", "what": "sum", "name": "Piano", "category": "removal", "amount": "1,240.50"}]))  # fmt: skip
        self.assertEqual(kept.entitles[0]["amount"], "1240.50")

    def test_two_administrators_on_one(self):
        row = keep_question(self.callum, VISA)
        seen = QUESTIONS.digest(row)
        keep_question(self.callum, replace(VISA, text="Who sees to visas?"), row_id=row.pk, seen=seen)
        with self.assertRaises(Stale):
            keep_question(self.callum, VISA, row_id=row.pk, seen=seen)


class PagesTest(Questions):
    def setUp(self):
        super().setUp()
        self.browser = Client()
        self.browser.force_login(self.callum.person)

    @shows("S7.1")
    def test_a_move_is_asked_what_a_form_laid_down(self):
        form = {"text": "Who moves the piano?", "about": "move", "kind": "choice", "choices": "A mover\nYou", "d0-what": "sum", "d0-when": "You", "d0-name": "Piano", "d0-category": "removal"}  # fmt: skip
        answer = self.browser.post("/rules/questions/new/", form | {"d0-amount": "lots"})
        self.assertContains(answer, "Row 1: type an amount", status_code=422)
        self.assertContains(answer, 'value="Piano"', status_code=422)
        answer = self.browser.post("/rules/questions/new/", form | {"d0-amount": "180"})
        row = FirmQuestion.objects.get(firm=self.firm(), draft=True)
        self.assertRedirects(answer, f"/rules/questions/drafts/{row.pk}/")
        self.browser.post(
            f"/rules/questions/drafts/{row.pk}/force/", {"seen": QUESTIONS.digest(row), "on": str(self.today)}
        )
        self.assertContains(self.browser.get("/rules/questions/?q=piano"), "Who moves the piano?")
        self.assertContains(self.browser.get("/rules/?q=piano"), "Who moves the piano?")
        self.assertContains(self.browser.get(f"/rules/questions/of/{row.code}/"), "180")
        mover = Client()
        mover.force_login(Membership.objects.get(pk=self.maren.pk).person)
        self.assertEqual(mover.get("/rules/questions/new/").status_code, 403)
