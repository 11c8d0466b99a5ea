"""Sorting the tray: narrowed, many at once, put aside, refused, handed on, undone."""

from datetime import timedelta

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright import clock
from wainwright.bookings.models import Booking
from wainwright.claims.models import Claim
from wainwright.core.matching import Charge as CoreCharge
from wainwright.core.matching import Paper, best_pairs
from wainwright.errors import Refusal, Stale
from wainwright.expenses.models import Charge, Expense, Receipt, RefusedPair
from wainwright.expenses.selectors import Narrow, tray
from wainwright.expenses.services import sorting, taking
from wainwright.expenses.services.sorting import Thing, things
from wainwright.people.models import Card, Membership, Person


class SortingTest(WorldTestCase):
    def a_charge(self, ago=5, minor=1960, merchant="PIER TAXI", who=None):
        who = who or self.maren
        return Charge.objects.create(
            firm=who.firm, owner=who, card=Card.objects.filter(owner=who).first(), bank_id=f"s{Charge.objects.count()}",
            date=self.today - timedelta(days=ago), merchant=merchant, currency="EUR", amount_minor=minor,
        )  # fmt: skip

    def a_paper(self, ago=5, total="19.60", merchant="Pier taxi"):
        receipt = self.a_receipt()
        day = self.today - timedelta(days=ago)
        Receipt.objects.filter(pk=receipt.pk).update(
            expense=None, sha256=f"{receipt.pk:0>64}", day=day,
            fields={n: {"value": v, "sure": 0.9, "box": [0, 0, 0, 1, 1]} for n, v in (("total", total), ("merchant", merchant), ("date", day.isoformat()), ("currency", "EUR"))},
        )  # fmt: skip
        return receipt

    def test_rows_as_forms_name_them(self):
        self.assertEqual(
            things(["12:7", "12:", ":7", "x", ":", "::3", "1:2:3", "1:2:3:4", "9" * 40 + ":"]),
            [Thing(12, 7), Thing(12, None), Thing(None, 7), Thing(1, 2, 3)],
        )
        for wrong in ([], ["x"], ["1:"] * 201):
            with self.subTest(wrong[:1]), self.assertRaises(Refusal):
                things(wrong)

    def a_booking(self, minor=41000, kind="air", carrier="Skerry Air", leaves=10, **more):
        trip = self.authorised_trip()
        more = {"paid_by": "firm", "state": "Ticketed", "card": self.maren.cards.first().last_four} | more
        return Booking.objects.create(
            firm=trip.firm, trip=trip, booker=self.maren, kind=kind, carrier=carrier, label=f"{carrier} for it", currency="EUR",
            price_minor=minor, cheapest_minor=minor, departure=clock.now() - timedelta(days=leaves), asked=clock.now() - timedelta(days=40),
            once=f"b{Booking.objects.count()}", placed=True, ticket_number=f"T-{Booking.objects.count()}", **more,
        )  # fmt: skip

    @shows("R4.1")
    def test_a_charge_and_its_paper_find_their_booking_and_one_key_takes_all_three(self):
        air, stay = self.a_booking(), self.a_booking(18000, "stay", "Quay House", leaves=8)
        self.a_booking(18000, "stay", "Quay House", state="Cancelled")
        flown = self.a_charge(39, 41000, "SKERRY AIR 77123")
        slept, bill = self.a_charge(7, 18000, "QUAY HOUSE CORK"), self.a_paper(7, "180.00", "Quay House")
        other = self.a_charge(7, 18100, "QUAY HOUSE CORK")
        rows = {row.charge.pk: row for row in tray(self.maren).rows if row.charge}
        self.assertEqual((rows[flown.pk].booking, rows[flown.pk].fits), (air, True))
        self.assertEqual(rows[slept.pk].names, (bill.pk, slept.pk, stay.pk))
        self.assertEqual((rows[other.pk].booking, rows[other.pk].fits), (None, False))
        self.enter(self.maren)
        page = self.client.get("/tray/")
        self.assertContains(page, "in its time")
        self.client.post("/tray/take/", {"charge": flown.pk, "booking": air.pk})
        self.client.post("/tray/sort/", {"act": "take", "row": rows[slept.pk].code})
        self.assertEqual([e.category for e in Expense.objects.filter(booking__in=[air, stay]).order_by("pk")], ["air", "lodging"])  # fmt: skip
        self.assertEqual(air.expenses.get().reference, air.ticket_number)
        with self.assertRaisesRegex(Stale, "its cost already"):
            taking.take(self.maren, None, other.pk, air.pk)
        theirs = self.a_charge(7, 18000, "QUAY HOUSE CORK", who=self.aiko)
        sorting.undo(self.maren, [stay.expenses.get().pk])
        with self.assertRaisesRegex(Stale, "its cost already"):
            taking.take(self.aiko, None, theirs.pk, stay.pk)
        self.assertEqual(tray(self.aiko).rows[0].booking, None)

    def test_what_one_paid_oneself_finds_its_booking_by_the_paper_and_what_the_firm_is_billed_does_not(self):
        rail, billed = self.a_booking(5400, "rail", "Coast Rail", paid_by="self", card=""), self.a_booking(6600, "rail", "Coast Rail", paid_by="central")  # fmt: skip
        own, invoice = self.a_paper(9, "54.00", "Coast Rail"), self.a_paper(9, "66.00", "Coast Rail")
        rows = {row.paper.pk: row for row in tray(self.maren).rows}
        self.assertEqual((rows[own.pk].booking, rows[invoice.pk].booking), (rail, None))
        with self.assertRaises(Stale):
            taking.take(self.maren, invoice.pk, None, billed.pk)

    def test_a_tip_on_the_card_is_known_by_the_category(self):
        for merchant, minor, fits in (
            ("NORD RESTAURANT", 4600, True),
            ("NORD RESTAURANT", 5100, False),
            ("PIER CHANDLER TOOLS", 4600, False),
        ):
            with self.subTest(merchant, minor=minor):
                Receipt.objects.all().delete()
                Charge.objects.all().delete()
                self.a_charge(5, minor, merchant)
                self.a_paper(5, "40.00", merchant.title())
                row = tray(self.maren).rows[0]
                self.assertEqual(bool(row.pair), fits)
                if fits:
                    self.assertIn("as a tip would be", row.pair.why)
                    self.assertEqual(taking.take(self.maren, *row.names).amount_minor, 4600)

    @shows("C2.1")
    def test_many_are_taken_and_undone_together(self):
        charges = [self.a_charge(minor=1000 + n) for n in range(4)]
        taken = sorting.take_many(self.maren, [Thing(None, c.pk) for c in charges])
        self.assertEqual(Charge.objects.filter(state="In an expense").count(), 4)
        with self.assertRaises(Stale):
            sorting.take_many(self.maren, [Thing(None, self.a_charge().pk), Thing(None, charges[0].pk)])
        self.assertEqual(Charge.objects.filter(state="Loose").count(), 1)
        self.assertEqual(sorting.undo(self.maren, [e.pk for e in taken]), 4)
        self.assertEqual(Charge.objects.filter(state="Loose").count(), 5)
        with self.assertRaises(Stale):
            sorting.undo(self.maren, [e.pk for e in taken])
        with self.assertRaises(Stale):
            sorting.undo(self.aiko, [e.pk for e in sorting.take_many(self.maren, [Thing(None, charges[0].pk)])])

    def test_put_aside_with_a_reason_and_brought_back(self):
        charge, paper = self.a_charge(), self.a_paper()
        rows = [Thing(paper.pk, charge.pk)]
        self.assertEqual(sorting.put_aside(self.maren, rows, "Waiting for the hotel"), 2)
        self.assertEqual((tray(self.maren).charges, tray(self.maren).aside), (0, 2))
        self.assertEqual(len(tray(self.maren, Narrow(aside=True)).rows), 1)
        sorting.put_aside(self.maren, rows, "")
        self.assertEqual((tray(self.maren).charges, tray(self.maren).aside), (1, 0))
        with self.assertRaises(Stale):
            sorting.put_aside(self.aiko, rows, "Mine")

    def test_a_refused_pair_is_not_proposed_again_until_allowed(self):
        charge, paper = self.a_charge(), self.a_paper()
        self.assertTrue(tray(self.maren).rows[0].pair)
        row = Thing(paper.pk, charge.pk)
        sorting.refuse_pair(self.maren, row)
        self.assertFalse([r for r in tray(self.maren).rows if r.pair])
        sorting.allow_pair(self.maren, row)
        self.assertTrue([r for r in tray(self.maren).rows if r.pair])
        with self.assertRaises(Stale):
            sorting.allow_pair(self.maren, row)
        with self.assertRaises(Stale):
            sorting.refuse_pair(self.aiko, row)

    def test_a_paper_is_handed_to_whom_it_belongs(self):
        paper, charge = self.a_paper(), self.a_charge()
        for rows, email in [([Thing(paper.pk, None)], "nobody@brackwater.example"), ([Thing(None, charge.pk)], self.aiko.person.email),
                            ([Thing(paper.pk, None)], self.maren.person.email), ([Thing(paper.pk, None)], self.liv.person.email)]:  # fmt: skip
            with self.subTest(email=email), self.assertRaises(Refusal):
                sorting.give_to(self.maren, rows, email)
        with self.done():
            sorting.give_to(self.maren, [Thing(paper.pk, None)], "AIKO.brandt@brackwater.example")
        paper.refresh_from_db()
        self.assertEqual(paper.owner, self.aiko)
        self.assertTrue(self.aiko.notices.filter(text__contains="into your tray").exists())

    def test_a_name_serves_too_where_it_tells_one_from_all_others(self):
        paper = self.a_paper()
        Membership.objects.filter(pk=self.tobias.pk).update(traveller=True)
        Person.objects.filter(pk=self.tobias.person_id).update(name="Aiko Brandtner")
        with self.assertRaisesMessage(Refusal, "Type the mail address of the one you mean"):
            sorting.give_to(self.maren, [Thing(paper.pk, None)], "aiko")
        with self.assertRaisesMessage(Refusal, "Say to whom"):
            sorting.give_to(self.maren, [Thing(paper.pk, None)], "  ")
        with self.done():
            self.assertEqual(sorting.give_to(self.maren, [Thing(paper.pk, None)], " Aiko  brandt "), self.aiko)

    def test_narrowing(self):
        self.a_charge(ago=45)
        self.a_charge(ago=3)
        self.a_paper()
        for narrow, count in [
            (Narrow(), 3),
            (Narrow(old=True), 1),
            (Narrow(kind="papers"), 1),
            (Narrow(kind="charges"), 2),
            (Narrow(card="0000", kind="charges"), 0),
        ]:
            with self.subTest(narrow=narrow):
                found = tray(self.maren, narrow).rows
                self.assertEqual(len(found) + sum(bool(r.pair) for r in found), count)

    def test_by_the_page(self):
        charges = [self.a_charge(minor=1000 + n) for n in range(3)]
        self.enter(self.maren)
        rows = [f":{c.pk}" for c in charges]
        for data, says in [
            ({"act": "take"}, "Tick at least one row"), ({"act": "nonsense", "row": rows}, "Choose what to do"), ({"act": "aside", "row": rows[:1]}, "Say in a word why"),
            ({"act": "aside", "row": rows[:1], "reason": "later"}, "put aside: later"), ({"act": "take", "row": rows[1:]}, "2 are expenses now"),
        ]:  # fmt: skip
            with self.subTest(says):
                self.assertContains(self.client.post("/tray/sort/", data, follow=True), says)
        self.assertContains(self.client.post("/tray/undo/", follow=True), "2 undone")
        self.assertContains(self.client.get("/tray/?aside=on"), "put aside: later")
        claim = self.a_claim()
        done = self.client.post(
            "/tray/sort/", {"act": "claim", "row": rows[1:], "to": f"claim:{claim.pk}"}, follow=True
        )
        self.assertContains(done, "and on the claim")
        self.assertEqual(Expense.objects.filter(claim=claim, charge__in=charges).count(), 2)
        again = self.client.post(
            "/tray/sort/", {"act": "claim", "row": rows[1:], "to": f"claim:{claim.pk}"}, follow=True
        )
        self.assertContains(again, "taken already")
        self.assertContains(
            self.client.post("/tray/sort/", {"act": "claim", "row": rows[:1], "to": "x:1"}, follow=True),
            "Choose the claim or the trip",
        )
        for path in ("/tray/?month=2026-13", "/tray/?month=x&card='&kind=z", "/tray/?old=1&month=2026-01"):
            self.assertEqual(self.client.get(path).status_code, 200)
        self.assertEqual(RefusedPair.objects.count(), 0)

    def a_trip_back(self):
        trip = self.a_trip()
        trip.state = "Back"
        trip.save(update_fields=["state"])
        return trip

    def test_to_a_trip_that_has_no_claim_yet(self):
        charge = self.a_charge(minor=4380)
        trip = self.a_trip_back()
        self.enter(self.maren)
        self.assertContains(self.client.get("/tray/"), f"trip:{trip.pk}")
        done = self.client.post(
            "/tray/sort/", {"act": "claim", "row": f":{charge.pk}", "to": f"trip:{trip.pk}"}, follow=True
        )
        self.assertContains(done, "and on the claim")
        self.assertEqual(Expense.objects.get(charge=charge).claim.trip, trip)
        # What cannot be taken leaves no claim behind.
        other = self.a_trip_back()
        self.client.post("/tray/sort/", {"act": "claim", "row": ":999999", "to": f"trip:{other.pk}"})
        self.assertFalse(Claim.objects.filter(trip=other).exists())

    def test_a_pair_refused_by_the_key_is_undone_by_the_key(self):
        paper, charge = self.a_paper(), self.a_charge()
        self.enter(self.maren)
        self.client.post("/tray/sort/", {"act": "refuse", "row": f"{paper.pk}:{charge.pk}"})
        self.assertEqual(RefusedPair.objects.count(), 1)
        self.assertContains(self.client.get("/tray/"), "Undo the last")
        self.assertContains(self.client.post("/tray/undo/", follow=True), "may be one cost again")
        self.assertEqual(RefusedPair.objects.count(), 0)


class MatchingQuicklyTest(WorldTestCase):
    def test_two_hundred_papers_against_five_hundred_charges(self):
        from wainwright.core.money import Money  # noqa: PLC0415

        papers = [Paper(str(n), f"Shop {n % 40}", self.today, Money.from_minor(1000 + n, "EUR")) for n in range(200)]
        charges = [
            CoreCharge(str(n), f"SHOP {n % 40} CORK", self.today, Money.from_minor(1000 + n, "EUR")) for n in range(500)
        ]
        pairs = best_pairs(papers, charges)
        self.assertEqual({(p.paper, p.charge) for p in pairs}, {(str(n), str(n)) for n in range(200)})
        self.assertNotIn(("3", "3"), {(p.paper, p.charge) for p in best_pairs(papers, charges, {("3", "3")})})
