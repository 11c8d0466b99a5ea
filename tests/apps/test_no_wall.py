"""Nobody stands before a wall: from every state somebody can go on, by an act that is there."""

from __future__ import annotations

import re
from datetime import timedelta
from decimal import Decimal

from django.urls import get_resolver

from tests.apps.world import FIELD, OFFICE, WorldTestCase, eur
from tests.codings import coded
from tests.coverage import shows
from wainwright.accounts.models import BudgetUse, Payment, Posting, PostingLine
from wainwright.bench import services as bench
from wainwright.bench.moving import move_on
from wainwright.claims.beside import owes
from wainwright.claims.models import Claim
from wainwright.claims.selectors import load_file
from wainwright.claims.services import books, closing, compose, drafting, road
from wainwright.core.journey import Meal
from wainwright.core.states import BOOKING, CHARGE, CLAIM, TRIP
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.models import Expense
from wainwright.expenses.services import rides
from wainwright.formats.places import best_place
from wainwright.news.models import Notice
from wainwright.people.models import Cover, Membership
from wainwright.signoff.models import SignOff
from wainwright.staff.services import Place, set_cover, set_place
from wainwright.standins.ledger.models import ClosedPeriod
from wainwright.trips.models import Trip
from wainwright.trips.selectors import load_file as load_trip
from wainwright.trips.selectors import trip_for
from wainwright.trips.services import plan
from wainwright.trips.services import road as trips
from wainwright.trips.services.itinerary import travelled
from wainwright.trips.services.nights import mark_meal
from wainwright.trips.services.standing import leave_as_signed

# From each state: who can go on, and by which act, as the name of its address; "" where the clock or the outside goes on by itself.
WAYS = {
    "trip": {
        "Planning": [("traveller", "trip-send"), ("traveller", "trip-call-off"), ("traveller", "trip-as-signed")],
        "Awaiting sign-off": [("approver", "approve"), ("approver", "end"), ("traveller", "trip-take-back"), ("cover", "")],
        "Sent back": [("traveller", "trip-send"), ("traveller", "trip-call-off"), ("traveller", "trip-as-signed")],
        "Authorised": [("time", ""), ("traveller", "trip-reopen"), ("traveller", "trip-call-off")],
        "Under way": [("time", ""), ("traveller", "claim-trip")],
        "Back": [("traveller", "claim-trip"), ("traveller", "trip-close")],
        "Closed": [("traveller", "claim-trip")],
        "Called off": [("traveller", "claim-trip")],
        "Turned down": [("traveller", "trip-new")],
    },
    "claim": {
        "Open": [("traveller", "claim-send"), ("traveller", "claim-withdraw"), ("delegate", "claim-ready")],
        "In sign-off": [("approver", "approve"), ("approver", "end"), ("traveller", "claim-take-back"), ("cover", "")],
        "Sent back": [("traveller", "claim-send"), ("traveller", "claim-withdraw")],
        "Turned down": [("traveller", "claim-trip"), ("traveller", "trip-close")],
        "Withdrawn": [("traveller", "claim-trip"), ("traveller", "trip-close")],
        "In finance check": [("finance", "clear"), ("finance", "finance-end")],
        "Cleared": [("finance", "post"), ("finance", "finance-end")],
        "Posting refused": [("finance", "post"), ("finance", "finance-end"), ("finance", "recode")],
        "Posted": [("finance", "pay-make"), ("finance", "paid-back"), ("traveller", "claim-pays-back")],
        "Settled": [("traveller", "claim-trip")],
    },
    "booking": {
        "Asked": [("worker", "")], "Held": [("time", ""), ("traveller", "booking-cancel")],
        "Confirmed": [("worker", ""), ("traveller", "booking-cancel")], "Ticketed": [("traveller", "booking-cancel")],
        "Lapsed": [("traveller", "hold")], "Cancelled": [("traveller", "hold")],
    },
    "charge": {
        "Loose": [("traveller", "take"), ("traveller", "personal"), ("finance", "remind")],
        "In an expense": [("traveller", "expense-remove"), ("traveller", "claim-move")],
        "Personal": [("traveller", "expense-remove")], "Posted": [("finance", "journal")],
    },
    "payment": {
        "Under way": [("bank", ""), ("finance", "pay-settle")], "Unclear": [("finance", "pay-settle")],
        "Failed": [("finance", "pay-make")], "Paid": [("finance", "pay-run")],
    },
}  # fmt: skip
WHO = {"traveller", "approver", "finance", "cover", "delegate", "time", "worker", "bank"}


