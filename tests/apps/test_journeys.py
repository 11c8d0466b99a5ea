"""The itinerary and what stands on a trip: typed legs, moved ends, nights, quarters, permissions, papers, split, versions."""

from datetime import date, datetime, time, timedelta
from decimal import Decimal

from tests.apps.world import FIELD, OFFICE, WorldTestCase
from tests.codings import coded
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.models import BudgetUse
from wainwright.bench import services as bench
from wainwright.core.journey import Meal
from wainwright.core.splits import SplitPart
from wainwright.errors import Refusal, Stale
from wainwright.expenses.services import rides
from wainwright.formats.places import place, town
from wainwright.people.models import Card, Firm, Membership, new_version
from wainwright.profile.services import change_profile
from wainwright.rulebook.models import AllowanceRate, Explanation, Policy
from wainwright.rulebook.questions import from_data
from wainwright.signoff.models import SignOff
from wainwright.trips import driving
from wainwright.trips.models import Leg, Night, Paper, Trip
from wainwright.trips.profile import side_by_side
from wainwright.trips.selectors import load_file, trip_for
from wainwright.trips.services import details, itinerary, nights, plan, road
from wainwright.trips.versions import since_signed

PDF = b"%PDF-1.4\n1 0 obj<</Type/Catalog/Pages 2 0 R>>endobj\n2 0 obj<</Type/Pages/Kids[]/Count 0>>endobj\ntrailer<</Root 1 0 R>>\n%%EOF"
PNG = bytes.fromhex(
    "89504e470d0a1a0a0000000d49484452000000010000000108060000001f15c4890000000d49444154789c6360606060000000050001a5f645400000000049454e44ae426082"
)


class JourneyTestCase(WorldTestCase):
    def file(self, trip):
        return load_file(self.maren, trip_for(self.maren, trip.pk))

    def monday(self, weeks: int = 5):
        day = self.today + timedelta(weeks=weeks)
        return day - timedelta(days=day.weekday())

    def to_bergen(self, days: int = 5):
        """Monday to Friday in Bergen by typed legs."""
        return self.a_trip(starts=(self.monday() - self.today).days, days=days)

    def say_all(self, trip, words="It has to be so"):
        file = self.file(trip)
        for each in file.findings:
            if each.open:
                reason = each.finding.reasons[0] if each.finding.reasons else ""
                plan.explain(self.maren, trip.pk, [each.finding], [each.finding.identity], reason, words)

    def sent(self, trip):
        self.say_all(trip)
        fresh = Trip.objects.get(pk=trip.pk)
        return road.send(self.maren, trip.pk, fresh.version, "Maren Oyelaran", fresh.advance_minor > 0)


