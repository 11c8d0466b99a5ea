"""Advances besides a run: raised after they were paid, paid by hand, come back before a claim takes them."""

from __future__ import annotations

from datetime import timedelta
from decimal import Decimal

from tests.apps.world import WorldTestCase, eur
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.models import Payment, Posting
from wainwright.claims.models import Claim
from wainwright.claims.paying import advances_to_pay, at_bank, owing
from wainwright.claims.services import advances, books, closing, compose
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.trips.models import Trip
from wainwright.trips.selectors import advance_words, outstanding_advances
from wainwright.trips.services import plan, standing
from wainwright.trips.services import road as trips


class Advances(WorldTestCase):
    def advanced(self, amount: int = 60, starts: int = 5) -> Trip:
        trip = self.a_trip(starts=starts)
        plan.ask_advance(self.maren, trip.pk, Decimal(amount), eur(500), "Hotel asks for cash")
        self.send(trip)
        return Trip.objects.get(pk=trip.pk)

    def send(self, trip: Trip) -> None:
        trip.refresh_from_db()
        trips.send(self.maren, trip.pk, trip.version, "Maren Oyelaran", True)
        with self.done():
            self.approve_all("trip", trip.pk)

    def pay(self, trip: Trip) -> Payment:
        with self.done():
            run = books.pay(self.priya, [], self.today, [trip.pk])
        return run.payments.get()

    def raised(self, trip: Trip, to: int) -> Trip:
        trips.reopen(self.maren, trip.pk)
        plan.ask_advance(self.maren, trip.pk, Decimal(to), eur(500), "Hotel asks for cash")
        self.send(trip)
        return Trip.objects.get(pk=trip.pk)


class RaisedTest(Advances):
    @shows("A4.4")
    def test_what_it_was_raised_by_is_paid_once_and_the_claim_takes_all(self):
        trip = self.advanced(60)
        self.assertEqual(self.pay(trip).amount, eur(60))
        trip = self.raised(trip, 100)
        self.assertEqual((trip.advance_to_pay, trip.advance_out, trip.advance_paid), (eur(40), eur(60), True))
        self.assertIn("40.00 more is asked for", advance_words(trip))
        self.assertEqual(owing(self.priya, at_bank(self.priya.firm_id)).minor, 40_00)
        self.assertEqual(self.pay(trip).amount, eur(40))
        trip.refresh_from_db()
        self.assertEqual((trip.advance_to_pay, trip.advance_out), (eur(0), eur(100)))
        self.assertEqual(list(advances_to_pay(self.priya)), [])
        with self.assertRaises(Stale):
            books.pay(self.priya, [], self.today, [trip.pk])
        self.assertEqual(outstanding_advances(self.maren, Trip(pk=0), "EUR"), eur(100))
        subjects = set(Payment.objects.values_list("subject", flat=True))
        self.assertEqual(subjects, {f"advance:{trip.pk}", f"advance:{trip.pk}:6000"})
        Trip.objects.filter(pk=trip.pk).update(state="Back")
        claim = compose.bare_claim(self.maren, trip.pk)
        self.enter(self.maren)
        self.assertContains(self.client.get(f"/claims/{claim.pk}/"), "−100.00")

    def test_it_is_never_lowered_below_what_was_paid_nor_raised_over_the_proposal(self):
        trip = self.advanced(60)
        self.pay(trip)
        trips.reopen(self.maren, trip.pk)
        for wanted, words in (
            (Decimal(50), "raised, not lowered"),
            (Decimal(501), "between nothing"),
            (Decimal(-1), "raised"),
        ):
            with self.assertRaisesMessage(Refusal, words):
                plan.ask_advance(self.maren, trip.pk, wanted, eur(500), "Hotel asks for cash")
        # What was paid already is never asked to be confirmed again.
        trip.refresh_from_db()
        trips.send(self.maren, trip.pk, trip.version, "Maren Oyelaran")

    def test_a_change_that_comes_to_nothing_leaves_what_was_paid(self):
        trip = self.advanced(60)
        self.pay(trip)
        trips.reopen(self.maren, trip.pk)
        plan.ask_advance(self.maren, trip.pk, Decimal(90), eur(500), "Hotel asks for cash")
        standing.leave_as_signed(self.maren, trip.pk)
        trip.refresh_from_db()
        self.assertEqual((trip.advance, trip.advance_to_pay, trip.advance_out), (eur(60), eur(0), eur(60)))
        self.assertEqual(list(advances_to_pay(self.priya)), [])

    def test_the_rest_answered_after_the_claim_was_settled_stays_outstanding_alone(self):
        trip = self.advanced(60)
        self.pay(trip)
        trip = self.raised(trip, 100)
        Trip.objects.filter(pk=trip.pk).update(advance_settled=True)
        self.pay(trip)
        trip.refresh_from_db()
        self.assertEqual((trip.advance_settled, trip.advance_out), (False, eur(40)))


