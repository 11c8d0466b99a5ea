"""Moving house with a family: each party its own trip and claim, what the firm's questions decide, joined and parted again."""

from __future__ import annotations

from datetime import UTC, datetime, time, timedelta
from decimal import Decimal

from django.db import connection
from django.test.utils import CaptureQueriesContext

from tests.apps.world import OFFICE, WorldTestCase, eur
from tests.coverage import shows
from wainwright import clock
from wainwright.claims.models import Claim
from wainwright.claims.selectors import load_file
from wainwright.claims.services import compose, drafting
from wainwright.core.journey import Meal
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.models import Expense
from wainwright.expenses.services import rides
from wainwright.formats.places import best_place, place
from wainwright.people.models import Firm, new_version
from wainwright.rulebook.models import FirmQuestion, Policy
from wainwright.trips.models import Trip
from wainwright.trips.selectors import load_file as load_trip
from wainwright.trips.services import details, moving, plan
from wainwright.trips.services import road as trips
from wainwright.trips.services.nights import mark_meal

ANSWERS = {"flat": "yes", "goods": "The firm's mover", "vehicles": "1", "tickets": "The firm"}
FLAT, MOVER = eur(2400), eur(3200)


class Moves(WorldTestCase):
    def a_move(self, starts: int = -10, **answers) -> Trip:
        trip = plan.start_trip(self.maren, "Move to Dublin", "Three years there", OFFICE, kind="move")
        details.answer(self.maren, trip.pk, ANSWERS | answers)
        self.drives(trip, starts)
        return Trip.objects.get(pk=trip.pk)

    def drives(self, trip: Trip, starts: int = -10) -> None:
        day = self.today + timedelta(days=starts)
        ends = place("ORK"), best_place("Dublin")
        drive = plan.find_drive(trip.firm, *ends, day)
        at = datetime.combine
        plan.add_leg(self.maren, trip.pk, "own car", *ends, at(day, time(9)), at(day, time(13)), drive=drive)

    def flies(self, trip: Trip, starts: int = -10, stop: str = "A night's rest") -> None:
        day, at = self.today + timedelta(days=starts), datetime.combine
        one, other, there = place("ORK"), place("AMS"), place("DUB")
        leg = plan.add_leg(self.maren, trip.pk, "air", one, other, at(day, time(9)), at(day, time(12)), Decimal(120))
        next_day = day + timedelta(days=1)
        plan.add_leg(
            self.maren, trip.pk, "air", other, there, at(next_day, time(9)), at(next_day, time(10)), Decimal(80)
        )
        if stop:
            moving.say_of_leg(self.maren, trip.pk, leg.pk, stop, "")

    def apart(self, trip: Trip, name: str = "Idris Oyelaran", kin: str = "partner") -> Trip:
        return moving.add_mover(self.maren, trip.pk, name, kin, apart=True)

    def file(self, trip: Trip):
        return load_trip(
            self.maren,
            Trip.objects.select_related("firm", "traveller__person", "traveller__firm", "signed").get(pk=trip.pk),
        )

    def estimates(self, trip: Trip) -> dict:
        return {e.label: (e.amount, e.paid_by) for e in self.file(trip).figures.estimates}

    def ready(self, trip: Trip) -> Trip:
        """Explain what asks for a reason."""
        file = self.file(trip)
        for each in file.findings:
            if each.open and each.finding.level == "explain":
                plan.explain(
                    self.maren,
                    trip.pk,
                    [each.finding],
                    [each.finding.identity],
                    each.finding.reasons[0],
                    "So it was agreed",
                )
        return Trip.objects.get(pk=trip.pk)

    def sent(self, trip: Trip, *parties: Trip) -> None:
        along = {party.pk: self.ready(party).version for party in parties}
        trip = self.ready(trip)
        trips.send(self.maren, trip.pk, trip.version, self.maren.person.name, trip.advance_minor > 0, along)

    def travelled(self, trip: Trip, *parties: Trip) -> None:
        """Signed with one signature, authorised, and come to an end."""
        self.sent(trip, *parties)
        for each in (trip, *parties):
            with self.done():
                self.approve_all("trip", each.pk)
        for _ in range(2):
            trips.move_along(datetime.combine(self.today, time(12), UTC))

    def claim_of(self, trip: Trip) -> Claim:
        return Claim.objects.select_related(
            "firm", "claimant__person", "claimant__firm", "trip__traveller__person"
        ).get(trip=trip)

    def lines(self, claim: Claim) -> dict:
        return {line.key: line for line in load_file(self.maren, claim).figures.lines}


