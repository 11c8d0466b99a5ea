"""Whole tasks by hand, each act counted: how much a person does until it is done, and how much it may never be."""

from __future__ import annotations

import json
import os
from datetime import UTC, datetime, time, timedelta
from decimal import Decimal
from pathlib import Path

from django.core import mail

from demo.bank import camt, ledger_moves_on
from demo.papers import Printed, clean_png, photo
from demo.story import proof
from tests.apps.world import FIELD, OFFICE, WorldTestCase, eur
from tests.hand import Hand
from wainwright import clock
from wainwright.accounts.models import KeptSplit
from wainwright.bookings.models import Booking
from wainwright.claims.models import Claim
from wainwright.claims.services import books, road
from wainwright.expenses.models import Charge, Expense
from wainwright.formats.places import place
from wainwright.masters.models import MerchantSupplier, Supplier
from wainwright.reports.following import look_again
from wainwright.reports.sending import send_due
from wainwright.standins.ledger.models import LedgerCode
from wainwright.trips.models import Trip
from wainwright.trips.services import moving, nights, plan
from wainwright.trips.services import road as trips

FIRST_WAY = "(.//*[contains(@class,'ways-list')]//a)[1]"


class TaskTestCase(WorldTestCase):
    """Counts what is done by however many hands."""

    def hand(self, member, start: str = "/") -> Hand:
        hand = Hand(member, start, self.done)
        self.hands.append(hand)
        return hand

    def setUp(self):
        super().setUp()
        self.hands: list[Hand] = []

    def took(self, task: str, most: int) -> None:
        """Keep how many inputs a task took; it fails where they are more than they may be."""
        count = sum(hand.inputs for hand in self.hands)
        if told_to := os.environ.get("WAINWRIGHT_TASKS"):
            with Path(told_to).open("a", encoding="utf-8") as file:
                file.write(json.dumps([task, count, most]) + "\n")
        self.assertLessEqual(count, most, task)


class DecidingTest(TaskTestCase):
    def test_a_claim_that_waits_with_a_colleague(self):
        claim = self.sent_claim()
        signe = self.hand(self.signe, "/bench/queue/")
        signe.press("Waiting for others")
        signe.press("Take over")
        signe.press("Approve")
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "In finance check")
        road.clear(self.priya, claim.pk, Claim.objects.get(pk=claim.pk).version)
        with self.done():
            books.post(self.priya, claim.pk, Claim.objects.get(pk=claim.pk).version)
        priya = self.hand(self.priya, "/ledger/pay/")
        priya.press("It was paid", "by-hand")
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Settled")
        self.took("a claim that waits with a colleague", 4)

    def test_a_posting_that_was_refused(self):
        claim = self.cleared_claim(coding=FIELD)
        LedgerCode.objects.filter(firm="ltd", code="P-0417").update(open_until=self.today - timedelta(days=1))
        with self.done():
            books.post(self.priya, claim.pk, claim.version)
        priya = self.hand(self.priya)
        priya.press("Mend them")
        priya.press("C-0001")
        priya.put("code-project", "P-0431", "recode")
        priya.press("Correct", "recode")
        priya.press("Post again")
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Posted")
        self.took("a posting that was refused", 6)

    def test_an_approver_with_a_claim_of_their_own(self):
        self.sent_claim()
        self.sent_claim(who=self.aiko, costs=("30.00",))
        own = self.a_claim(who=self.tobias, coding=OFFICE)
        for each in own.expenses.all():
            proof(each, 3)
        tobias = self.hand(self.tobias, f"/claims/{own.pk}/")
        tobias.put("name", "Tobias Achterberg", "certify")
        tobias.press("Certify and send", "certify")
        tobias.press("Bench")
        tobias.press("Pass on")
        tobias.put("to", "Ottilie Marsh")
        tobias.put("comment", "The quay is yours: is this right?", "pass-on")
        tobias.press("Pass on", "pass-on")
        self.took("an approver: own claim, pass on, remark", 7)

    def test_a_claim_is_taken_back(self):
        claim = self.sent_claim()
        maren = self.hand(self.maren, f"/claims/{claim.pk}/")
        maren.press("Take it back")
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Open")
        self.took("a claim taken back", 1)


