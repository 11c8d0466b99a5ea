"""Reads: rulebook and books from data, budgets, routes shown, finding, the stand-ins at work."""

from datetime import timedelta
from decimal import Decimal

from django.core import mail
from django.db import transaction

from tests.apps.world import FIELD, OFFICE, WorldTestCase, eur
from tests.codings import coded
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.models import Budget, Posting
from wainwright.accounts.refusals import refusal_words
from wainwright.accounts.selectors import books, budget_effects, by_code
from wainwright.accounts.services import give_back, use_budgets
from wainwright.bench import services as bench_services
from wainwright.bench.selectors import bench
from wainwright.bookings.selectors import ways
from wainwright.claims.models import Claim
from wainwright.core.categories import propose
from wainwright.core.fx import convert
from wainwright.core.money import Money
from wainwright.core.routing import work_out_route
from wainwright.errors import NotAllowed, Refusal
from wainwright.expenses.proposals import guides
from wainwright.formats.places import best_place, place
from wainwright.news.models import Notice
from wainwright.news.services import mark_read, tell
from wainwright.outside import service
from wainwright.people.models import Cover, Membership, new_version
from wainwright.people.selectors import signers
from wainwright.rulebook.models import AllowanceRate, SchemeData
from wainwright.rulebook.selectors import rate_table, rulebook
from wainwright.signoff import services as signoff
from wainwright.signoff.models import SignOff
from wainwright.trail.models import Entry
from wainwright.trail.services import record
from wainwright.trips.frozen import freeze, thaw
from wainwright.trips.models import Trip
from wainwright.trips.selectors import load_file
from wainwright.trips.versions import frozen_of
from wainwright.web.finding import find


class RulebookTest(WorldTestCase):
    def test_each_day_has_the_scheme_in_force_and_a_draft_counts_for_nothing(self):
        trip = self.a_trip(starts=20, days=3)
        data = trip.firm.schemes.get().data
        half = {**data, "code": "H", "rows": [{"pays": {"share": "0.5"}}]}
        made = SchemeData.objects.create(firm=trip.firm, code="H", data=half)

        def days() -> list[str]:
            type(trip.firm).objects.filter(pk=trip.firm_id).update(rules_version=new_version())
            again = Trip.objects.select_related("firm", "traveller").get(pk=trip.pk)
            return [str(day.amount) for day in load_file(self.maren, again).figures.allowance.days]

        whole = days()
        made.since = trip.starts + timedelta(days=1)
        made.save()
        self.assertEqual(days(), [whole[0], "29.00", "29.00"])

    def test_a_rate_in_money_of_its_own_with_what_its_row_names(self):
        trip = self.a_trip(starts=20, days=3)
        AllowanceRate.objects.filter(firm=trip.firm, town="Bergen").update(
            currency="NOK", full_minor=580_00, ceiling_minor=1500_00, amounts={"part": 290_00}, free={"full": 400_00}, sets={"lunch+dinner": 100_00}
        )  # fmt: skip
        data = trip.firm.schemes.get().data
        rows = [{"period": ["first", "last"], "pays": {"amount": "part"}}, {"pays": {"share": "1"}}]
        trip.firm.schemes.update(data={**data, "rows": rows})
        type(trip.firm).objects.filter(pk=trip.firm_id).update(rules_version=new_version())
        again = Trip.objects.select_related("firm", "traveller").get(pk=trip.pk)
        table = rate_table(trip.firm, self.today, currencies=["NOK"])
        part, full = (
            convert(Money.of(amount, "NOK"), "EUR", self.today, table).home for amount in ("290.00", "580.00")
        )
        found = load_file(self.maren, again).figures
        self.assertEqual([day.amount for day in found.allowance.days], [part, full, part])
        self.assertEqual(found.nights[0].ceiling.currency, "EUR")
        self.assertTrue(found.allowance.taxed)
        # And back through what is kept with a version.
        self.assertEqual(
            thaw(freeze(frozen_of(load_file(self.maren, again), []))).figures.allowance.amount, found.allowance.amount
        )

    def test_a_rulebook_is_loaded_once_a_version(self):
        firm = self.maren.firm
        rulebook(firm), books(firm)
        with self.assertNumQueries(0):
            rulebook(firm), books(firm)
        AllowanceRate.objects.filter(firm=firm, town="Bergen").update(full_minor=60_00)
        firm.rules_version = new_version()
        bergen = next(rate for rate in rulebook(firm).rates if rate.town == "Bergen")
        self.assertEqual(bergen.full, eur(60))

    def test_a_new_rate_counts_from_its_date_on(self):
        trip = self.a_trip(starts=20, days=3)
        AllowanceRate.objects.create(
            firm=trip.firm,
            town="Bergen",
            country="NO",
            since=trip.starts + timedelta(days=1),
            full_minor=80_00,
            ceiling_minor=150_00,
        )
        type(trip.firm).objects.filter(pk=trip.firm_id).update(rules_version=new_version())
        trip = type(trip).objects.select_related("firm", "traveller").get(pk=trip.pk)
        days = load_file(self.maren, trip).figures.allowance.days
        self.assertEqual([str(day.amount) for day in days], ["43.50", "80.00", "60.00"])

    def test_categories_by_the_merchants_words(self):
        categories = guides(rulebook(self.maren.firm).categories)
        for merchant, code in [
            ("FJORDLINK FERRY 8841", "ferry"),
            ("Lamp Quay Hotel", "lodging"),
            ("pier taxi", "taxi"),
            ("zzz", None),
        ]:
            with self.subTest(merchant):
                found = propose("", merchant, "", [], categories)
                self.assertEqual(found.category if found else None, code)

    def test_rates_of_the_last_month_only(self):
        table = rate_table(self.maren.firm, self.today)
        self.assertIn(self.today, table.days)
        self.assertNotIn(self.today - timedelta(days=40), table.days)

    def test_a_place_without_a_rate_is_a_stop_in_words(self):
        AllowanceRate.objects.filter(firm=self.maren.firm).exclude(town="Lisbon").delete()
        type(self.maren.firm).objects.update(rules_version=new_version())
        trip = self.a_trip(starts=20)
        trip = type(trip).objects.select_related("firm", "traveller").get(pk=trip.pk)
        file = load_file(self.maren, trip)
        self.assertIn("There is no rate for Bergen", file.findings[0].finding.text)
        self.assertTrue(file.in_the_way)