class TableTest(WorldTestCase):
    def test_every_state_has_a_way_on_and_every_way_is_there(self):
        for machine in (TRIP, CLAIM, BOOKING, CHARGE):
            self.assertEqual(set(WAYS[machine.name]), set(machine.states), machine.name)
        self.assertEqual(set(WAYS["payment"]), set(Payment.State.values))
        known = set(get_resolver().reverse_dict) | {""}
        for thing, states in WAYS.items():
            for state, ways in states.items():
                with self.subTest(thing=thing, state=state):
                    self.assertTrue(ways)
                    self.assertLessEqual({who for who, _ in ways}, WHO)
                    self.assertLessEqual({act for _, act in ways}, known)


class TurnedDownTest(WorldTestCase):
    def turned_down(self, **options) -> Claim:
        claim = self.sent_claim(**options)
        bench.end(self.tobias, "claim", claim.pk, "turn_down", "The port pays for the taxi")
        return Claim.objects.get(pk=claim.pk)

    def test_its_costs_lie_in_the_tray_and_say_so_when_claimed_anew(self):
        claim = self.turned_down()
        expense = Expense.objects.get(owner=self.maren)
        self.assertEqual((expense.claim, expense.turned_down_in), (None, claim))
        self.enter(self.maren)
        self.assertContains(self.client.get("/tray/"), "The port pays for the taxi")
        again = drafting.claim_trip(self.maren, claim.trip_id)
        self.assertNotEqual(again.pk, claim.pk)
        self.assertEqual(again.expenses.count(), 0)
        self.client.post(f"/claims/{again.pk}/put-in/", {"expense": expense.pk})
        found = [
            e for e in load_file(self.maren, Claim.objects.get(pk=again.pk)).findings if e.finding.rule == "turned-down"
        ]
        self.assertIn(f"turned down on {claim.code}", found[0].finding.text)
        self.assertTrue(found[0].open)
        self.send_claim(again)
        self.enter(self.tobias)
        self.assertContains(self.client.get(f"/bench/claim/{again.pk}/"), f"turned down on {claim.code}")
        # The statement of the first says what it was, to whoever decided on it, with its evidence.
        self.assertContains(self.client.get(f"/claims/{claim.pk}/"), "Pier taxi 0")
        self.assertEqual(self.client.get(f"/expenses/{expense.pk}/").status_code, 200)

    def test_its_distance_is_free_until_it_is_claimed_again(self):
        claim = self.a_claim()
        ride = rides.type_ride(
            self.maren, rides.Ride(self.today - timedelta(days=9), best_place("Cork"), best_place("Cobh"), "car")
        )
        compose.put_in(self.maren, claim.pk, [ride.pk])
        self.send_claim(claim)
        before = rides.km_so_far(self.maren, self.today, "car")
        bench.end(self.tobias, "claim", claim.pk, "turn_down", "No rides here")
        self.assertEqual((before, rides.km_so_far(self.maren, self.today, "car")), (ride.km, 0))
        again = drafting.claim_trip(self.maren, claim.trip_id)
        compose.put_in(self.maren, again.pk, [ride.pk])
        self.assertEqual(rides.km_so_far(self.maren, self.today, "car"), ride.km)

    def test_withdrawn_and_the_trip_closed_without_a_claim(self):
        claim = self.a_claim()
        with self.assertRaisesRegex(Refusal, "Withdraw it first"):
            closing.nothing_to_claim(self.maren, claim.trip_id)
        with self.assertRaises(NotAllowed):
            closing.withdraw(self.benedikt, claim.pk, claim.version)
        with self.assertRaises(Stale):
            closing.withdraw(self.maren, claim.pk, claim.version + 5)
        closing.withdraw(self.maren, claim.pk, Claim.objects.get(pk=claim.pk).version)
        self.assertEqual(Expense.objects.get(owner=self.maren).claim, None)
        self.assertTrue(BudgetUse.objects.filter(subject=claim.trip.subject).exists())
        closing.nothing_to_claim(self.maren, claim.trip_id)
        self.assertEqual(Trip.objects.get(pk=claim.trip_id).state, "Closed")
        self.assertFalse(BudgetUse.objects.filter(subject=claim.trip.subject, committed_minor__gt=0).exists())


