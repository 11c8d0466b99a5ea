"""The queue: filtered, sorted and paged in the database; taken over, approved many at once; what finance looks at is drawn."""

from __future__ import annotations

from datetime import timedelta

from django.test import RequestFactory

from tests.apps.world import WorldTestCase, eur
from tests.coverage import shows
from wainwright import clock
from wainwright.bench import services, undoing
from wainwright.bench.selectors import SIZE, Wanted, bench, calm
from wainwright.claims.models import Claim
from wainwright.claims.risk import risk_as_kept
from wainwright.core.risk import drawn
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.people.models import Firm, Membership, new_version
from wainwright.rulebook.models import Policy
from wainwright.rulebook.safeguards import safeguards_of, set_safeguards
from wainwright.signoff.models import SignOff
from wainwright.trail.models import Entry
from wainwright.trips.models import Trip


class QueueCase(WorldTestCase):
    def waiting(self, count: int, **more) -> None:
        """Sign-offs of claims that are not there, as many as are wanted."""
        firm = self.tobias.firm
        SignOff.objects.bulk_create(
            SignOff(
                firm=firm, subject=f"claim:{10**6 + n}", kind="claim", object_id=10**6 + n, order=1, signer=self.tobias, turn=True,
                title=f"Person {n:05d}: Thing", amount_minor=100 * (n + 1), currency="EUR", why="x", since=clock.now() - timedelta(minutes=n),
                due=self.today + timedelta(days=n % 30), risk=n % 101, coding="3120" if n % 2 else "3140", marks=["explain"] if n % 3 else [], odd=bool(n % 3),
                **more,
            )
            for n in range(count)
        )  # fmt: skip

    def titles(self, **query) -> list[str]:
        return [f"{w.who}" for w in bench(self.tobias, Wanted.of(query)).waiting]


class QueueTest(QueueCase):
    @shows("V1.1")
    def test_every_order_and_every_filter(self):
        self.waiting(40)
        for sort, first in (
            ("due", "Person 00030"), ("risk", "Person 00039"), ("amount", "Person 00039"), ("person", "Person 00000"),
            ("oldest", "Person 00039"), ("coding", "Person 00001"),
        ):  # fmt: skip
            with self.subTest(sort):
                self.assertEqual(self.titles(sort=sort)[0], first)
        self.assertEqual(self.titles(q="person 00017"), ["Person 00017"])
        self.assertEqual(len(self.titles(q="3140")), 20)
        self.assertEqual(len(self.titles(calm="1")), 14)
        self.assertEqual(self.titles(kind="plan"), [])
        self.assertEqual(len(self.titles(sort="'; drop", show="all", kind="x" * 99)), SIZE)

    def test_ten_thousand_are_counted_and_reached_in_two_queries(self):
        self.waiting(10_000)
        with self.assertNumQueries(2):
            found = bench(self.tobias, Wanted(), "334")
        self.assertEqual((found.count, found.page.paginator.num_pages, len(found.waiting)), (10_000, 334, 10))
        self.assertEqual(found.sums, [eur(sum(range(1, 10_001)))])
        self.assertEqual(len(bench(self.tobias, Wanted(), "9999").waiting), 10)

    def test_finance_sees_sign_offs_and_claims_in_one_order(self):
        self.priya.approver = True
        self.waiting(3)
        SignOff.objects.update(signer=self.priya)
        checked = self.checked_claim()
        SignOff.objects.filter(object_id__lt=10**6).delete()
        for sort in ("due", "risk", "kind", "person", "coding", "amount", "oldest"):
            with self.subTest(sort), self.assertNumQueries(4):
                found = bench(self.priya, Wanted.of({"sort": sort}))
                self.assertEqual((found.count, len(found.waiting)), (4, 4))
        self.assertEqual(found.waiting[0].who, "Person 00002")
        mine = next(w for w in found.waiting if w.object_id == checked.pk)
        self.assertEqual((mine.finance_word, mine.who, mine.coding), ("to check", "Maren Oyelaran", "3120"))
        self.assertEqual([w.object_id for w in bench(self.priya, Wanted.of({"q": "maren"})).waiting], [checked.pk])

    @shows("V1.2")
    def test_what_waits_for_others_and_what_was_decided(self):
        claim = self.sent_claim()
        self.assertEqual([w.holds for w in bench(self.priya, Wanted(show="others")).waiting], ["Tobias Achterberg"])
        self.assertEqual([w.holds for w in bench(self.signe, Wanted(show="others")).waiting], ["Tobias Achterberg"])
        self.assertEqual(bench(self.ottilie, Wanted(show="others")).waiting, [])
        with self.done():
            services.approve(self.tobias, "claim", claim.pk)
        found = bench(self.tobias, Wanted(show="decided"))
        self.assertEqual({w.state for w in found.waiting}, {"Given"})
        self.assertEqual(found.waiting[0].object_id, claim.pk)
        self.assertEqual(bench(self.ottilie, Wanted(show="decided")).waiting, [])

    def test_a_view_is_kept_under_a_name_and_dropped(self):
        self.enter(self.tobias)
        self.waiting(2)
        page = self.client.post("/bench/queue/keep/", {"name": "Risky", "query": "sort=risk&evil=1&q=Pe"}, follow=True)
        self.assertContains(page, 'href="/bench/queue/?sort=risk&amp;q=Pe"')
        kept = self.tobias.kept_views.get()
        with self.assertRaises(Refusal):
            services.keep_view(self.tobias, "x", "sort=risk")
        with self.assertRaises(Refusal):
            services.keep_view(self.tobias, "As it is", "")
        with self.assertRaises(Stale):
            services.drop_view(self.signe, kept.pk)
        self.client.post("/bench/queue/keep/", {"drop": kept.pk})
        self.assertFalse(self.tobias.kept_views.exists())

    def test_the_address_says_what_is_looked_at(self):
        request = RequestFactory().get("/", {"show": "others", "q": " Maren ", "calm": "1"})
        wanted = Wanted.of(request.GET)
        self.assertEqual(wanted.address(), "?show=others&q=Maren&calm=1")
        self.assertEqual(wanted.address(show="mine", calm=False, text=""), "")