class TypedLegsTest(JourneyTestCase):
    @shows("P2.1")
    def test_several_legs_at_once_or_none_of_them(self):
        trip = plan.start_trip(self.maren, "Gauge check", "Checking", OFFICE)
        day = self.monday()
        added = itinerary.add_typed_legs(
            self.maren, trip.pk, f"flight bergen {day} 9:05 14:10; ferry florø tue 7:30 ; taxi førde thu 9:00;"
        )  # fmt: skip
        self.assertEqual([leg.origin["town"] for leg, _ in added], ["Cork", "Bergen", "Florø"])
        for text, words in (
            ("coach bergen fri 13:40; boat nowhere fri", "“boat nowhere fri”"), ("taxi førde fri 9:00; taxi førde fri 10:00", "It goes from"),
            (";".join(["ferry bergen fri 7:30"] * 13), "12 legs at once"),
        ):  # fmt: skip
            with self.subTest(text), self.assertRaisesRegex(Refusal, words):
                itinerary.add_typed_legs(self.maren, trip.pk, text)
        self.assertEqual(trip.legs.count(), 3)

    @shows("P2.3")
    def test_the_next_leg_starts_where_the_last_one_ended(self):
        trip = plan.start_trip(self.maren, "Gauge check", "Checking", OFFICE)
        day = self.monday()
        itinerary.add_typed_legs(self.maren, trip.pk, f"flight bergen {day} 9:05 - 14:10")
        leg, how = itinerary.add_typed_legs(self.maren, trip.pk, "ferry florø wed 7:30")[0]
        self.assertEqual((leg.origin["town"], leg.target["town"]), ("Bergen", "Florø"))
        self.assertEqual(leg.leaves, datetime.combine(day + timedelta(days=2), time(7, 30)))
        self.assertEqual((leg.arrives.time(), how), (time(11, 15), "by Fjordlink's timetable"))
        self.assertGreater(leg.estimate_minor, 0)
        taxi, how = itinerary.add_typed_legs(self.maren, trip.pk, "taxi førde thu 9:00")[0]
        self.assertIn("estimated from", how)
        self.assertEqual(taxi.paid_by, "self")
        self.assertEqual([n.place["town"] for n in Night.objects.filter(trip=trip)], ["Bergen", "Bergen", "Florø"])

    def test_a_home_that_is_a_town_is_where_every_journey_begins(self):
        self.client.force_login(self.maren.person)
        self.client.post(
            "/profile/", {"act": "profile", "home": "kopenhagen", "work": "Bergen", "iban": self.maren.iban}
        )
        maren = Membership.objects.get(pk=self.maren.pk)
        self.assertEqual((place(maren.home_code).town, place(maren.work_code).town), ("Copenhagen", "Bergen"))
        self.assertContains(self.client.get("/expenses/ride/"), 'value="Bergen"')
        trip, _ = itinerary.start_with_journey(maren, "Gauge", "Checking", OFFICE, {}, f"oslo {self.monday()} flight")
        self.assertEqual([(leg.origin["code"], leg.target["code"]) for leg in trip.legs.all()][:1], [("CPH", "OSL")])
        bare = plan.start_trip(maren, "Gauge check", "Checking", OFFICE)
        for address in (f"/trips/{bare.pk}/ways/", f"/trips/{bare.pk}/?open=addleg"):
            self.assertContains(self.client.get(address), "Copenhagen, DK")
        leg, _ = itinerary.add_typed_legs(maren, bare.pk, f"ferry göteborg {self.monday()} 9:05")[0]
        self.assertEqual((leg.origin["town"], leg.target["town"]), ("Copenhagen", "Gothenburg"))

    def test_what_is_wrong_is_said(self):
        trip = plan.start_trip(self.maren, "Gauge check", "Checking", OFFICE)
        for text, words in [
            ("", "Begin with"),
            ("ferry nowhere-land wed 7:30", "No place is known"),
            ("ferry florø", "When does it leave"),
        ]:
            with self.subTest(text), self.assertRaisesRegex(Refusal, words):
                itinerary.add_typed_legs(self.maren, trip.pk, text)

    def test_a_night_train_has_no_night_of_its_own(self):
        trip = plan.start_trip(self.maren, "Gauge check", "Checking", OFFICE)
        day = self.monday()
        itinerary.add_typed_legs(self.maren, trip.pk, f"flight bergen {day} 9:05 14:10")
        leg, _ = itinerary.add_typed_legs(self.maren, trip.pk, "night train oslo tue 22:59")[0]
        self.assertEqual(leg.arrives.date(), day + timedelta(days=2))
        itinerary.add_typed_legs(self.maren, trip.pk, "flight cork thu 10:00 11:50")
        self.assertEqual([n.date for n in trip.nights.all()], [day, day + timedelta(days=2)])

    def test_ends_are_moved_and_must_fit(self):
        trip = self.to_bergen()
        leg = trip.legs.first()
        moved = itinerary.move_end(self.maren, trip.pk, leg.pk, "leaves", -30)
        self.assertEqual(moved.leaves.time(), time(8, 30))
        for end, minutes, words in [
            ("arrives", -600, "before it leaves"),
            ("arrives", 60 * 24 * 4, "more than four days|overlaps"),
            ("nonsense", 5, "which end"),
        ]:
            with self.subTest(end), self.assertRaisesRegex(Refusal, words):
                itinerary.move_end(self.maren, trip.pk, leg.pk, end, minutes)

    @shows("P2.2")
    def test_over_the_change_of_clocks(self):
        trip = plan.start_trip(self.maren, "Autumn", "Checking", OFFICE)
        year = self.today.year + 1
        last = max(d for d in (datetime(year, 10, n) for n in range(25, 32)) if d.weekday() == 6)
        at = last.replace(hour=0, minute=30)
        plan.add_leg(self.maren, trip.pk, "ferry", town("Bergen", "NO"), town("Florø", "NO"), at, at.replace(hour=4))
        leg = Leg.objects.get(trip=trip)
        self.assertEqual((leg.arrives_at - leg.leaves_at).total_seconds() / 3600, 5)

    def test_a_gap_between_legs_asks_how(self):
        trip = self.to_bergen()
        leg = trip.legs.last()
        itinerary.change_leg(
            self.maren, trip.pk, leg.pk, "air", place("OSL"), place("ORK"), leg.leaves, leg.arrives + timedelta(hours=1), 0, "firm", None
        )  # fmt: skip
        texts = [each.finding.text for each in self.file(trip).findings]
        self.assertTrue(any("arrive in Bergen" in t and "leaves from Oslo" in t for t in texts), texts)

    def test_the_whole_shifts_with_its_start(self):
        trip = self.to_bergen()
        nights.mark_meal(self.maren, trip.pk, trip.starts + timedelta(days=1), Meal.LUNCH)
        before = self.file(trip).figures.total
        days, held = itinerary.shift_trip(self.maren, trip.pk, trip.starts + timedelta(days=14))
        self.assertEqual((days, held), (14, []))
        moved = Trip.objects.get(pk=trip.pk)
        self.assertEqual(moved.starts, trip.starts + timedelta(days=14))
        self.assertEqual(moved.supplied, [f"{trip.starts + timedelta(days=15)}:lunch"])
        self.assertEqual(self.file(trip).figures.total, before)
        self.assertEqual(moved.legs.first().leaves.time(), time(9))
        with self.assertRaisesRegex(Refusal, "Check the year"):
            itinerary.shift_trip(self.maren, trip.pk, moved.starts.replace(year=1900))

    def test_what_one_is_in_time_for(self):
        trip = self.to_bergen()
        day = trip.starts
        details.add_engagement(self.maren, trip.pk, "Kick-off", town("Bergen", "NO"), datetime.combine(day, time(13)))
        self.assertIn("after Kick-off", self.file(trip).findings[0].finding.text)
        details.remove_engagement(self.maren, trip.pk, 0)
        details.add_engagement(self.maren, trip.pk, "Kick-off", town("Bergen", "NO"), datetime.combine(day, time(15)))
        self.assertEqual(self.file(trip).in_the_way, 0)
        with self.assertRaises(Stale):
            details.remove_engagement(self.maren, trip.pk, 7)