class PartyTest(Moves):
    @shows("C9.1")
    def test_each_party_has_its_own_trip_and_its_own_claim(self):
        trip = self.a_move()
        party = self.apart(trip)
        self.flies(party)
        plan.ask_advance(self.maren, trip.pk, Decimal(500), eur(5000), "Hotel asks for cash")
        Trip.objects.filter(pk=trip.pk).update(advance_paid=True)
        self.travelled(trip, party)
        self.assertEqual({t.state for t in Trip.objects.filter(pk__in=[trip.pk, party.pk])}, {"Back"})
        self.assertEqual(drafting.draft_what_is_back(), 2)
        own, theirs = self.claim_of(trip), self.claim_of(party)
        self.assertEqual((own.trip.party, theirs.trip.party), ("Maren Oyelaran", "Idris Oyelaran"))
        lines, sums = self.lines(own), load_file(self.maren, own).figures.settlement.sums
        self.assertEqual((sums.flat, sums.advance), (FLAT, eur(500)))
        self.assertGreater(sums.mileage, eur(0))
        self.assertEqual(lines["sum:flat"].coded[0].coding.account, "6495")
        other = load_file(self.maren, theirs).figures.settlement.sums
        self.assertEqual((other.flat, other.advance, other.mileage), (eur(0), eur(0), eur(0)))
        self.assertGreater(other.allowance, eur(0))

    @shows("C9.4")
    def test_a_flat_sum_is_posted_and_paid_once_however_many_claims_there_are(self):
        trip = self.a_move()
        self.travelled(trip)
        drafting.draft_what_is_back()
        claim = self.claim_of(trip)
        self.send_claim(claim)
        with self.done():
            self.approve_all("claim", claim.pk)
        claim = self.claim_of(trip)
        journal = load_file(self.maren, claim).journal
        self.assertEqual(journal.balance("6495"), FLAT)
        self.assertEqual(claim.statement.flat_minor, FLAT.minor)
        more = drafting.claim_trip(self.maren, trip.pk)
        self.assertEqual(more.supplements_id, claim.pk)
        self.assertNotIn("flat", {line.kind for line in load_file(self.maren, more).figures.lines})

    @shows("C9.3")
    def test_the_answers_decide_which_lines_there_are(self):
        trip = self.a_move()
        party = self.apart(trip)
        self.flies(party)
        planned = self.estimates(trip)
        self.assertEqual(planned["Flat relocation sum"], (FLAT, "self"))
        self.assertEqual(planned["Goods moved by the firm's mover"], (MOVER, "central"))
        self.assertEqual(self.estimates(party)["Air Cork – Amsterdam"], (eur(120), "central"))
        self.assertEqual(len(self.estimates(party)), 3)
        details.answer(
            self.maren, trip.pk, ANSWERS | {"flat": "no", "goods": "You yourselves", "tickets": "Each party"}
        )
        planned = self.estimates(trip)
        self.assertNotIn("Flat relocation sum", planned)
        self.assertEqual(planned["Goods moved by yourselves"], (eur(900), "self"))
        self.assertEqual(self.estimates(party)["Air Cork – Amsterdam"], (eur(120), "self"))

    @shows("R7.3")
    def test_only_so_many_own_vehicles_earn_and_who_is_driven_never(self):
        trip = self.a_move(vehicles="1")
        party = self.apart(trip)
        self.drives(party)
        label = next(label for label in self.estimates(trip) if label.startswith("Own car"))
        self.assertGreater(self.estimates(trip)[label][0], eur(0))
        self.assertEqual(self.estimates(party)[label][0], eur(0))
        details.answer(self.maren, trip.pk, ANSWERS | {"vehicles": "2"})
        self.assertGreater(self.estimates(party)[label][0], eur(0))
        details.answer(self.maren, trip.pk, ANSWERS | {"vehicles": "0"})
        self.assertEqual(self.estimates(trip)[label][0], eur(0))
        details.answer(self.maren, trip.pk, ANSWERS)
        moving.say_of_leg(self.maren, trip.pk, trip.legs.get().pk, "", "A friend")
        self.assertNotIn(label, self.estimates(trip))
        # With nobody of the employee's party at the wheel, the relatives' vehicle is the first.
        self.assertGreater(self.estimates(party)[label][0], eur(0))

    def test_a_ride_that_somebody_else_drove_is_stopped_on_the_claim(self):
        trip = self.a_move()
        party = self.apart(trip)
        self.drives(party)
        moving.say_of_leg(self.maren, party.pk, party.legs.get().pk, "", "Idris's sister")
        self.travelled(trip, party)
        drafting.draft_what_is_back()
        claim = self.claim_of(party)
        self.assertFalse(claim.expenses.exists())
        leg = party.legs.get()
        with clock.at(datetime.combine(self.today, time(10), UTC)):
            ride = rides.type_ride(self.maren, rides.Ride(leg.leaves.date(), leg.start, leg.end, "car"))
        compose.put_in(self.maren, claim.pk, [ride.pk])
        stops = [e.finding for e in load_file(self.maren, claim).findings if e.finding.rule == "driven"]
        self.assertEqual([(f.target, f.level) for f in stops], [(ride.key, "stop")])
        self.assertIn("Idris's sister drove it", stops[0].text)

    def test_relatives_along_earn_their_share_of_the_allowance(self):
        trip = self.a_move()
        self.flies(trip, starts=-8)
        one = self.file(trip).figures.allowance
        moving.add_mover(self.maren, trip.pk, "Kit Oyelaran", "child", apart=False)
        both = self.file(trip).figures.allowance
        self.assertEqual(
            [day.amount for day in both.days], [day.amount + day.amount.times(Decimal("0.5")) for day in one.days]
        )
        # A supplied meal is taken off before each has their share.
        mark_meal(self.maren, trip.pk, trip.starts + timedelta(days=2), Meal.LUNCH)
        self.assertLess(self.file(trip).figures.allowance.amount, both.amount)

    @shows("C9.5")
    def test_an_advance_is_the_employees_alone(self):
        trip = self.a_move()
        party = self.apart(trip)
        with self.assertRaisesMessage(Refusal, "employee's own trip"):
            plan.ask_advance(self.maren, party.pk, Decimal(100), eur(500), "Hotel asks for cash")


