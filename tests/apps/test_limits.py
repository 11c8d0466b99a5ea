"""Limits of authority and mileage rates: tried on what was sent and claimed before they hold, then in force from a day on."""

from __future__ import annotations

from datetime import timedelta
from decimal import Decimal

from django.test import Client

from tests.apps.test_laying_down import LaidDown
from tests.coverage import shows
from wainwright.claims.models import Claim
from wainwright.errors import Faults, NotAllowed, Refusal, Stale
from wainwright.expenses.models import Expense
from wainwright.expenses.services import rides
from wainwright.formats.places import place
from wainwright.people.models import Membership
from wainwright.rehearsal import running, trials
from wainwright.rehearsal.models import Heard, Rehearsal
from wainwright.rulebook.mileage import MileageTyped, read_rate
from wainwright.rulebook.models import MileageRateRow
from wainwright.signoff.models import SignOff
from wainwright.staff import limits
from wainwright.staff.models import LimitChange
from wainwright.trail.models import Entry
from wainwright.web.tasks import every_minute

DAY = timedelta(days=1)


def fresh(member: Membership) -> Membership:
    return Membership.objects.select_related("person", "firm").get(pk=member.pk)


class Trials(LaidDown):
    same_on_any_day = True

    def run_(self, trial) -> Rehearsal:
        with self.done():
            made = running.start_trial(self.callum, trial, self.today - 300 * DAY, self.today, "")
        made.refresh_from_db()
        return made

    def heard(self, row: Rehearsal) -> list[tuple[str, str]]:
        return [(each.change, each.text) for each in Heard.objects.filter(rehearsal=row).order_by("kind", "pk")]


class LimitsTest(Trials):
    def typed(self, text: str) -> dict[int, str]:
        return {fresh(self.maren).manager_id: text}

    @shows("S8.1")
    def test_from_today_at_once_and_from_a_day_on_when_it_comes(self):
        boss = fresh(self.maren).manager_id
        done = limits.set_limits(self.callum, self.typed("1,240"), self.today)
        self.assertEqual((str(done[0].limit), fresh(done[0].member).limit_minor), ("1,240.00", 124000))
        limits.set_limits(self.callum, self.typed("any"), self.today + DAY)
        self.assertEqual(Membership.objects.get(pk=boss).limit_minor, 124000)
        every_minute.call_local()
        self.assertEqual(Membership.objects.get(pk=boss).limit_minor, 124000)
        LimitChange.objects.filter(done=None).update(since=self.today)
        self.assertEqual((limits.begin_due(), limits.begin_due()), (1, 0))
        self.assertIsNone(Membership.objects.get(pk=boss).limit_minor)
        said = list(Entry.objects.filter(subject=f"member:{boss}").values_list("what", flat=True))
        self.assertEqual(said.count("a limit of authority holds"), 2)
        # What is sent from then on goes by it.
        limits.set_limits(self.callum, self.typed("10"), self.today)
        claim = self.sent_claim(costs=("25.00",))
        self.assertGreater(SignOff.objects.filter(subject=claim.subject).count(), 1)

    def test_taken_back_before_it_begins(self):
        limits.set_limits(self.callum, self.typed("77"), self.today + 3 * DAY)
        limits.set_limits(self.callum, self.typed("78"), self.today + 3 * DAY)
        change = LimitChange.objects.get()
        self.assertEqual(change.limit_minor, 7800)
        with self.assertRaises(NotAllowed):
            limits.call_off(self.priya, change.pk)
        limits.call_off(self.callum, change.pk)
        with self.assertRaises(Stale):
            limits.call_off(self.callum, change.pk)

    def test_what_cannot_be_is_said_and_nothing_is_done(self):
        boss = fresh(self.maren).manager_id
        typed = {boss: "lots", self.priya.pk: "-5", self.tobias.pk: "500", self.ingrid.pk: "5"}
        with self.assertRaises(Faults) as wrong:
            limits.set_limits(self.callum, typed, self.today)
        self.assertLessEqual({f"limit-{self.priya.pk}", f"limit-{self.ingrid.pk}"}, set(wrong.exception.faults))
        for since in (None, self.today - DAY, self.today + 900 * DAY):
            with self.assertRaisesRegex(Refusal, "from which day"):
                limits.set_limits(self.callum, {self.tobias.pk: "500"}, since)
        with self.assertRaisesRegex(Refusal, "not there yet"):
            limits.set_limits(self.callum, {self.tobias.pk: " "}, self.today)
        with self.assertRaises(NotAllowed):
            limits.set_limits(self.priya, {self.tobias.pk: "500"}, self.today)
        Membership.objects.filter(pk=self.callum.pk).update(signs_own=True, approver=True, limit_minor=100)
        with self.assertRaisesRegex(Refusal, "of their own"):
            limits.set_limits(fresh(self.callum), {self.callum.pk: "any"}, self.today)
        self.assertFalse(LimitChange.objects.exists())

    def test_rehearsed_on_what_was_sent_then_set(self):
        large = self.sent_claim(costs=("25.00", "15.00"))
        small = self.sent_claim(costs=("8.00",))
        boss = Membership.objects.select_related("person", "manager__person", "firm").get(
            pk=fresh(self.maren).manager_id
        )
        before = [row.pk for row in SignOff.objects.all()]
        found = limits.read_limits(self.firm(), {boss.pk: str(small.total)})
        row = self.run_(trials.limits_trial({each.member.pk: each.limit for each in found}, "lower"))
        self.assertEqual(row.state, Rehearsal.State.DONE)
        mine = list(Heard.objects.filter(rehearsal=row, kind="claim"))
        self.assertEqual([each.thing for each in mine], [large.pk])
        self.assertIn(f"{boss.manager.person.name} would sign as well", mine[0].text)
        self.assertEqual([each.pk for each in SignOff.objects.all()], before)
        browser = Client()
        browser.force_login(self.callum.person)
        page = browser.get(f"/rules/rehearsals/{row.pk}/")
        self.assertContains(page, "asked as well")
        answer = browser.post(f"/rules/rehearsals/{row.pk}/set/", {"on": "2001-01-01"})
        self.assertContains(answer, "today or later", status_code=422)
        browser.post(f"/rules/rehearsals/{row.pk}/set/", {"on": str(self.today)})
        self.assertEqual(Membership.objects.get(pk=boss.pk).limit_minor, small.total.minor)
        # A raised one spares somebody.
        again = self.sent_claim(costs=("25.00", "15.00"))
        row = self.run_(trials.limits_trial({boss.pk: None}, "any"))
        self.assertIn((Heard.Change.GONE, f"{boss.manager.person.name} would not be asked"), [(each.change, each.text) for each in Heard.objects.filter(rehearsal=row, thing=again.pk)])  # fmt: skip

    def test_the_page_keeps_what_was_typed(self):
        browser = Client()
        browser.force_login(self.callum.person)
        name = f"limit-{self.tobias.pk}"
        answer = browser.post("/rules/limits/set/", {name: "much", "on": str(self.today)})
        self.assertContains(answer, 'value="much"', status_code=422)
        self.assertContains(answer, "is no amount in EUR", status_code=422)
        answer = browser.post("/rules/limits/rehearse/", {name: "30", "span-since": "soon", "span-until": ""})
        self.assertContains(answer, 'value="30"', status_code=422)
        answer = browser.post("/rules/limits/rehearse/", {name: "30", "span-since": str(self.today - DAY), "span-until": str(self.today), "span-whose": "Nobody Here"})  # fmt: skip
        self.assertContains(answer, "Nobody Here", status_code=422)
        with self.done():
            browser.post(
                "/rules/limits/rehearse/",
                {name: "30", "span-since": str(self.today - DAY), "span-until": str(self.today)},
            )
        self.assertEqual(Rehearsal.objects.get().trial["limits"], {str(self.tobias.pk): 3000})
        browser.post("/rules/limits/set/", {name: "30", "on": str(self.today + DAY)})
        self.assertContains(browser.get("/rules/limits/"), "Take it back")
        self.assertContains(browser.get("/rules/limits/?q=tobias"), "Tobias")
        self.assertContains(browser.get(f"/people/{self.tobias.pk}/"), "30.00")
        with self.assertNumQueries(5):
            browser.get("/rules/limits/")