class NightsTest(JourneyTestCase):
    def test_a_stay_is_split_and_its_end_is_moved(self):
        trip = self.to_bergen()
        first = trip.starts
        nights.set_stay(
            self.maren, trip.pk, [first + timedelta(days=n) for n in range(4)], "Lamp Quay", Decimal(140), "firm", False
        )
        nights.split_stay(self.maren, trip.pk, first + timedelta(days=2))
        self.assertEqual([len(s) for s in self.file(trip).stays], [2, 2])
        self.assertEqual({n.cost_minor for n in trip.nights.filter(date__gte=first + timedelta(days=2))}, {150_00})
        nights.stretch_stay(self.maren, trip.pk, first, first + timedelta(days=2))
        self.assertEqual([len(s) for s in self.file(trip).stays], [3, 1])
        nights.stretch_stay(self.maren, trip.pk, first, first)
        self.assertEqual(trip.nights.filter(name="Lamp Quay").count(), 1)
        with self.assertRaises(Stale):
            nights.stretch_stay(self.maren, trip.pk, first - timedelta(days=9), first)

    @shows("P4.2")
    def test_the_host_supplies_for_several_days_at_once(self):
        trip = self.to_bergen()
        days = [trip.starts + timedelta(days=n) for n in range(5)]
        self.assertEqual(
            nights.host_supplies(self.maren, trip.pk, days[1], days[3], [Meal.BREAKFAST, Meal.LUNCH], True), 3
        )
        file = self.file(trip)
        self.assertEqual(sum(len(d.supplied) for d in file.figures.allowance.days), 6)
        self.assertEqual([n.supplied for n in file.nights], [False, True, True, True])
        nights.host_supplies(self.maren, trip.pk, days[1], days[3], [], False)
        self.assertEqual(self.file(trip).figures.allowance.amount.minor, (43_50 + 3 * 58_00 + 43_50))
        with self.assertRaisesRegex(Refusal, "None of these days"):
            nights.host_supplies(
                self.maren, trip.pk, days[0] - timedelta(days=30), days[0] - timedelta(days=20), [], False
            )

    def test_rates_and_quarters_hold_however_the_firm_writes_their_towns(self):
        firm = self.maren.firm
        for name, country, full in (("København", "DK", 77_00), ("Dusseldorf", "DE", 66_00)):
            AllowanceRate.objects.create(firm=firm, town=name, country=country, since=date(2025, 1, 1), full_minor=full)
        Policy.objects.filter(firm=firm).update(
            quarters=[{"town": "Duesseldorf", "country": "DE", "name": "Rhine House"}, {"town": "Düsseldorf", "country": "AT", "name": "None"}]
        )  # fmt: skip
        Firm.objects.filter(pk=firm.pk).update(rules_version=new_version())
        maren = Membership.objects.select_related("firm", "person").get(pk=self.maren.pk)
        for where, label, name, full in (
            ("CPH", "København", "Copenhagen", "77.00"),
            ("DUS", "Dusseldorf", "Düsseldorf", "66.00"),
        ):
            with self.subTest(where):
                trip = plan.start_trip(maren, "Gauge check", "Checking", OFFICE)
                itinerary.add_typed_legs(
                    maren, trip.pk, f"flight {where} {self.monday()} 9:05 - 14:10; flight cork thu 10:00 - 12:00"
                )
                file = load_file(maren, trip_for(maren, trip.pk))
                day = file.figures.allowance.days[1]
                self.assertEqual((day.rate.label, day.place.town, str(day.amount)), (label, name, full))
                night = trip.nights.first()
                self.assertEqual((night.place["town"], night.name), (name, "Rhine House" if where == "DUS" else ""))

    @shows("P4.4", "B6.2")
    def test_supplied_quarters_come_first_and_a_record_lifts_to_the_ceiling(self):
        trip = self.to_bergen()
        wednesday = trip.starts + timedelta(days=2)
        at = datetime.combine
        bergen, floro = town("Bergen", "NO"), town("Florø", "NO")
        plan.add_leg(
            self.maren, trip.pk, "ferry", bergen, floro, at(wednesday, time(7, 30)), at(wednesday, time(11, 15))
        )
        self.assertEqual(
            [(n.name, n.supplied) for n in trip.nights.filter(date__gte=wednesday)], [("Gauge House", True)] * 2
        )
        dates = [wednesday, wednesday + timedelta(days=1)]
        nights.set_stay(self.maren, trip.pk, dates, "Florø Rooms", Decimal(120), "firm", False)
        found = [f for f in self.file(trip).findings if f.finding.rule == "quarters"]
        self.assertIn("Florø Rooms costs 120.00", found[0].finding.text)
        self.assertEqual(found[0].finding.cure.target, "quarters")
        self.assertEqual(self.file(trip).figures.nights[2].allowed.minor, 0)
        with self.assertRaisesRegex(Refusal, "who told you"):
            nights.record_full(self.maren, trip.pk, dates, str(self.today), "", "")
        nights.record_full(self.maren, trip.pk, dates, str(self.today), "Ida, port office", "Q-77")
        file = self.file(trip)
        self.assertFalse([f for f in file.findings if f.finding.rule == "quarters"])
        self.assertEqual(file.figures.nights[2].allowed.minor, 120_00)
        self.assertIn("Ida, port office", file.figures.nights[2].workings.lines()[0])

    @shows("P4.3")
    def test_a_lifted_ceiling_is_a_permission_with_its_paper(self):
        trip = self.to_bergen()
        dates = [n.date for n in trip.nights.all()]
        nights.set_stay(self.maren, trip.pk, dates, "Lamp Quay", Decimal(210), "firm", False, lifted=True)
        file = self.file(trip)
        self.assertEqual([p.code for p in file.permissions], ["ceiling"])
        texts = {f.finding.rule: f.finding for f in file.findings}
        self.assertIn("price comparison is missing", texts["paper-ceiling"].text)
        self.assertNotIn("ceiling", texts)
        self.assertEqual(file.figures.nights[0].allowed.minor, 210_00)
        details.add_paper(self.maren, trip.pk, "price comparison", "compare.png", PNG)
        self.say_all(trip, "Only house with a quay")
        file = self.file(trip)
        self.assertEqual((file.in_the_way, file.comment_on(file.permissions[0])), (0, "Only house with a quay"))
        nights.set_stay(self.maren, trip.pk, dates, "Lamp Quay", Decimal(140), "firm", False)
        self.assertEqual(self.file(trip).permissions, [])

    @shows("R4.4")
    def test_lodging_typed_as_another_cost_shows_both(self):
        trip = self.to_bergen()
        with self.assertRaisesRegex(Refusal, r"4 of them, 600.00 together.*120.00? typed here would count twice"):
            plan.add_other(self.maren, trip.pk, "lodging", "Hotel", Decimal("120.00"), "self")