class ClosingTest(TaskTestCase):
    def test_month_end(self):
        self.cleared_claim()
        priya = self.hand(self.priya, "/ledger/month/")
        priya.press("Its journal as CSV")
        self.assertIn("csv", priya.fetched.headers["Content-Type"])
        callum = self.hand(self.callum, "/rules/safeguards/")
        callum.put("roles", "finance")
        callum.put("factor_from", (self.today + timedelta(days=7)).isoformat())
        callum.press("Set the safeguards")
        callum.go(f"/people/{self.luca.pk}/")
        callum.press("They leave")
        callum.press("Retire Luca Ferreira")
        callum.sees("Luca Ferreira has no access")
        benedikt = self.hand(self.benedikt)
        benedikt.press("Brackwater Survey Ltd")
        benedikt.press("Work in Brackwater Norge AS")
        benedikt.sees("Auditor, Brackwater Norge AS")
        self.took("month end", 8)

    def test_a_ledger_is_connected(self):
        ledger_moves_on("ltd")
        self.a_cost(paid_by="central", merchant="Skerry Air")
        hand = self.hand(self.priya, "/ledger/masters/")
        hand.press("Keep the connection")
        hand.go(hand.path)
        hand.press("Take 11 changes")
        hand.press("Connect all as proposed")
        hand.sees("as proposed", "connected with a supplier")
        told = dict(MerchantSupplier.objects.values_list("merchant", "supplier__name"))
        self.assertEqual(told["skerry air"], "Skerry Air")
        self.assertEqual(Supplier.objects.filter(member=self.maren).count(), 1)
        hand.put("to", "Desmond Kvale")
        hand.press("Hand it over")
        hand.sees("Desmond Kvale holds the connection now")
        self.took("a ledger connected, its masters taken, people and merchants mapped, handed over", 5)

    def test_a_card_is_tied_to_a_bank_account(self):
        card, claim = self.maren.cards.get(), self.a_claim()
        cost = self.a_cost(paid_by="firm", days_ago=9)
        Expense.objects.filter(pk=cost.pk).update(claim=claim)
        Charge.objects.create(
            firm=cost.firm, owner=self.maren, card=card, expense=cost, bank_id="q1", date=cost.date, merchant="PIER TAXI",
            currency="EUR", amount_minor=20_00, state="In an expense",
        )  # fmt: skip
        self.post_claim(claim)
        hand = self.hand(self.priya, "/ledger/masters/")
        hand.press("Add the account")
        hand.press("Add it")
        rows = [(cost.date, "-20.00", "PIER TAXI", f"card {card.last_four}", "", "q1")]
        hand.attach("file", statement__xml=camt("4402", rows, "0.00", "-20.00"))
        hand.press("Take the statement in")
        hand.go("/ledger/bank/1/")
        hand.press("It is")
        hand.sees("100 % of the lines are told")
        self.took("a card tied to a bank account, expenses reconcile", 5)

    def test_a_report_by_mail(self):
        self.post_claim(self.a_claim())
        look_again(self.priya.firm)
        hand = self.hand(self.priya, "/reports/spend-by-category/")
        hand.press("Keep, then send it")
        hand.put("forms", "xlsx")
        hand.put("forms", "csv")
        hand.press("Send it so")
        monday = self.today + timedelta(days=7 - self.today.weekday())
        with clock.at(datetime.combine(monday, time(8), UTC)), self.done():
            send_due()
        sent = [each for each in mail.outbox if "Spend by category" in each.subject]
        self.assertEqual([len(each.attachments) for each in sent], [3])
        hand.press("Ask it now")
        hand.sees("What do we spend on?")
        self.took("a report in three formats by mail, kept, again", 5)

    def test_bought_elsewhere(self):
        trip = self.a_trip(starts=30)
        hand = self.hand(self.maren, f"/trips/{trip.pk}/")
        hand.press("+ bought elsewhere")
        hand.put("number", "FL-77-2", "by-hand")
        hand.put("amount", "88.20", "by-hand")
        hand.put("fee", "12", "by-hand")
        hand.press("Record it")
        hand.sees("FL-77-2, is recorded, and its fee of 12.00")
        self.assertEqual(sorted(b.price.minor for b in Booking.objects.filter(by_hand=True)), [12_00, 88_20])
        self.took("a ticket and a fee bought elsewhere", 5)