class RoadTest(Moves):
    def test_one_signature_sends_all_parties_or_none(self):
        trip = self.a_move()
        party = self.apart(trip)
        self.flies(party, stop="")
        with self.assertRaisesMessage(Refusal, "Idris Oyelaran: 1 still to put right"):
            self.sent(trip, party)
        self.assertEqual({t.state for t in Trip.objects.filter(kind="move", traveller=self.maren)}, {"Planning"})
        leg = party.legs.first()
        moving.say_of_leg(self.maren, party.pk, leg.pk, "A night's rest", "")
        with self.assertRaises(Stale):
            trips.send(self.maren, trip.pk, self.ready(trip).version, self.maren.person.name, False, {party.pk: 1})
        self.sent(trip, party)
        self.assertEqual(
            {t.state for t in Trip.objects.filter(kind="move", traveller=self.maren)}, {"Awaiting sign-off"}
        )

    def test_a_trip_that_is_no_party_does_not_go_along(self):
        trip, stranger = self.a_move(), self.a_trip(starts=20)
        with self.assertRaises(Stale):
            trips.send(
                self.maren,
                trip.pk,
                self.ready(trip).version,
                self.maren.person.name,
                False,
                {stranger.pk: stranger.version},
            )
        self.assertEqual(Trip.objects.get(pk=stranger.pk).state, "Planning")

    @shows("C9.2")
    def test_a_longer_stop_wants_its_reason_and_a_move_no_way_home(self):
        trip = self.a_move()
        party = self.apart(trip)
        self.flies(party, stop="")
        rules = {e.finding.rule for e in self.file(party).findings}
        self.assertIn("stop-reason", rules)
        self.assertNotIn("not-home", rules)
        # The same journey as a trip wants the way home and no reason for the stop.
        Trip.objects.filter(pk=party.pk).update(kind="trip", moves_with=None)
        rules = {e.finding.rule for e in self.file(party).findings}
        self.assertNotIn("stop-reason", rules)
        self.assertIn("not-home", rules)

    def test_questions_are_asked_once_on_the_employees_trip(self):
        trip = plan.start_trip(self.maren, "Move to Dublin", "Three years", OFFICE, kind="move")
        party = self.apart(trip)
        asked = [e.finding.identity for e in self.file(trip).findings if e.finding.rule == "question"]
        self.assertEqual(len(asked), 4)
        self.assertFalse([e for e in self.file(party).findings if e.finding.rule == "question"])
        with self.assertRaisesMessage(Refusal, "with one of: 0, 1, 2"):
            details.answer(self.maren, trip.pk, {"vehicles": "seven"})
        details.answer(self.maren, party.pk, {"flat": "yes"})
        self.assertEqual(Trip.objects.get(pk=party.pk).answers, {})