class OwnCarTest(JourneyTestCase):
    def drive(self, target, there="Cork", back=None, **more):
        trip = plan.start_trip(self.maren, "By car", "Moving gear", OFFICE)
        day = self.monday()
        one, other = town(there, "IE"), town(target, "IE") if target != "Bergen" else town("Bergen", "NO")
        drive = plan.find_drive(self.maren.firm, one, other, day, **more)
        plan.add_leg(
            self.maren, trip.pk, "own car", one, other, datetime.combine(day, time(8)), datetime.combine(day, time(12)), drive=drive, back=back
        )  # fmt: skip
        return trip, drive

    @shows("P5.1", "P5.2", "R7.3", "X1.1")
    def test_looked_up_there_and_back_with_workings(self):
        day = self.monday() + timedelta(days=1)
        back = (datetime.combine(day, time(8)), datetime.combine(day, time(12)))
        trip, drive = self.drive("Waterford", back=back, passengers=1)
        self.assertEqual((drive.km, drive.compared), (Decimal(126), {}))
        found = [e for e in self.file(trip).figures.estimates if e.category == "mileage"]
        self.assertEqual([str(e.amount) for e in found], ["57.96", "57.96"])
        self.assertTrue(any("looked up on the road network" in line for line in found[0].workings))
        self.assertEqual({leg.paid_by for leg in trip.legs.all()}, {"self"})

    def test_bands_go_on_from_what_was_driven(self):
        day = self.today - timedelta(days=3)
        far = rides.Ride(
            day, town("Cork", "IE"), town("Galway", "IE"), "car", km=Decimal(4930), reason="Round the whole coast"
        )
        rides.type_ride(self.maren, far)
        year = date(day.year, 1, 1), date(day.year, 12, 31)
        self.assertEqual(driving.so_far(self.maren.pk, *year, "car"), Decimal(4930))
        self.assertEqual(driving.so_far(self.maren.pk, *year, "bicycle"), 0)
        driving.found_by(lambda *_: Decimal(4930))
        self.addCleanup(driving.found_by, rides.km_between)
        trip, _ = self.drive("Waterford", typed_km=Decimal(180))
        self.assertEqual(str(self.file(trip).figures.estimates[0].amount), "60.20")

    @shows("P5.3")
    def test_beyond_the_firms_distance_the_lower_counts_unless_explained(self):
        trip, drive = self.drive("Dublin", typed_km=Decimal(310))
        self.assertIn("price", drive.compared)
        file = self.file(trip)
        estimate = file.figures.estimates[0]
        self.assertEqual((str(estimate.drive), estimate.amount), ("130.20", estimate.ticket))
        finding = next(f for f in file.findings if f.finding.rule == "own-car")
        self.assertIn("310 km one way, beyond 300 km", finding.finding.text)
        self.say_all(trip, "Gear for two gauges")
        after = self.file(trip)
        self.assertEqual(
            (str(after.figures.estimates[0].amount), [p.code for p in after.permissions]), ("130.20", ["long-drive"])
        )

    @shows("P5.1")
    def test_odometers_and_nonsense(self):
        _, drive = self.drive("Waterford", odometer=(Decimal(1000), Decimal(1130)))
        self.assertEqual((drive.km, drive.by), (Decimal(130), "odometer 1000 to 1130"))
        for more, words in [
            ({"odometer": (Decimal(10), Decimal(5))}, "lower than its start"),
            ({"typed_km": Decimal(9000)}, "no longer than 5,000"),
        ]:
            with self.subTest(words), self.assertRaisesRegex(Refusal, words):
                self.drive("Waterford", **more)

    @shows("P5.4")
    def test_a_taxi_and_mileage_exclude_each_other(self):
        trip, _ = self.drive("Waterford")
        day = self.monday()
        at = datetime.combine
        plan.add_leg(
            self.maren,
            trip.pk,
            "taxi",
            town("Cork", "IE"),
            town("Waterford", "IE"),
            at(day, time(13)),
            at(day, time(15)),
            Decimal(90),
            "self",
        )
        self.assertIn(
            "is there twice", next(f for f in self.file(trip).findings if f.finding.rule == "ride-twice").finding.text
        )