class BookingTest(TaskTestCase):
    def planned(self):
        first = self.today + timedelta(days=35 - self.today.weekday())
        maren = self.hand(self.maren, "/trips/")
        maren.press("Start a trip")
        maren.put("title", "Gauge check, Bergen")
        maren.put("purpose", "Recalibrating the gauges")
        maren.put("line", f"bergen {first} to {first + timedelta(days=3)}, flight")
        maren.press("Start the trip")
        return maren

    def test_a_return_flight(self):
        maren = self.planned()
        maren.inputs = 0
        maren.press("Find ways")
        maren.press_at(FIRST_WAY)
        maren.press_at(FIRST_WAY)
        maren.sees("Nothing is given back", "What it does to the trip")
        maren.press("Hold th")
        maren.press("Seats of Flight Cork")
        seat = maren.page.xpath("(.//*[contains(@class,'seat')]//input[not(@disabled)])[1]")[0]
        maren.put(seat.get("name"), seat.get("value"))
        maren.press("Ask for these seats")
        maren.press("Mail it to")
        self.took("a return flight by price and hour, conditions, seats, mail", 8)

    def test_one_payer_for_the_car(self):
        maren = self.planned()
        maren.press("Find a car")
        maren.inputs = 0
        maren.press_at(".//tr[contains(., 'contracted')]//a")
        maren.put("pays", "billed to the firm")
        maren.press("Hold this car")
        car = Booking.objects.get(kind="car")
        self.assertEqual((car.paid_by, car.card), ("central", ""))
        self.took("one payer for the hire car, another for all else", 3)


class ClaimingTest(TaskTestCase):
    def test_a_first_claim(self):
        maren = self.hand(self.maren, "/tray/")
        maren.press("Type a cost")
        maren.put("merchant", "Pier taxi")
        maren.put("amount", "18,50")
        maren.put("category", "taxi")
        maren.press("Keep the cost")
        maren.press_at(".//main//a[@href='/tray/']")
        maren.press("Make the claim")
        self.certified(maren)
        self.took("a first claim with one expense", 9)

    def certified(self, hand: Hand) -> Claim:
        claim = Claim.objects.latest("pk")
        hand.put("name", claim.claimant.person.name, "certify")
        hand.press("Certify and send", "certify")
        hand.sees("In sign-off")
        return claim

    def test_a_newcomers_receipt(self):
        maren = self.hand(self.maren, "/tray/")
        lines = (
            "PIER TAXI",
            f"{self.today - timedelta(days=1):%d.%m.%Y}",
            ("Pier to airport", "19.60"),
            ("TOTAL EUR", "19.60"),
        )
        maren.attach("files", receipt__jpg=photo(Printed(lines)))
        maren.go("/tray/")
        maren.press("Take A")
        maren.press("Make the claim")
        self.certified(maren)
        self.took("a newcomer's first receipt to the sent claim", 6)

    def charge(self, shop: str, amount: str, day) -> Charge:
        return Charge.objects.create(
            firm=self.maren.firm, owner=self.maren, card=self.maren.cards.get(), bank_id=f"b-{shop}", merchant=shop.upper(), date=day,
            currency="EUR", amount_minor=eur(amount).minor,
        )  # fmt: skip

    def test_from_charges_and_papers(self):
        trip = self.authorised_trip(starts=-10)
        for shop, amount in (("Quay Stores", "31.40"), ("Pier taxi", "19.60")):
            self.charge(shop, amount, trip.starts)
        hand = self.hand(self.maren, "/tray/")
        lines = ("QUAY STORES", f"{trip.starts:%d.%m.%Y}", ("Rope", "31.40"), ("TOTAL EUR", "31.40"), "Card **** 4410")
        hand.attach("files", rope__jpg=photo(Printed(lines)))
        hand.go("/tray/")
        hand.press("Take the 1 that fits")
        hand.press("Type a ride")
        hand.put("date", trip.starts.isoformat())
        hand.put("origin", "Cork")
        hand.put("target", "Cobh")
        hand.put("there_and_back", "on")
        hand.press("Keep the ride")
        hand.press("Trips")
        hand.press(trip.title)
        hand.press("Make the claim")
        hand.press("The ticked ones belong")
        hand.press("Split it")
        hand.put("split-coding", "3140", which=1)
        hand.put("split-share", "40", which=1)
        hand.press("Split it", "split")
        claim = self.certified(hand)
        self.assertEqual((claim.expenses.count(), len(claim.shares)), (3, 1))
        self.took("a claim from charges, papers, allowance, a ride there and back, split, certified", 18)

    def test_splits(self):
        claim = self.a_claim(costs=("20.00", "24.00"))
        hand = self.hand(self.maren, f"/claims/{claim.pk}/?split=all")
        hand.put("split-coding", "3140", which=1)
        hand.put("split-share", "40", which=1)
        hand.put("kept-name", "Field and boats")
        hand.press("Split it", "split")
        self.assertTrue(KeptSplit.objects.filter(name="Field and boats").exists())
        hand.sees("2 codings")
        hand.press("Split it", "by-coding")
        hand.put("split-by", "amount")
        hand.put("split-share", "100.00", which=1)
        # Of two lines the script gives the other what is left; the browser's walk looks at that.
        hand.inputs -= 1
        hand.put("split-share", "89.00", which=0)
        hand.press("Split it", "split")
        self.assertIn("100.00", str(Claim.objects.get().shares))
        self.took("splits by share and amount, several at once, kept, summary", 8)