class ManyTest(QueueCase):
    @shows("V3.3")
    def test_all_with_nothing_out_of_line_in_one_act(self):
        one, two = self.sent_claim(), self.sent_claim(who=self.aiko, costs=("21.00",))
        trip = self.sent_trip(starts=20)
        odd = SignOff.objects.get(object_id=two.pk, kind="claim", signer=self.tobias)
        odd.marks = ["explain"]
        odd.save()
        easy = calm(self.tobias, Wanted())
        self.assertEqual((bench(self.tobias).easy.count, len(easy)), (2, 2))
        self.enter(self.tobias)
        with self.done():
            page = self.client.post("/bench/queue/approve/", {"thing": easy}, follow=True)
        self.assertContains(page, "2 are approved")
        one.refresh_from_db(), two.refresh_from_db()
        self.assertEqual((one.state, two.state), ("In finance check", "In sign-off"))
        self.assertEqual(Trip.objects.get(pk=trip.pk).state, "Authorised")

    def test_what_changed_meanwhile_is_left_and_said(self):
        claim = self.sent_claim()
        row = SignOff.objects.get(object_id=claim.pk, kind="claim", signer=self.tobias)
        done, left = services.approve_calm(self.tobias, [(row.pk, claim.version - 1), (10**9, 1)])
        self.assertEqual((done, len(left)), (0, 1))
        self.assertIn("changed since you opened", left[0])
        row.marks = ["stop"]
        row.save()
        self.assertIn("out of line", services.approve_calm(self.tobias, [(row.pk, claim.version)])[1][0])
        # Somebody else's sign-off is not among them.
        self.assertEqual(services.approve_calm(self.signe, [(row.pk, claim.version)]), (0, []))

    @shows("V1.2")
    def test_taken_over_by_who_stands_above(self):
        claim = self.sent_claim()
        row = SignOff.objects.get(object_id=claim.pk, kind="claim", signer=self.tobias)
        for who in (self.ottilie, self.maren, self.priya, self.ingrid):
            with self.subTest(who), self.assertRaises((NotAllowed, Stale)):
                services.take_over(who, row.pk)
        self.enter(self.signe)
        page = self.client.get("/bench/queue/?show=others")
        self.assertContains(page, f"/bench/queue/{row.pk}/take-over/")
        # What is in it is theirs to see once it is theirs to decide: no link leads to a page that is not open to them.
        self.assertNotContains(page, f'href="/bench/claim/{claim.pk}/"')
        page = self.client.post(f"/bench/queue/{row.pk}/take-over/", follow=True)
        self.assertEqual(page.status_code, 200)
        new = SignOff.objects.get(object_id=claim.pk, kind="claim", signer=self.signe)
        self.assertIn("taken over from Tobias Achterberg", new.why)
        self.assertTrue(self.tobias.notices.filter(text__contains="took").exists())
        self.assertTrue(self.maren.notices.filter(text__contains="decides in place of").exists())
        with self.assertRaises(Stale):
            services.take_over(self.signe, row.pk)
        with self.assertRaises(Stale):
            services.approve(self.tobias, "claim", claim.pk)
        with self.done():
            services.approve(self.signe, "claim", claim.pk)
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "In finance check")

    def test_not_over_ones_limit_and_not_ones_own(self):
        claim = self.sent_claim(who=self.signe) if self.signe.manager_id else self.sent_claim()
        row = SignOff.objects.filter(object_id=claim.pk, kind="claim", state="Waiting").first()
        Membership.objects.filter(pk=self.signe.pk).update(limit_minor=1)
        signe = Membership.objects.select_related("firm", "person").get(pk=self.signe.pk)
        with self.assertRaises((Refusal, NotAllowed)):
            services.take_over(signe, row.pk)