class BudgetTest(WorldTestCase):
    @shows("P10.2", "V5.1")
    def test_before_and_after_without_ones_own(self):
        firm, amounts = self.maren.firm, by_code([(FIELD, eur(100)), (OFFICE, eur(50))])
        self.assertEqual(amounts["cost_centre", "3120"], eur(150))
        use_budgets(firm, self.today.year, "trip:1", amounts, actual=False)
        use_budgets(firm, self.today.year, "claim:9", {("cost_centre", "3120"): eur(10)}, actual=True)
        with self.assertNumQueries(1):
            effects = {e.budget.label: e for e in budget_effects(firm, self.today.year, amounts, "trip:1")}
        self.assertEqual((effects["3120"].budget.committed, effects["3120"].budget.actual), (eur(0), eur(10)))
        other = {e.budget.label: e for e in budget_effects(firm, self.today.year, amounts)}
        self.assertEqual(other["3120"].budget.available, eur(60_000) - eur(150) - eur(10))
        give_back("trip:1")
        self.assertEqual(Budget.objects.get(code="P-0417", year=self.today.year).uses.count(), 0)

    def test_refusals_that_nobody_foresaw_keep_the_ledgers_words(self):
        self.assertIn(
            "Noe annet",
            refusal_words(
                Posting(firm=self.maren.firm, refusal_code="LB-999", refusal_text="Noe annet", refusal_about="x")
            ),
        )
        self.assertIn(
            "cost centre 3120",
            refusal_words(Posting(firm=self.maren.firm, refusal_code="LB-202", refusal_about="cost_centre:3120")),
        )