class PlanningTest(TaskTestCase):
    def signed(self, hand: Hand, name: str = "Maren Oyelaran") -> Trip:
        hand.put("name", name, "certify")
        hand.press("Certify and send", "certify")
        hand.sees("Awaiting sign-off")
        return Trip.objects.latest("pk")

    def test_look_over_and_sign(self):
        trip = self.a_trip(starts=30)
        nights.set_stay(
            self.maren,
            trip.pk,
            [night.date for night in trip.nights.all()],
            "Lamp Quay Hotel",
            Decimal(170),
            "firm",
            False,
        )
        hand = self.hand(self.maren, f"/trips/{trip.pk}/")
        hand.press("Say why")
        hand.put("words", "The only rooms with a quay")
        hand.press("Explain")
        hand.press("Look it over and sign")
        hand.sees(
            "Your details", "Itinerary goes to", "Lamp Quay Hotel", "The only rooms with a quay", "line manager of"
        )
        self.signed(hand)
        self.took("look over, copy of the profile, reasons, route, signature", 6)

    def test_an_advance_and_its_claim(self):
        trip = self.a_trip(starts=30)
        hand = self.hand(self.maren, f"/trips/{trip.pk}/")
        hand.press("Advance")
        hand.put("advance", "100")
        hand.put("why", "The boatman takes cash only")
        hand.press("Ask for it")
        hand.press("Look it over and sign")
        hand.put("advance_confirmed", "1")
        self.signed(hand)
        self.approve_all("trip", trip.pk)
        later = datetime.combine(self.today + timedelta(days=40), time(9), UTC)
        with clock.at(later):
            trips.move_along(later)
            cost = self.a_cost(amount="40.00", days_ago=-31, merchant="Quay Inn", category="lodging")
            proof(cost, 4)
            hand = self.hand(self.maren, f"/trips/{trip.pk}/")
            hand.press("Lunch")
            hand.press("Make the claim")
            hand.go(f"/expenses/{cost.pk}/")
            hand.put("personal", "50 %")
            hand.press("Keep that")
            hand.press("Keep the parts")
            hand.go(f"/claims/{Claim.objects.get().pk}/")
            hand.put("name", "Maren Oyelaran", "certify")
            hand.press("Certify and send", "certify")
            hand.sees("In sign-off")
            self.took("an advance, then a claim with allowance, meals off, half personal, a bill broken down", 15)

    def test_a_whole_trip(self):
        first = self.today + timedelta(days=35 - self.today.weekday())
        hand = self.hand(self.maren, "/trips/new/")
        hand.put("purpose", "Recalibrating the gauges in Bergen")
        hand.put("line", f"bergen {first} to {first + timedelta(days=3)}, flight")
        hand.press("Start it and find ways")
        hand.press_at(FIRST_WAY)
        hand.press_at(FIRST_WAY)
        hand.put("wish", "window")
        hand.press("Hold th")
        hand.press("Find a car")
        hand.press_at(".//tr[contains(., 'contracted')]//a")
        hand.put("words", "Two gauges to carry to the pier")
        hand.press("Hold this car")
        hand.press("no house yet")
        hand.put("cost", "180")
        hand.put("lifted", "on")
        hand.put("why", "The only rooms with a quay for the boat")
        hand.press("Keep the nights")
        hand.attach(
            "file",
            ".//*[@id='in-the-way']",
            comparison__png=clean_png(Printed(("ROOMS", "Bergen", ("Quay rooms", "180.00")))),
        )
        hand.press("Look it over and sign")
        hand.sees("Itinerary goes to", "The only rooms with a quay", "Two gauges to carry")
        self.signed(hand)
        self.approve_all("trip", Trip.objects.get().pk)
        self.assertEqual(Trip.objects.get().state, "Authorised")
        self.took(
            "an authorised trip with profile, flights, seats, car, estimates, a lifted ceiling, reasons, signature", 20
        )

    def test_supplied_quarters(self):
        first = self.today + timedelta(days=35 - self.today.weekday())
        hand = self.hand(self.maren, "/trips/new/")
        hand.put("purpose", "Round the western gauges")
        hand.put("line", f"own car cork to dublin {first} 7:00")
        hand.press("Start the trip")
        hand.put(
            "line",
            "flight dublin to bergen mon 12:30 17:30; ferry florø thu 7:30; coach bergen fri 6:00; flight cork fri 15:00 17:20",
        )
        hand.press("Add")
        hand.press("+ a cost")
        hand.put("category", "parking")
        hand.put("label", "Tolls")
        hand.put("amount", "11.30")
        hand.press("Add", "slot-doors")
        hand.press("Papers none yet")
        hand.attach("file", "slot-doors", agenda__png=clean_png(Printed(("AGENDA", "Florø", ("Gauges", "09:00")))))
        hand.press("no house yet")
        hand.put("cost", "170")
        hand.press("Keep the nights")
        hand.press("Say why")
        hand.put("words", "No other rooms with a quay that week")
        hand.press("Explain")
        hand.press("Look it over and sign")
        self.signed(hand)
        trip = Trip.objects.get()
        self.assertEqual([night.supplied for night in trip.nights.all()], [False, False, False, True])
        self.took("supplied quarters with own car, tolls, papers, one reason for three, signature", 22)