class ByHandTest(Advances):
    def test_once_with_its_journal_and_never_ones_own(self):
        trip = self.advanced(60)
        self.enter(self.priya)
        data = {"method": "cash", "on": self.today.isoformat(), "reference": "Till 12", "note": ""}
        page = self.client.post(f"/ledger/pay/advances/{trip.pk}/hand/", data | {"reference": ""})
        self.assertContains(page, "Say under which reference", status_code=422)
        with self.done():
            page = self.client.post(f"/ledger/pay/advances/{trip.pk}/hand/", data, follow=True)
        self.assertContains(page, "Paid by hand: cash")
        trip.refresh_from_db()
        self.assertEqual((trip.advance_paid, trip.advance_out), (True, eur(60)))
        self.assertEqual(Posting.objects.get(key__startswith="payment:").state, "Entered")
        with self.assertRaises(Stale):
            advances.pay_advance_by_hand(self.priya, trip.pk, "cash", self.today, "Till 13")
        with self.assertRaises(NotAllowed):
            advances.pay_advance_by_hand(self.maren, trip.pk, "cash", self.today, "Till 13")


class BackTest(Advances):
    def test_a_part_and_the_rest_come_back_and_the_trip_can_be_closed_without_a_claim(self):
        trip = self.advanced(60)
        self.pay(trip)
        self.enter(self.priya)
        base = f"/ledger/pay/advances/{trip.pk}/back/"
        data = {"amount": "25.00", "on": self.today.isoformat(), "reference": "Till 14"}
        for wrong, words in (
            ({"amount": "61"}, "up to the 60.00"),
            ({"amount": "x"}, "Type what came back"),
            ({"reference": ""}, "Say how it came in"),
            ({"on": (self.today + timedelta(days=2)).isoformat()}, "not come yet"),
        ):
            self.assertContains(self.client.post(base, data | wrong), words, status_code=422)
        with self.done():
            self.client.post(base, data)
        trip.refresh_from_db()
        self.assertEqual((trip.advance_out, trip.advance_settled), (eur(35), False))
        self.assertIn("25.00 of it came back", advance_words(trip))
        Trip.objects.filter(pk=trip.pk).update(state="Back")
        with self.assertRaisesMessage(Refusal, "The advance of 35.00 was paid"):
            closing.nothing_to_claim(self.maren, trip.pk)
        with self.done():
            advances.take_note_advance_back(self.priya, trip.pk, eur(35), self.today, "Till 15")
        trip.refresh_from_db()
        self.assertEqual((trip.advance_out, trip.advance_settled, trip.advance_paid), (eur(0), True, True))
        journals = Posting.objects.filter(key__startswith="advance-back:")
        self.assertEqual({row.state for row in journals}, {"Entered"})
        self.assertEqual(sum(row.total_minor for row in journals), 60_00)
        with self.assertRaises(Stale):
            advances.take_note_advance_back(self.priya, trip.pk, eur(1), self.today, "Till 16")
        self.assertEqual(list(advances_to_pay(self.priya)), [])
        closing.nothing_to_claim(self.maren, trip.pk)

    def test_not_where_a_claim_takes_it_nor_by_others(self):
        trip = self.advanced(60, starts=-4)
        self.pay(trip)
        trips.move_along(clock.now())
        self.a_cost(amount="80.00", days_ago=3)
        claim = compose.bare_claim(self.maren, trip.pk)
        self.send_claim(claim)
        with self.assertRaisesMessage(Refusal, Claim.objects.get(pk=claim.pk).code):
            advances.take_note_advance_back(self.priya, trip.pk, eur(10), self.today, "Till 14")
        for who in (self.maren, self.tobias):
            with self.assertRaises(NotAllowed):
                advances.take_note_advance_back(who, trip.pk, eur(10), self.today, "Till 14")