class PeopleTest(WorldTestCase):
    def test_signers_with_cover_in_one_query(self):
        Cover.objects.create(
            member=self.tobias, by=self.ottilie, since=self.today - timedelta(days=1), until=self.today
        )
        with self.assertNumQueries(1):
            found = signers(self.maren.firm_id, self.today)
        self.assertEqual(found[str(self.tobias.pk)].cover, str(self.ottilie.pk))
        self.assertEqual(signers(self.maren.firm_id, self.today + timedelta(days=1))[str(self.tobias.pk)].cover, "")

    def test_nobody_is_lost_when_a_manager_has_left(self):
        Membership.objects.filter(pk=self.tobias.pk).update(active=False)
        route = work_out_route(str(self.maren.pk), eur(100), {}, signers(self.maren.firm_id, self.today), [])
        self.assertEqual([step.name for step in route.steps], ["Signe Halloran"])

    @shows("U3.3")
    def test_roles_and_initials(self):
        self.assertEqual(
            (self.tobias.roles, self.maren.person.initials, self.priya.may["read_all"]),
            (["traveller", "approver"], "MO", True),
        )


class SignOffTest(WorldTestCase):
    @shows("V1.3")
    def test_order_is_kept_and_side_by_side_waits_for_both(self):
        claim = self.sent_claim()
        SignOff.objects.create(
            firm=claim.firm,
            subject=claim.subject,
            kind="claim",
            object_id=claim.pk,
            order=2,
            signer=self.ottilie,
            why="x",
            title="x: y",
            currency="EUR",
        )
        SignOff.objects.create(
            firm=claim.firm,
            subject=claim.subject,
            kind="claim",
            object_id=claim.pk,
            order=2,
            signer=self.signe,
            why="x",
            title="x: y",
            currency="EUR",
        )
        with self.assertRaisesRegex(NotAllowed, "Others on the route"):
            signoff.turn_of(self.signe, claim.subject)
        self.assertFalse(signoff.give(self.tobias, claim.subject, "", "x", "/", self.maren)[1])
        self.assertEqual(SignOff.objects.filter(turn=True).count(), 2)
        self.assertFalse(signoff.give(self.signe, claim.subject, "", "x", "/", self.maren)[1])
        self.assertTrue(signoff.give(self.ottilie, claim.subject, "", "x", "/", self.maren)[1])

    def test_the_bench_in_due_order_in_two_queries(self):
        first, second = self.sent_claim(), self.sent_claim(who=self.aiko, costs=("21.00",))
        SignOff.objects.filter(object_id=second.pk, kind="claim").update(due=self.today - timedelta(days=3))
        with self.assertNumQueries(2):
            found = bench(self.tobias)
        self.assertEqual([w.object_id for w in found.waiting if w.kind == "claim"], [second.pk, first.pk])
        self.assertEqual((found.waiting[0].days, found.waiting[0].who), (-3, "Aiko Brandt"))
        self.assertEqual(found.sums, [first.total + second.total])

    def test_finance_sees_the_refused_first_and_never_their_own(self):
        self.checked_claim(who=self.desmond, costs=("23.00",), coding=coded("3900"))
        waiting, refused = self.checked_claim(), self.cleared_claim(who=self.aiko, costs=("21.00",))
        Claim.objects.filter(pk=refused.pk).update(state="Posting refused")
        self.assertEqual(
            [(w.object_id, w.finance_word) for w in bench(self.desmond).waiting],
            [(refused.pk, "refused"), (waiting.pk, "to check")],
        )
        self.assertEqual(len(bench(self.priya).waiting), 3)

    def test_an_empty_remark_is_refused(self):
        with self.assertRaises(Refusal):
            signoff.remark(self.tobias, "trip:1", "  ")


class TrailTest(WorldTestCase):
    @shows("P9.4")
    def test_every_act_leaves_one_entry_with_before_and_after(self):
        before = Entry.objects.count()
        self.a_cost()
        self.assertEqual(Entry.objects.count(), before + 1)
        entry = Entry.objects.order_by("-number").first()
        self.assertEqual(
            (entry.what, entry.who), ("typed a cost", "Maren Oyelaran <maren.oyelaran@brackwater.example>")
        )
        self.assertIn('"amount": 2000', entry.after)

    def test_the_system_is_named_as_such(self):
        self.assertEqual(record(None, "tidied", "x:1", firm_id=1).who, "Wainwright")


class NewsTest(WorldTestCase):
    @shows("U7.1", "U7.2")
    def test_in_the_application_and_by_mail_with_a_link(self):
        with self.done():
            tell(self.maren, "Something came", "/trips/1/", "More words")
        self.assertEqual((Notice.objects.get().text, mail.outbox[0].to), ("Something came", [self.maren.person.email]))
        self.assertIn("http://127.0.0.1:8000/trips/1/", mail.outbox[0].body)
        self.assertIn("More words", mail.outbox[0].alternatives[0][0])
        self.assertEqual((mark_read(self.maren), mark_read(self.maren)), (1, 0))