class DetailsTest(JourneyTestCase):
    @shows("P1.4")
    def test_papers_by_content_kind_and_once(self):
        trip = self.to_bergen()
        for kind, content, words in [
            ("agenda", b"", "empty"), ("agenda", b"<script>alert(1)</script>", "picture|PDF|kind of file"), ("nonsense", PNG, "what kind"), ("agenda", b"x" * 15_000_001, "15 MB"),
        ]:  # fmt: skip
            with self.subTest(words), self.assertRaisesRegex(Refusal, words):
                details.add_paper(self.maren, trip.pk, kind, "x.pdf", content)
        details.add_paper(self.maren, trip.pk, "agenda", "../../etc/agenda.png", PNG)
        self.assertEqual(Paper.objects.get().name, "agenda.png")
        with self.assertRaisesRegex(Refusal, "already"):
            details.add_paper(self.maren, trip.pk, "agenda", "again.png", PNG)

    @shows("P1.5")
    def test_an_agenda_is_asked_for_where_meals_are_supplied(self):
        trip = self.to_bergen()
        self.assertEqual(self.file(trip).in_the_way, 0)
        nights.mark_meal(self.maren, trip.pk, trip.starts + timedelta(days=1), Meal.LUNCH)
        self.assertIn("The agenda is missing", self.file(trip).findings[0].finding.text)
        details.add_paper(self.maren, trip.pk, "agenda", "agenda.png", PNG)
        self.assertEqual(self.file(trip).in_the_way, 0)

    @shows("P7.4")
    def test_permissions_by_hand_and_meals_throughout(self):
        trip = self.to_bergen()
        details.add_permission(self.maren, trip.pk, "meals-throughout", "", "The ship feeds us")
        self.assertEqual(self.file(trip).figures.allowance.amount.minor, 5_80 * 3)
        details.remove_permission(self.maren, trip.pk, 0)
        self.assertGreater(self.file(trip).figures.allowance.amount.minor, 200_00)
        for code, title, comment in [
            ("by-hand", "", "why it is"),
            ("nonsense", "x", "why it is"),
            ("by-hand", "A boat", " "),
        ]:
            with self.subTest(code=code, title=title), self.assertRaises(Refusal):
                details.add_permission(self.maren, trip.pk, code, title, comment)

    @shows("P10.1", "P12.1")
    def test_a_split_plan_asks_every_owner_and_commits_each_coding(self):
        trip = self.to_bergen()
        parts = [SplitPart(coded("3120"), Decimal(60)), SplitPart(coded("3140"), Decimal(40))]
        details.split_plan(self.maren, trip.pk, "category:lodging", "Lodging", parts)
        file = self.file(trip)
        borne = {str(c): a for c, a in file.borne}
        self.assertEqual(
            (str(borne["3140"]), sum(a.minor for a in borne.values())), ("240.00", file.figures.total.minor)
        )
        self.assertEqual([s.name for s in file.route.steps], ["Tobias Achterberg", "Ottilie Marsh"])
        self.sent(trip)
        with self.done():
            self.approve_all("trip", trip.pk)
        self.assertEqual(dict(BudgetUse.objects.values_list("budget__code", "committed_minor"))["3140"], 240_00)

    def test_a_split_that_does_not_hold_is_refused(self):
        trip = self.to_bergen()
        good = SplitPart(coded("3140"), Decimal(60))
        for about, parts, words in [
            ("all", [good], "add up to 60 %"), ("all", [good, SplitPart(coded("9999"), Decimal(40))], "not known"),
            ("nonsense", [good], "what is to be split"), ("all", [good, SplitPart(coded("3120", "P-0417"), Decimal(40))], "asks for a task"),
        ]:  # fmt: skip
            with self.subTest(words), self.assertRaisesRegex(Refusal, words):
                details.split_plan(self.maren, trip.pk, about, "", parts)

    @shows("P1.2")
    def test_the_firms_questions(self):
        from_data(
            self.maren.firm, [{"code": "abroad", "text": "Is any of it abroad?", "kind": "yes_no", "required": True}]
        )
        self.maren.firm.rules_version = "questions"
        self.maren.firm.save()
        trip = self.to_bergen()
        self.assertIn("is not answered", self.file(trip).findings[0].finding.text)
        with self.assertRaisesRegex(Refusal, "yes or no"):
            details.answer(self.maren, trip.pk, {"abroad": "perhaps"})
        details.answer(self.maren, trip.pk, {"abroad": "yes", "not asked": "x"})
        self.assertEqual(Trip.objects.get(pk=trip.pk).answers, {"abroad": "yes"})

    @shows("U2.9")
    def test_the_copy_beside_the_profile(self):
        trip = self.to_bergen()
        change_profile(self.maren, itinerary_email="maren@home.example", phone="+353 21 555 0100")
        trip = trip_for(Membership.objects.get(pk=self.maren.pk), trip.pk)
        self.assertEqual([d.name for d in side_by_side(trip) if d.differs], ["itinerary_email", "phone"])
        details.change_copy(self.maren, trip.pk, "itinerary_email", "desk@work.example", False)
        self.assertEqual(Membership.objects.get(pk=self.maren.pk).itinerary_email, "maren@home.example")
        details.change_copy(self.maren, trip.pk, "phone", "+47 55 00 00", True)
        self.assertEqual(Membership.objects.get(pk=self.maren.pk).phone, "+47 55 00 00")
        details.take_profile(self.maren, trip.pk)
        fresh = trip_for(Membership.objects.get(pk=self.maren.pk), trip.pk)
        self.assertFalse([d for d in side_by_side(fresh) if d.differs])
        for name, value in [("itinerary_email", "nonsense"), ("iban", "X"), ("home", "nowhere at all zz")]:
            with self.subTest(name), self.assertRaises(Refusal):
                details.change_copy(self.maren, trip.pk, name, value, False)

    @shows("U2.10")
    def test_a_card_that_expires_shows_from_the_copy(self):
        Card.objects.filter(owner=self.maren).update(expires=self.today + timedelta(days=5))
        trip = self.to_bergen()
        self.assertTrue(any("card expires" in f.finding.text for f in self.file(trip).findings))