class BelowZeroTest(WorldTestCase):
    def with_advance(self, minor: int, **options) -> Claim:
        claim = self.a_claim(**options)
        Trip.objects.filter(pk=claim.trip_id).update(advance_minor=minor, advance_paid=True)
        return Claim.objects.get(pk=claim.pk)

    def posted(self, claim: Claim) -> Claim:
        self.send_claim(claim)
        with self.done():
            self.approve_all("claim", claim.pk)
        cleared = road.clear(self.priya, claim.pk, Claim.objects.get(pk=claim.pk).version)
        with self.done():
            books.post(self.priya, claim.pk, cleared.version)
        return Claim.objects.get(pk=claim.pk)

    def staff(self) -> int:
        """What staff owe less what they are owed, by the ledger."""
        return self.balance("owed_to_staff") + self.balance("owed_by_staff")

    def balance(self, name: str) -> int:
        """Debits less credits of one of the firm's accounts, as the ledger has it."""
        account = getattr(self.maren.firm.accounts, name)
        rows = PostingLine.objects.filter(account=account, posting__state="Entered", posting__firm=self.maren.firm)
        return sum(line.debit_minor - line.credit_minor for line in rows)

    def below(self) -> Claim:
        return self.posted(self.with_advance(50_000))

    @shows("C5.1")
    def test_it_is_followed_taken_from_the_next_claim_and_settled_by_it(self):
        below = self.below()
        back = -below.owed.minor
        self.assertGreater(back, 0)
        self.assertEqual((below.state, self.staff()), ("Posted", back))
        self.assertEqual([each.left.minor for each in owes(Claim.objects.filter(pk=below.pk))], [back])
        self.enter(self.maren)
        self.assertContains(self.client.get("/"), "taken from the next claim")
        self.enter(self.priya)
        self.assertContains(self.client.get("/ledger/pay/"), "Owed back to the firm")
        following = self.a_claim(costs=("800.00",))
        file = load_file(self.maren, following)
        whole = file.figures.settlement.sums
        self.assertEqual(whole.earlier.minor, back)
        due = (whole.own_money + whole.allowance).minor - back
        self.assertEqual(file.figures.settlement.due.minor, due)
        posted = self.posted(following)
        below.refresh_from_db()
        self.assertEqual((posted.owed.minor, below.state), (due, "Settled"))
        self.assertEqual(self.balance("owed_by_staff"), 0)
        self.assertEqual(self.staff(), -due)
        with self.done():
            books.pay(self.priya, [posted.pk], self.today)
        self.assertEqual(self.staff(), 0)

    def test_what_is_taken_off_is_free_again_when_the_next_claim_comes_back(self):
        below = self.below()
        following = self.sent_claim(costs=("800.00",))
        self.assertEqual(owes(Claim.objects.filter(pk=below.pk)), ())
        road.take_back(self.maren, following.pk)
        self.assertEqual(len(owes(Claim.objects.filter(pk=below.pk))), 1)
        self.send_claim(following)
        bench.end(self.tobias, "claim", following.pk, "turn_down", "Not ours")
        self.assertEqual(len(owes(Claim.objects.filter(pk=below.pk))), 1)

    def test_a_small_claim_takes_a_part_and_the_rest_stays_owed(self):
        below = self.below()
        back = -below.owed.minor
        small = compose.claim_loose(self.maren, "A taxi") if self.a_cost(amount="30.00") else None
        posted = self.posted(small)
        self.assertEqual((posted.owed.minor, posted.state), (0, "Settled"))
        below.refresh_from_db()
        self.assertEqual(below.state, "Posted")
        self.assertEqual(owes(Claim.objects.filter(pk=below.pk))[0].left.minor, back - 3000)

    def test_paid_by_the_traveller_and_noted_by_finance(self):
        below = self.below()
        closing.choose_pays_back(self.maren, below.pk, "self")
        self.assertEqual(load_file(self.maren, self.a_claim(costs=("800.00",))).figures.settlement.sums.earlier, eur(0))
        for member, error in ((self.maren, NotAllowed), (self.tobias, NotAllowed)):
            with self.subTest(member.name), self.assertRaises(error):
                closing.take_note_paid_back(member, below.pk, self.today, "Statement of today")
        self.enter(self.priya)
        page = self.client.post(f"/ledger/pay/back/{below.pk}/", {"on": "yesterday", "reference": "line 4"})
        self.assertContains(page, "Choose the day", status_code=422)
        with self.done():
            self.client.post(f"/ledger/pay/back/{below.pk}/", {"on": str(self.today), "reference": "line 4"})
        below.refresh_from_db()
        self.assertEqual((below.state, self.staff(), self.balance("owed_by_staff")), ("Settled", 0, 0))
        self.assertEqual(Posting.objects.get(key__startswith="paid-back").state, "Entered")
        with self.assertRaises(Stale):
            closing.take_note_paid_back(self.priya, below.pk, self.today, "again")

    def test_called_off_after_its_advance_was_paid(self):
        trip = self.authorised_trip(starts=12)
        Trip.objects.filter(pk=trip.pk).update(advance_minor=20_000, advance_paid=True)
        trips.call_off(self.maren, trip.pk)
        self.enter(self.priya)
        self.assertContains(self.client.get("/ledger/pay/"), "Advances that are out")
        self.enter(self.maren)
        self.assertContains(self.client.get(f"/trips/{trip.pk}/"), "Make the claim")
        claim = drafting.claim_trip(self.maren, trip.pk)
        settlement = load_file(self.maren, claim).figures.settlement
        self.assertEqual((settlement.sums.allowance, settlement.owed_back), (eur(0), eur("200.00")))
        self.posted(claim)
        self.assertEqual(owes(Claim.objects.filter(pk=claim.pk))[0].left, eur("200.00"))
        self.assertTrue(Trip.objects.get(pk=trip.pk).advance_settled)