class FindTest(WorldTestCase):
    @shows("U8.3")
    def test_only_what_one_may_see(self):
        claim = self.sent_claim()
        for member, count in [(self.maren, 2), (self.tobias, 2), (self.priya, 2), (self.aiko, 0), (self.liv, 0)]:
            for text in ("gauge", "Maren", claim.code, str(claim.number)):
                with self.subTest(member=member.person.name, text=text):
                    self.assertEqual(
                        len(find(member, text)) if text in ("gauge", "Maren") else min(1, len(find(member, text))),
                        count if text in ("gauge", "Maren") else min(1, count),
                    )
        self.assertEqual(find(self.maren, "  "), [])


class StandinsTest(WorldTestCase):
    def test_roads(self):
        roads = service("roads")
        between = roads.between(best_place("Bergen"), best_place("Florø"))
        self.assertEqual((between.km, between.via, between.estimated), (Decimal(240), ("forde",), False))
        far = roads.between(best_place("Cork"), best_place("Lisbon"))
        self.assertTrue(far.estimated)
        self.assertEqual(roads.between(best_place("Cork"), best_place("Cork")).km, 0)

    def test_prices_rise_towards_departure(self):
        day = self.today + timedelta(days=60)
        early = sum(w.offer.price.minor for w in ways(place("ORK"), place("BGO"), day, self.today, "EUR"))
        late = sum(w.offer.price.minor for w in ways(place("ORK"), place("BGO"), day, day - timedelta(days=1), "EUR"))
        self.assertGreater(late, early)

    def test_the_clock_stands_still_when_told_to(self):
        moment = clock.now() - timedelta(days=3)
        with clock.at(moment):
            self.assertEqual(clock.now(), moment)
        self.assertNotEqual(clock.now(), moment)


class RouteTest(WorldTestCase):
    @shows("P9.1")
    def test_an_owner_above_the_threshold_joins(self):
        trip = self.a_trip(starts=20, coding=coded("3140"))
        file = load_file(self.maren, trip)
        self.assertEqual([step.name for step in file.route.steps], ["Tobias Achterberg", "Ottilie Marsh"])
        dear = self.a_trip(who=self.nadia, starts=20, coding=coded("3140"))
        self.assertEqual([step.name for step in load_file(self.nadia, dear).route.steps], ["Ottilie Marsh"])


class AuthorityTest(WorldTestCase):
    def waiting(self, claim) -> list[str]:
        rows = SignOff.objects.filter(subject=claim.subject, state="Waiting", turn=True).select_related(
            "signer__person"
        )
        return [row.signer.person.name for row in rows]

    def test_a_limit_that_was_lowered_meanwhile_asks_the_next_above(self):
        claim = self.sent_claim()
        Membership.objects.filter(pk=self.tobias.pk).update(limit_minor=1)
        self.assertFalse(bench_services.approve(self.tobias, "claim", claim.pk))
        claim.refresh_from_db()
        self.assertEqual(claim.state, "In sign-off")
        (above,) = SignOff.objects.filter(subject=claim.subject, state="Waiting").select_related(
            "signer__person", "signer__firm"
        )
        self.assertEqual(above.signer_id, self.tobias.manager_id)
        self.assertIn("limit of 0.01", above.why)
        self.assertTrue(bench_services.approve(above.signer, "claim", claim.pk))
        claim.refresh_from_db()
        self.assertEqual(claim.state, "In finance check")

    def test_where_nobody_above_may_sign_nothing_is_signed_until_somebody_may(self):
        claim = self.sent_claim()
        Membership.objects.filter(firm=self.maren.firm).update(limit_minor=1)
        with self.assertRaisesRegex(Refusal, "nobody above can sign. An administrator"), transaction.atomic():
            bench_services.approve(self.tobias, "claim", claim.pk)
        self.assertEqual(self.waiting(claim), [self.tobias.person.name])
        Membership.objects.filter(pk=self.tobias.pk).update(limit_minor=None)
        self.assertTrue(bench_services.approve(self.tobias, "claim", claim.pk))