class RulesTest(TaskTestCase):
    def test_rules_then_a_claim_with_mileage(self):
        callum = self.hand(self.callum, f"/people/{self.aiko.pk}/")
        callum.put("roles", "approver")
        callum.press("Set the place")
        callum.go("/rules/figures/")
        callum.put("claim_days", "14")
        callum.press("Set the figures")
        callum.go("/rules/limits/")
        callum.put(f"limit-{self.tobias.pk}", "6000")
        callum.press("Set what is typed")
        callum.go("/rules/mileage/?like=car")
        callum.put("bands", "0.50", "another")
        callum.press("Put it in force")
        maren = self.hand(self.maren, "/expenses/ride/")
        maren.put("origin", "Cork")
        maren.put("target", "Cobh")
        maren.press("Keep the ride")
        maren.press_at(".//main//a[@href='/tray/']")
        maren.press("Make the claim")
        maren.sees("24 km × 0.5")
        maren.put("name", "Maren Oyelaran", "certify")
        maren.press("Certify and send", "certify")
        maren.sees("In sign-off")
        self.aiko.refresh_from_db()
        self.tobias.refresh_from_db()
        self.assertEqual((self.aiko.approver, self.tobias.limit_minor), (True, 6000_00))
        self.took("roles, policy, limits, rates, then a claim with mileage", 15)


class MovingTest(TaskTestCase):
    def test_a_family_members_claim(self):
        own = plan.start_trip(self.maren, "Move to Dublin", "Three years there", self.maren.coding, kind="move")
        party = moving.add_mover(self.maren, own.pk, "Idris Oyelaran", "partner", apart=True)
        home, there = place("ORK"), place("DUB")
        day = self.today + timedelta(days=20)
        for trip, mode in ((own, "rail"), (party, "air")):
            plan.add_leg(
                self.maren,
                trip.pk,
                mode,
                home,
                there,
                datetime.combine(day, time(9)),
                datetime.combine(day, time(12)),
                Decimal(80),
                "firm",
            )
        hand = self.hand(self.maren, f"/trips/{own.pk}/?open=move")
        for question, answer in (
            ("flat", "yes"),
            ("goods", "The firm's mover"),
            ("vehicles", "0"),
            ("tickets", "The firm"),
        ):
            hand.put(f"q-{question}", answer)
        hand.press("Keep the answers")
        hand.press("Look it over and sign")
        hand.put("name", "Maren Oyelaran", "certify")
        hand.press("Certify and send", "certify")
        hand.sees("Awaiting sign-off")
        for trip in (own, party):
            self.approve_all("trip", trip.pk)
        later = datetime.combine(day + timedelta(days=3), time(9), UTC)
        with clock.at(later):
            for _ in range(2):
                trips.move_along(later)
            hand = self.hand(self.maren, f"/trips/{party.pk}/")
            hand.press("Make the claim")
            hand.press("Type a cost")
            hand.put("merchant", "Quay taxi")
            hand.put("amount", "22.00")
            hand.put("category", "taxi")
            hand.press("Keep the cost")
            claim = Claim.objects.get(trip=party)
            hand.go(f"/claims/{claim.pk}/")
            hand.sees("Idris Oyelaran")
            hand.put("name", "Maren Oyelaran", "certify")
            hand.press("Certify and send", "certify")
            hand.sees("In sign-off")
        self.took("a family member's claim for a move", 18)