class SupplementTest(WorldTestCase):
    @shows("C11.1")
    def test_only_what_came_later_and_the_difference_of_the_allowance(self):
        claim = self.sent_claim()
        with self.done():
            self.approve_all("claim", claim.pk)
        cleared = road.clear(self.priya, claim.pk, Claim.objects.get(pk=claim.pk).version)
        with self.done():
            books.post(self.priya, claim.pk, cleared.version)
            books.pay(self.priya, [claim.pk], self.today)
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Settled")
        self.a_cost(amount="14.00", merchant="Forgotten tram")
        self.enter(self.maren)
        self.assertContains(self.client.get(f"/trips/{claim.trip_id}/"), "Claim what came later")
        self.client.post(f"/trips/{claim.trip_id}/claim/")
        more = Claim.objects.get(supplements=claim)
        self.assertEqual([e.merchant for e in more.expenses.all()], ["Forgotten tram"])
        self.assertNotEqual(more.number, claim.number)
        lines = load_file(self.maren, more).figures.lines
        self.assertEqual([line.kind for line in lines], ["cost"])
        trip = Trip.objects.get(pk=claim.trip_id)
        mark_meal(self.maren, trip.pk, trip.starts + timedelta(days=1), Meal.LUNCH)
        file = load_file(self.maren, Claim.objects.get(pk=more.pk))
        allowance = next(line for line in file.figures.lines if line.kind == "allowance")
        self.assertEqual(allowance.says, eur("-17.40"))
        self.assertIn(f"claimed already on {claim.code}", " ".join(allowance.workings))
        self.assertEqual(drafting.claim_trip(self.maren, trip.pk).pk, more.pk)

    def test_while_the_first_is_decided_and_both_come_back(self):
        first = self.sent_claim()
        whole = first.statement.allowance_minor
        self.a_cost(amount="14.00", merchant="Forgotten tram")
        more = drafting.claim_trip(self.maren, first.trip_id)
        self.send_claim(more)
        bench.end(self.tobias, "claim", first.pk, "send_back", "Which pier?")
        sums = [load_file(self.maren, Claim.objects.get(pk=pk)).figures.settlement.sums for pk in (first.pk, more.pk)]
        self.assertEqual([each.allowance.minor for each in sums], [whole, 0])
        road.take_back(self.maren, more.pk)
        sums = [load_file(self.maren, Claim.objects.get(pk=pk)).figures.settlement.sums for pk in (first.pk, more.pk)]
        self.assertEqual([each.allowance.minor for each in sums], [whole, 0])