class MileageTrialTest(Trials):
    def ride(self, km: int, day, claim: Claim | None = None) -> Expense:
        made = rides.type_ride(
            self.maren, rides.Ride(day, place("ORK"), place("BGO"), "car", km=Decimal(km), reason="A long way round")
        )
        if claim is not None:
            Expense.objects.filter(pk=made.pk).update(claim=claim)
        return made

    def test_more_and_less_by_where_each_stands_in_its_band(self):
        first, second = self.a_claim(costs=("8.00",)), self.a_claim(costs=("8.00",))
        one, two = self.ride(4000, self.today - 20 * DAY, first), self.ride(3000, self.today - 10 * DAY, second)
        rate = read_rate(self.firm(), MileageTyped("car", "km", self.today, "5000 0.50\n0.10"), self.today)
        row = self.run_(trials.mileage_trial([rate], "car"))
        # 4,000 at 0.50 instead of 0.42; then 1,000 at 0.50 and 2,000 at 0.10 instead of 0.42 and 0.28.
        found = {each.thing: (each.change, each.amount_minor) for each in Heard.objects.filter(rehearsal=row)}
        self.assertEqual(found, {first.pk: ("new", 32000), second.pk: ("gone", 28000)})
        self.assertEqual([Expense.objects.get(pk=each.pk).amount_minor for each in (one, two)], [168000, 98000])
        browser = Client()
        browser.force_login(self.callum.person)
        self.assertContains(browser.get(f"/rules/rehearsals/{row.pk}/"), "would earn more")
        browser.post(f"/rules/rehearsals/{row.pk}/set/", {"on": str(self.today + DAY)})
        kept = MileageRateRow.objects.get(firm=self.firm(), vehicle="car", since=self.today + DAY)
        self.assertEqual(
            [[upper, Decimal(rate)] for upper, rate in kept.bands], [[5000, Decimal("0.50")], [None, Decimal("0.10")]]
        )
        answer = browser.post(f"/rules/rehearsals/{row.pk}/set/", {"on": str(self.today + DAY)})
        self.assertContains(answer, "begins on that day already", status_code=422)
        other = Client()
        other.force_login(self.benedikt.person)
        self.assertEqual(other.get(f"/rules/rehearsals/{row.pk}/").status_code, 403)

    def test_through_the_page(self):
        browser = Client()
        browser.force_login(self.callum.person)
        span = {"span-since": str(self.today - DAY), "span-until": str(self.today)}
        answer = browser.post("/rules/mileage/rehearse/", {"vehicle": "car", "unit": "km", "bands": "much"} | span)
        self.assertContains(answer, "much", status_code=422)
        answer = browser.post("/rules/mileage/rehearse/", {"table": "nonsense"} | span)
        self.assertEqual(answer.status_code, 422)
        with self.done():
            answer = browser.post("/rules/mileage/rehearse/", {"vehicle": "car", "unit": "km", "bands": "0.50"} | span)
        self.assertRedirects(answer, f"/rules/rehearsals/{Rehearsal.objects.get().pk}/")