class VersionsTest(JourneyTestCase):
    def test_what_was_signed_is_frozen_and_only_those_concerned_sign_again(self):
        trip = self.to_bergen()
        parts = [SplitPart(coded("3120"), Decimal(50)), SplitPart(coded("3140"), Decimal(50))]
        details.split_plan(self.maren, trip.pk, "category:lodging", "Lodging", parts)
        self.sent(trip)
        with self.done():
            self.approve_all("trip", trip.pk)
        road.reopen(self.maren, trip.pk)
        self.assertEqual(BudgetUse.objects.filter(subject=trip.subject).count(), 2)
        plan.add_other(self.maren, trip.pk, "taxi", "Pier taxi", Decimal(20), "self")
        file = self.file(trip)
        found = since_signed(file, trip.versions.get())
        self.assertIn(("Pier taxi", "", "20.00, paid by the traveller"), [(c.label, c.before, c.after) for c in found])
        self.sent(trip)
        states = {s.signer: s.state for s in SignOff.objects.filter(subject=trip.subject, round=2)}
        self.assertEqual(states, {self.tobias: "Waiting", self.ottilie: "Kept"})
        with self.done():
            bench.approve(self.tobias, "trip", trip.pk)
        self.assertEqual((Trip.objects.get(pk=trip.pk).state, trip.versions.count()), ("Authorised", 2))

    def test_a_change_of_words_asks_nobody_again(self):
        trip = self.to_bergen()
        self.sent(trip)
        with self.done():
            self.approve_all("trip", trip.pk)
        road.reopen(self.maren, trip.pk)
        plan.change_head(self.maren, trip.pk, "Gauge check, outer pier", "Checking", OFFICE)
        with self.done():
            self.assertEqual(self.sent(trip).state, "Authorised")

    @shows("P6.2")
    def test_an_advance_is_confirmed_and_outstanding_ones_are_taken_off(self):
        trip = self.to_bergen()
        most = self.file(trip).figures.proposed_advance.amount
        plan.ask_advance(self.maren, trip.pk, Decimal(100), most, "Hotel asks for cash")
        version = Trip.objects.get(pk=trip.pk).version
        with self.assertRaisesRegex(Refusal, "Say that you ask for the advance of 100.00"):
            road.send(self.maren, trip.pk, version, "Maren Oyelaran")
        road.send(self.maren, trip.pk, version, "Maren Oyelaran", True)
        Trip.objects.filter(pk=trip.pk).update(advance_paid=True)
        other = self.a_trip(starts=60)
        file = self.file(other)
        self.assertEqual(str(file.outstanding), "100.00")
        self.assertIn("less 100.00 of earlier trips", " ".join(file.figures.proposed_advance.workings.lines()))
        Trip.objects.filter(pk=trip.pk).update(advance_settled=True)
        self.assertEqual(self.file(other).outstanding.minor, 0)

    @shows("B11.1")
    def test_a_firm_without_sign_off_buys_at_once(self):
        Policy.objects.filter(firm=self.maren.firm).update(trip_signoff=False)
        self.maren.firm.rules_version = "at once"
        self.maren.firm.save()
        trip = self.to_bergen()
        with self.done():
            self.assertEqual(self.sent(trip).state, "Authorised")
        self.assertEqual(SignOff.objects.count(), 0)

    def test_a_code_instead_of_a_name(self):
        Policy.objects.filter(firm=self.maren.firm).update(certify_by="code")
        self.maren.firm.rules_version = "codes"
        self.maren.firm.save()
        trip = self.to_bergen()
        version = Trip.objects.get(pk=trip.pk).version
        with self.assertRaisesRegex(Refusal, "six digits"):
            road.send(self.maren, trip.pk, version, "Maren Oyelaran")
        from allauth.mfa.totp.internal import auth  # noqa: PLC0415

        secret = auth.generate_totp_secret()
        auth.TOTP.activate(self.maren.person, secret)
        code = auth.format_hotp_value(auth.hotp_value(secret, next(iter(auth.yield_hotp_counters_from_time()))))
        self.assertEqual(road.send(self.maren, trip.pk, version, code).state, "Awaiting sign-off")
        self.assertEqual(trip.versions.get().signed_by, "code")

    @shows("P9.3")
    def test_said_to_those_on_the_trip(self):
        trip = self.sent_trip(starts=20)
        with self.done():
            road.remark(self.maren, trip.pk, "The boat is late")
        self.assertTrue(self.tobias.notices.filter(text__contains="The boat is late").exists())
        with self.assertRaises(Trip.DoesNotExist):
            road.remark(self.aiko, trip.pk, "Me too")

    @shows("P7.2")
    def test_one_reason_serves_several_findings(self):
        trip = self.to_bergen()
        nights.mark_meal(self.maren, trip.pk, trip.starts + timedelta(days=1), Meal.LUNCH)
        nights.set_stay(self.maren, trip.pk, [trip.starts], "Lamp Quay", Decimal(170), "firm", False)
        file = self.file(trip)
        opened = [f.finding for f in file.findings if f.open]
        self.assertEqual(len(opened), 2)
        # What answers an agenda that comes later is no answer to a dear room.
        for reason in (opened[0].reasons[0], opened[1].reasons[0]):
            with self.assertRaisesRegex(Refusal, "does not answer this"):
                plan.explain(self.maren, trip.pk, opened, [f.identity for f in opened], reason, "The host decides")
        self.assertEqual(Explanation.objects.count(), 0)
        nights.set_stay(
            self.maren, trip.pk, [trip.starts + timedelta(days=1)], "Quay Rooms", Decimal(190), "firm", False
        )
        dear = [f.finding for f in self.file(trip).findings if f.open and f.finding.rule == "ceiling"]
        self.assertEqual(len(dear), 2)
        reason = dear[0].reasons[0]
        plan.explain(self.maren, trip.pk, dear, [f.identity for f in dear], reason, "The only rooms by the quay")
        self.assertEqual((self.file(trip).in_the_way, Explanation.objects.count()), (1, 2))