class StandsTest(WorldTestCase):
    def test_a_change_that_is_turned_down_leaves_what_was_signed(self):
        trip = self.authorised_trip(starts=12, coding=FIELD)
        before = self.as_it_is(trip)
        used = list(BudgetUse.objects.order_by("pk").values_list("budget__code", "committed_minor"))
        trips.reopen(self.maren, trip.pk)
        plan.change_head(self.maren, trip.pk, "Another title", "Another purpose", OFFICE)
        plan.remove_leg(self.maren, trip.pk, trip.legs.last().pk)
        plan.add_other(self.maren, trip.pk, "taxi", "A boat", Decimal(300), "self")
        at = trip.legs.first()
        plan.add_leg(
            self.maren,
            trip.pk,
            "air",
            at.end,
            at.start,
            at.arrives + timedelta(days=4),
            at.arrives + timedelta(days=4, hours=3),
            Decimal(90),
            "firm",
        )
        self.send_again(trip)
        bench.end(self.tobias, "trip", trip.pk, "turn_down", "It stays as it was")
        self.assertEqual(self.as_it_is(trip), before)
        self.assertEqual(list(BudgetUse.objects.order_by("pk").values_list("budget__code", "committed_minor")), used)
        trips.reopen(self.maren, trip.pk)
        leave_as_signed(self.maren, trip.pk)
        self.assertEqual(self.as_it_is(trip), before)
        with self.assertRaises(Stale):
            leave_as_signed(self.maren, trip.pk)

    def test_a_first_plan_that_is_turned_down_is_over(self):
        trip = self.sent_trip(starts=12)
        bench.end(self.tobias, "trip", trip.pk, "turn_down", "Not this year")
        self.assertEqual(Trip.objects.get(pk=trip.pk).state, "Turned down")

    def send_again(self, trip: Trip) -> None:
        file = load_trip(self.maren, trip_for(self.maren, trip.pk))
        for each in file.findings:
            if each.open and each.finding.level == "explain":
                reason = each.finding.reasons[0] if each.finding.reasons else ""
                plan.explain(self.maren, trip.pk, [each.finding], [each.finding.identity], reason, "It had to be so")
        trips.send(self.maren, trip.pk, Trip.objects.get(pk=trip.pk).version, self.maren.person.name)

    def as_it_is(self, trip: Trip) -> list:
        now = Trip.objects.get(pk=trip.pk)
        rows = [list(rows.order_by("pk").values()) for rows in (now.legs.all(), now.nights.all(), now.others.all())]
        return [
            now.state,
            now.title,
            now.purpose,
            now.codes,
            now.starts,
            now.ends,
            now.signed_id,
            now.advance_minor,
            *rows,
        ]


class TravelledTest(WorldTestCase):
    @shows("R8.1")
    def test_the_allowance_follows_the_legs_that_were_really_travelled(self):
        claim = self.a_claim()
        trip = Trip.objects.get(pk=claim.trip_id)
        before, leg = load_file(self.maren, claim).allowance, trip.legs.last()
        self.enter(self.maren)
        url = f"/trips/{trip.pk}/legs/{leg.pk}/travelled/"
        day = leg.leaves.date() + timedelta(days=1)
        typed = {"leaves_day": str(day), "leaves_time": "15:00", "arrives_day": str(day), "arrives_time": "18:00"}
        bad = self.client.post(url, typed | {"arrives_day": str(self.today + timedelta(days=40))})
        self.assertContains(bad, "has not arrived yet", status_code=422)
        self.client.post(url, typed)
        after = load_file(self.maren, Claim.objects.get(pk=claim.pk)).allowance
        self.assertEqual(after - before, eur("58.00"))
        # What was signed stays, and the claim shows both.
        page = self.client.get(f"/claims/{claim.pk}/planned/")
        self.assertContains(page, "Planned: air Bergen – Cork")
        self.assertContains(page, "+58.00")
        self.send_claim(claim)
        self.client.post(url, typed | {"leaves_time": "11:00"})
        trip.refresh_from_db()
        self.assertEqual(trip.legs.last().leaves.hour, 15)

    def test_not_before_it_has_begun_and_not_by_others(self):
        trip = self.authorised_trip(starts=12)
        leg = trip.legs.first()
        with self.assertRaises(Stale):
            travelled(self.maren, trip.pk, leg.pk, leg.leaves, leg.arrives)
        with self.assertRaises(Trip.DoesNotExist):
            travelled(self.aiko, trip.pk, leg.pk, leg.leaves, leg.arrives)