class TogetherTest(Moves):
    def test_joined_by_one_act_and_parted_again(self):
        trip = self.a_move(starts=20)
        party = self.apart(trip)
        self.flies(party, starts=20)
        moving.join(self.maren, party.pk, trip.pk)
        trip, party = Trip.objects.get(pk=trip.pk), Trip.objects.get(pk=party.pk)
        self.assertEqual((trip.party, party.state), ("Maren Oyelaran and Idris Oyelaran", "Called off"))
        again = moving.part(self.maren, trip.pk, ["Idris Oyelaran"])
        self.assertEqual(Trip.objects.get(pk=trip.pk).party, "Maren Oyelaran")
        self.assertEqual(again.party, "Idris Oyelaran")
        leg = again.legs.get()
        self.assertEqual((leg.mode, leg.driven_by), ("own car", "Maren Oyelaran"))
        self.assertEqual(again.nights.count(), trip.nights.count())

    def test_a_party_with_something_of_its_own_is_not_dropped(self):
        trip = self.a_move()
        party = self.apart(trip)
        self.flies(party)
        plan.add_other(self.maren, party.pk, "taxi", "To the airport", Decimal(30), "self")
        with self.assertRaisesMessage(Refusal, "To the airport"):
            moving.join(self.maren, party.pk, trip.pk)
        plan.remove_other(self.maren, party.pk, party.others.get().pk)
        self.travelled(trip, party)
        with self.assertRaises(Stale):
            moving.join(self.maren, party.pk, trip.pk)
        self.assertEqual(Trip.objects.get(pk=party.pk).party, "Idris Oyelaran")

    def test_a_party_that_was_authorised_is_joined_too_and_its_budget_given_back(self):
        trip = self.a_move(starts=20)
        party = self.apart(trip)
        self.flies(party, starts=20)
        self.sent(party)
        with self.done():
            self.approve_all("trip", party.pk)
        self.assertEqual(Trip.objects.get(pk=party.pk).state, "Authorised")
        moving.join(self.maren, party.pk, trip.pk)
        self.assertEqual(Trip.objects.get(pk=party.pk).state, "Called off")
        self.assertEqual(Trip.objects.get(pk=trip.pk).movers[0]["name"], "Idris Oyelaran")

    def test_what_makes_no_sense_is_refused(self):
        trip, plain = self.a_move(), self.a_trip(starts=20)
        party = self.apart(trip)
        theirs = plan.start_trip(self.aiko, "Move north", "For good", OFFICE, kind="move")
        for words, act in (
            ("stands on this move already", lambda: self.apart(trip, "idris  oyelaran")),
            ("stands on this move already", lambda: self.apart(trip, "Maren Oyelaran")),
            ("by name", lambda: self.apart(trip, " ")),
            ("what they are", lambda: self.apart(trip, "Otto", "neighbour")),
            ("Nobody moves house", lambda: self.apart(plain, "Otto")),
            ("Nobody would be left", lambda: moving.take_off(self.maren, party.pk, ["Idris Oyelaran"])),
            ("nobody would be left", lambda: moving.part(self.maren, party.pk, ["Idris Oyelaran"])),
            ("Tick who", lambda: moving.part(self.maren, trip.pk, [])),
            ("not stand on this trip", lambda: moving.part(self.maren, trip.pk, ["Nobody"])),
            ("not the other way round", lambda: moving.join(self.maren, trip.pk, party.pk)),
            ("another trip of the same move", lambda: moving.join(self.maren, party.pk, party.pk)),
            ("trip or moving house", lambda: plan.start_trip(self.maren, "What", "Why not", OFFICE, kind="raft")),
        ):
            with self.subTest(words), self.assertRaisesMessage(Refusal, words):
                act()
        with self.assertRaises(Trip.DoesNotExist):
            moving.join(self.maren, party.pk, theirs.pk)
        with self.assertRaises(NotAllowed):
            moving.add_mover(self.tobias_signs(trip), trip.pk, "Otto", "child", False)
        with self.assertRaises(Stale):
            moving.say_of_leg(self.maren, party.pk, trip.legs.get().pk, "Why", "")

    def tobias_signs(self, trip: Trip):
        self.sent(trip)
        return self.tobias

    def test_there_is_an_end_to_a_family(self):
        trip = self.a_move()
        for number in range(12):
            moving.add_mover(self.maren, trip.pk, f"Child {number}", "child", apart=number < 6)
        with self.assertRaisesMessage(Refusal, "at most 12"):
            moving.add_mover(self.maren, trip.pk, "One more", "child", apart=False)
        Trip.objects.filter(moves_with=trip).first()
        moving.take_off(self.maren, trip.pk, ["Child 11"])
        with self.assertRaisesMessage(Refusal, "at most 6 parties"):
            moving.add_mover(self.maren, trip.pk, "One more", "child", apart=True)

    def test_a_firm_without_shares_or_questions_moves_nobody_by_mistake(self):
        Policy.objects.filter(firm=self.maren.firm).update(kin={})
        FirmQuestion.objects.filter(firm=self.maren.firm).delete()
        Firm.objects.filter(pk=self.maren.firm_id).update(rules_version=new_version())
        self.maren.firm = Firm.objects.get(pk=self.maren.firm_id)
        trip = plan.start_trip(self.maren, "Move to Dublin", "Three years", OFFICE, kind="move")
        with self.assertRaisesMessage(Refusal, "what they are"):
            self.apart(trip)
        self.assertFalse(Expense.objects.exists())