class LongTest(JourneyTestCase):
    def test_a_journey_of_a_year_and_too_many_legs(self):
        trip = self.to_bergen()
        at = datetime.combine(trip.starts + timedelta(days=365), time(9))
        with self.assertRaisesRegex(Refusal, "at most 120 days"):
            plan.add_leg(self.maren, trip.pk, "air", place("BGO"), place("ORK"), at, at + timedelta(hours=3))

    def test_the_page_of_a_long_journey_takes_no_more_queries(self):
        trip = plan.start_trip(self.maren, "Round the coast", "All gauges", FIELD)
        day = self.monday()
        spots = [
            place("ORK"),
            town("Bergen", "NO"),
            town("Florø", "NO"),
            town("Bergen", "NO"),
            town("Stavanger", "NO"),
            town("Bergen", "NO"),
        ]
        for n in range(12):
            one, other = spots[n % 6], spots[(n + 1) % 6]
            at = datetime.combine(day + timedelta(days=n * 20 // 11), time(9))
            plan.add_leg(self.maren, trip.pk, "ferry", one, other, at, at + timedelta(hours=6), Decimal(80))
        self.enter(self.maren)
        self.client.get(f"/trips/{trip.pk}/")
        with self.assertNumQueries(13):
            self.client.get(f"/trips/{trip.pk}/")
        self.assertEqual(((trip.ends or Trip.objects.get(pk=trip.pk).ends) - day).days, 20)
        self.assertTrue(clock.now())