class PeopleTest(WorldTestCase):
    def place(self, who: Membership, **more) -> Place:
        return Place(**({"manager": who.manager_id or 0, "limit": who.limit, "roles": frozenset(who.roles)} | more))

    def test_a_traveller_without_manager_is_stopped_and_helped(self):
        Membership.objects.filter(pk=self.maren.pk).update(manager=None)
        claim = self.a_cost() and compose.claim_loose(self.maren, "A taxi")
        texts = [e.finding.text for e in load_file(self.maren, claim).findings if e.open]
        self.assertTrue(any("An administrator can name one under People" in text for text in texts))
        self.enter(self.callum)
        self.assertContains(self.client.get("/people/"), "nobody: nothing of theirs can be signed")
        page = f"/people/{self.maren.pk}/"
        self.assertContains(self.client.get(page), "has no line manager")
        typed = {"manager": "achterberg", "limit": "", "roles": ["traveller"]}
        self.assertContains(self.client.post(page + "place/", typed, follow=True), "place is set")
        self.assertEqual([e for e in load_file(self.maren, claim).findings if e.finding.rule.startswith("route")], [])

    def test_places_that_cannot_be(self):
        for who, more, words in [
            (self.tobias, {"manager": self.maren.pk}, "would be led by"), (self.maren, {"manager": self.maren.pk}, "would be led by"),
            (self.maren, {"manager": 10**6}, "who is here"), (self.maren, {"roles": frozenset()}, "at least one"),
            (self.maren, {"roles": frozenset({"king"})}, "of the list"), (self.callum, {"roles": frozenset({"traveller"})}, "Another administrator"),
        ]:  # fmt: skip
            with self.subTest(words), self.assertRaisesRegex(Refusal, words):
                set_place(self.callum, who.pk, self.place(who, **more))
        with self.assertRaises(NotAllowed):
            set_place(self.tobias, self.maren.pk, self.place(self.maren))
        with self.assertRaises(Membership.DoesNotExist):
            set_place(self.callum, self.liv.pk, self.place(self.liv))

    def test_the_only_one_in_finance_is_stopped_before_sending(self):
        Membership.objects.filter(firm=self.priya.firm).exclude(pk=self.priya.pk).update(finance=False)
        self.a_cost(self.priya)
        claim = compose.claim_loose(self.priya, "A taxi")
        texts = [e.finding.text for e in load_file(self.priya, claim).findings if e.open]
        self.assertTrue(any("Nobody else in finance" in text for text in texts), texts)
        set_place(self.callum, self.callum.pk, self.place(self.callum, roles=frozenset({"administrator", "finance"})))
        texts = [e.finding.text for e in load_file(self.priya, claim).findings if e.open]
        self.assertFalse(any("in finance" in text for text in texts))

    def test_what_waits_for_somebody_away_goes_on_by_itself(self):
        claim = self.sent_claim()
        with self.done():
            set_cover(self.tobias, self.tobias.pk, self.ottilie.pk, self.today, self.today + timedelta(days=5))
        waiting = SignOff.objects.get(subject=claim.subject, state="Waiting")
        self.assertEqual((waiting.signer, waiting.covers, waiting.turn), (self.ottilie, "Tobias Achterberg", True))
        self.assertTrue(Notice.objects.filter(member=self.ottilie, text__contains="waits for your sign-off").exists())
        self.assertTrue(Notice.objects.filter(member=self.maren, text__contains="Ottilie Marsh decides").exists())
        self.assertEqual(move_on(self.maren.firm_id), 0)
        bench.approve(self.ottilie, "claim", claim.pk)
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "In finance check")

    def test_what_waits_for_somebody_gone_goes_up(self):
        claim = self.sent_claim()
        Membership.objects.filter(pk=self.tobias.pk).update(active=False)
        with self.done():
            self.assertEqual(move_on(self.maren.firm_id), 1)
        above = SignOff.objects.get(subject=claim.subject, state="Waiting").signer
        self.assertEqual(above.pk, self.tobias.manager_id)
        Membership.objects.filter(pk=above.pk).update(active=False, manager=None)
        with self.done():
            self.assertEqual((move_on(self.maren.firm_id), move_on(self.maren.firm_id)), (0, 0))
        told = Notice.objects.filter(member=self.callum, text__contains="nobody can sign in their place")
        self.assertEqual(told.count(), 1)
        self.enter(self.callum)
        self.assertEqual(self.client.get(told.get().link).status_code, 200)

    def test_covers_that_cannot_be(self):
        day = timedelta(days=1)
        for by, since, until, words in [
            (self.tobias, self.today, self.today, "another approver"), (self.maren, self.today, self.today, "another approver"),
            (self.ottilie, self.today, self.today - day, "before it begins"), (self.ottilie, self.today - day * 9, self.today - day * 8, "over already"),
            (self.liv, self.today, self.today, "another approver"),
        ]:  # fmt: skip
            with self.subTest(words), self.assertRaisesRegex(Refusal, words):
                set_cover(self.tobias, self.tobias.pk, by.pk, since, until)
        with self.assertRaises(NotAllowed):
            set_cover(self.maren, self.tobias.pk, self.ottilie.pk, self.today, self.today)
        set_cover(self.tobias, self.tobias.pk, self.ottilie.pk, self.today, self.today + day)
        with self.assertRaisesRegex(Refusal, "named for these days"):
            set_cover(self.tobias, self.tobias.pk, self.signe.pk, self.today + day, self.today + day * 3)
        cover = Cover.objects.get(member=self.tobias)
        self.enter(self.maren)
        self.client.post(f"/people/{self.tobias.pk}/cover/{cover.pk}/end/")
        self.assertTrue(Cover.objects.filter(pk=cover.pk).exists())
        self.enter(self.tobias)
        self.client.post(f"/people/{self.tobias.pk}/cover/{cover.pk}/end/")
        self.assertFalse(Cover.objects.filter(pk=cover.pk).exists())