class PageTest(Moves):
    def setUp(self):
        self.enter(self.maren)

    def test_from_the_start_page_to_two_parties(self):
        form = {"title": "Move to Dublin", "purpose": "Three years there", "kind": "move", "line": ""}
        form |= {f"dim-{name}": code for name, code in (("cost_centre", "3120"),)}
        answer = self.client.post("/trips/new/", self.coded_form(form), follow=True)
        self.assertContains(answer, "the employee's own")
        trip = Trip.objects.get(kind="move", traveller=self.maren)
        self.client.post(f"/trips/{trip.pk}/move/movers/", {"name": "Idris", "kin": "partner", "apart": "1"})
        answer = self.client.post(f"/trips/{trip.pk}/move/movers/", {"name": "Idris", "kin": "partner"})
        self.assertContains(answer, "Idris stands on this move already", status_code=422)
        party = trip.parties.get()
        page = self.client.get(f"/trips/{party.pk}/?open=move")
        self.assertContains(page, '<p class="party">')
        self.assertContains(page, "travels apart: not Maren Oyelaran")
        self.assertNotContains(self.client.get(f"/trips/{party.pk}/"), 'data-open="advance"')
        page = self.client.get(f"/trips/{trip.pk}/?open=move")
        self.assertContains(page, "2,400.00 more for you")

    def coded_form(self, form):
        page = self.client.get("/trips/new/")
        names = {field.html_name: field.value() or "" for field in page.context["form"]}
        return names | form

    def test_the_claim_names_its_party_in_large(self):
        trip = self.a_move()
        party = self.apart(trip)
        self.flies(party)
        self.travelled(trip, party)
        drafting.draft_what_is_back()
        page = self.client.get(f"/claims/{self.claim_of(party).pk}/")
        self.assertContains(page, "Idris Oyelaran <small>travels apart", html=False)
        self.assertContains(self.client.get(f"/claims/{self.claim_of(trip).pk}/"), "Flat sums")

    def test_the_panel_takes_no_more_queries_for_more_parties(self):
        trip = self.a_move()
        address = f"/trips/{trip.pk}/panels/move/"
        found = []
        for name in ("Ada", "Bo", "Cy"):
            self.flies(self.apart(trip, name, "child"))
            with self.count() as queries:
                self.client.get(f"/trips/{trip.pk}/?open=move")
            found.append(len(queries))
        self.assertLessEqual(found[-1], found[0] + 2, (address, found))

    def count(self):
        return CaptureQueriesContext(connection)