class RiskTest(QueueCase):
    @shows("V7.1")
    def test_the_risk_and_its_reasons_are_kept_with_what_was_sent(self):
        self.sent_claim(costs=("20.00",))
        for n in range(3):
            self.sent_claim(who=self.aiko, costs=(f"{20 + n}.00",))
        claim = self.sent_claim(who=self.aiko, costs=("90.00",))
        risk = risk_as_kept(claim.statement)
        words = " ".join(each.words for each in risk.reasons)
        self.assertIn("times what this person pays as a rule", words)
        self.assertEqual(risk.points, sum(each.points for each in risk.reasons))
        row = SignOff.objects.get(object_id=claim.pk, kind="claim", signer=self.tobias)
        self.assertEqual((row.risk, row.what, row.coding), (risk.points, "claim", "3120"))
        self.enter(self.tobias)
        self.assertContains(self.client.get(f"/bench/claim/{claim.pk}/"), f"Risk {risk.points}")


class LookingTest(QueueCase):
    def policy(self, **values):
        Policy.objects.filter(firm=self.maren.firm).update(**values)
        Firm.objects.filter(pk=self.maren.firm_id).update(rules_version=new_version())

    def signed_off(self, **options) -> Claim:
        claim = self.sent_claim(**options)
        with self.done():
            self.approve_all("claim", claim.pk)
        return Claim.objects.select_related("statement").get(pk=claim.pk)

    @shows("V7.2")
    def test_what_is_not_drawn_clears_by_itself_and_the_trail_can_be_checked(self):
        self.policy(look_share=0, harmless_to=100, look_seed="a seed")
        claim = self.signed_off()
        self.assertEqual((claim.state, claim.cleared_by_id), ("Cleared", None))
        entry = Entry.objects.get(subject=claim.subject, what="cleared by itself")
        number = drawn("a seed", f"{claim.code}:{claim.statement.number}")
        self.assertIn(f'"number drawn": "{number}"', entry.after)
        self.enter(self.priya)
        self.assertEqual(self.client.get(f"/bench/claim/{claim.pk}/").status_code, 200)
        with self.done():
            self.client.post(f"/bench/claim/{claim.pk}/post/", {"version": claim.version, "on": self.today.isoformat()})
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Posted")
        self.assertContains(self.client.get(f"/bench/claim/{claim.pk}/"), "How it was posted")

    def test_what_cleared_by_itself_is_undone_too(self):
        self.policy(look_share=0, harmless_to=100, look_seed="a seed")
        claim = self.signed_off()
        undoing.undo(self.tobias, "claim", claim.pk)
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "In sign-off")

    def test_above_the_amount_above_the_risk_or_drawn_it_is_looked_at(self):
        for values in (
            {"look_share": 0, "harmless_to": 100, "look_above_minor": 100},
            {"look_share": 100, "harmless_to": 100},
        ):
            with self.subTest(values):
                self.policy(**({"look_seed": "a seed", "look_above_minor": None} | values))
                self.assertEqual(self.signed_off(costs=(f"{20 + len(values)}.00",)).state, "In finance check")
        self.policy(look_share=0, harmless_to=0, look_above_minor=None)
        claim = self.sent_claim(who=self.aiko, costs=("33.00",))
        claim.statement.risk = 1
        claim.statement.save()
        with self.done():
            self.approve_all("claim", claim.pk)
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "In finance check")

    @shows("V7.2")
    def test_set_by_an_administrator_with_a_seed_that_nobody_chose(self):
        wanted = safeguards_of(self.callum.firm)
        self.enter(self.callum)
        form = {
            "second_payer": "", "certify_by": "name", "look_share": "20", "harmless_to": "10", "look_above": "500", "decide_days": "4",
            "remind_days": "1", "goes_on_days": "3",
        }  # fmt: skip
        self.assertEqual(self.client.post("/rules/safeguards/set/", form).status_code, 302)
        now = safeguards_of(self.callum.firm)
        self.assertEqual((now.look_share, now.harmless_to, now.look_above, now.decide_days), (20, 10, eur(500), 4))
        seed = Policy.objects.get(firm=self.callum.firm).look_seed
        self.assertEqual(len(seed), 32)
        self.assertNotIn(seed, str(list(Entry.objects.values_list("after", flat=True))))
        self.assertEqual(self.client.post("/rules/safeguards/set/", form | {"look_share": "101"}).status_code, 422)
        with self.assertRaises(NotAllowed):
            set_safeguards(self.priya, wanted)
        self.enter(self.benedikt)
        self.assertContains(self.client.get("/rules/safeguards/"), seed)