class PeriodTest(WorldTestCase):
    def test_a_month_closed_between_approval_and_posting_is_posted_on_another_day_or_sent_back(self):
        claim = self.cleared_claim()
        ClosedPeriod.objects.create(firm=claim.firm.slug, month=f"{self.today:%Y-%m}")
        with self.done():
            refused = books.post(self.priya, claim.pk, claim.version)
        self.assertEqual(refused.state, "Posting refused")
        self.enter(self.priya)
        page = f"/bench/claim/{claim.pk}/"
        self.assertContains(self.client.get(page), 'name="on"')
        answer = self.client.post(page + "post/", {"version": refused.version, "on": "someday"}, follow=True)
        self.assertContains(answer, "is no day")
        day = self.today.replace(day=1) - timedelta(days=1)
        with self.done():
            self.client.post(page + "post/", {"version": refused.version, "on": str(day)})
        self.assertEqual(Posting.objects.get(key=claim.journal_key).date, day)
        other = self.cleared_claim(costs=("21.00",))
        self.client.post(
            f"/bench/claim/{other.pk}/finance/send-back/", {"version": other.version, "comment": "The month is closed"}
        )
        self.assertEqual(Claim.objects.get(pk=other.pk).state, "Sent back")


class AuditorTest(WorldTestCase):
    same_on_any_day = True

    @shows("U3.2")
    def test_every_link_that_an_auditor_is_shown_opens(self):
        claim = self.sent_claim(coding=coded("3120"))
        posted = self.cleared_claim(costs=("22.00",))
        with self.done():
            books.post(self.priya, posted.pk, posted.version)
        self.enter(self.benedikt)
        seen, wanted = (
            set(),
            [
                "/",
                "/trips/",
                "/claims/",
                f"/trips/{claim.trip_id}/",
                f"/claims/{claim.pk}/",
                "/ledger/",
                "/ledger/pay/",
                "/trail/",
                "/people/",
                "/rules/",
                "/find/?q=gauge",
                "/ledger/loose/",
            ],
        )
        while wanted and len(seen) < 150:
            path = wanted.pop(0)
            if path in seen or path.startswith(("/accounts/", "/static/")) or path.endswith((".pdf", ".ics")):
                continue
            seen.add(path)
            answer = self.client.get(path, follow=True)
            with self.subTest(path):
                self.assertEqual(answer.status_code, 200)
            if "html" in answer["Content-Type"]:
                main = answer.content.decode().partition('id="page"')[2]
                wanted += [link.split("#")[0] for link in re.findall(r'href="(/[^"]*)"', main)]
        self.assertGreater(len(seen), 25)
