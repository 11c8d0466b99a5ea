"""Roles, privileges, and who sees what is whose."""

from __future__ import annotations

from datetime import timedelta

from tests.apps.world import WorldTestCase, eur
from tests.coverage import shows
from wainwright.bench import services as bench
from wainwright.claims.models import Claim
from wainwright.errors import NotAllowed, Refusal
from wainwright.expenses.models import Expense
from wainwright.people.models import Delegate, Membership
from wainwright.signoff.models import SignOff
from wainwright.staff import services
from wainwright.staff.seeing import sight
from wainwright.staff.services import Place
from wainwright.trail.models import Entry
from wainwright.trips.models import Trip


class PrivilegeTest(WorldTestCase):
    def setUp(self):
        self.place = Place(self.tobias.manager_id, self.tobias.limit, frozenset(self.tobias.roles), True, eur("1000"))

    def given(self, **changed) -> Membership:
        services.set_place(self.callum, self.tobias.pk, Place(**{**self.place.__dict__, **changed}))
        return Membership.objects.select_related("person", "firm").get(pk=self.tobias.pk)

    def signers_of(self, amount: str) -> list[Membership]:
        claim = self.sent_claim(who=self.tobias, costs=(amount,))
        return [row.signer for row in SignOff.objects.filter(kind="claim", object_id=claim.pk).order_by("order")]

    @shows("U3.5")
    def test_one_signs_their_own_up_to_a_limit_and_no_further(self):
        self.tobias = self.given()
        self.assertEqual(self.signers_of("99.00"), [self.tobias])
        self.assertEqual(self.signers_of("1200.00"), [self.signe])

    @shows("U2.5", "S8.1")
    def test_the_usual_coding_is_set_with_the_place_and_stays_where_nothing_is_said(self):
        before = self.tobias.codes
        self.assertEqual(self.given().codes, before)
        self.assertEqual(self.given(coding="3140").codes, [["cost_centre", "3140"]])
        with self.assertRaises(Refusal) as refused:
            self.given(coding="no such code")
        self.assertEqual(refused.exception.field, "coding")
        self.assertEqual(self.given(coding="").codes, [])

    @shows("U3.5")
    def test_without_it_somebody_above_signs(self):
        self.tobias = self.given(signs_own=False)
        self.assertEqual(self.signers_of("20.00"), [self.signe])

    def test_nobody_widens_their_own_and_it_needs_a_role_that_signs(self):
        self.given()
        Membership.objects.filter(pk=self.tobias.pk).update(administrator=True)
        self.tobias.refresh_from_db()
        roles = frozenset(self.tobias.roles)
        for more in ({"own_limit": eur("1001")}, {"own_limit": None}):
            with self.assertRaises(Refusal) as refused:
                services.set_place(self.tobias, self.tobias.pk, Place(**{**self.place.__dict__, "roles": roles} | more))
            self.assertEqual(refused.exception.field, "signs_own")
        services.set_place(
            self.tobias, self.tobias.pk, Place(**{**self.place.__dict__, "roles": roles, "own_limit": eur("50")})
        )
        with self.assertRaises(Refusal):
            services.set_place(
                self.callum, self.maren.pk, Place(self.tobias.pk, None, frozenset({"traveller"}), True, None)
            )
        self.assertIn("signs their own", Entry.objects.filter(what="set a person's place").first().after)

    @shows("P9.1")
    def test_a_privilege_that_shrank_after_sending_asks_the_next_above_at_the_end(self):
        self.tobias = self.given()
        claim = self.sent_claim(who=self.tobias, costs=("90.00",))
        self.tobias = self.given(own_limit=eur("10"))
        bench.approve(self.tobias, "claim", claim.pk)
        waits = SignOff.objects.get(kind="claim", object_id=claim.pk, state="Waiting")
        self.assertEqual((waits.signer, Claim.objects.get(pk=claim.pk).state), (self.signe, "In sign-off"))

    def test_the_form_leads_to_the_privilege(self):
        self.enter(self.callum)
        form = {
            "manager": "Signe",
            "limit": "5000",
            "roles": ["traveller", "approver"],
            "coding": "3140",
            "signs_own": "on",
            "own_limit": "250",
        }
        page = self.client.post(f"/people/{self.tobias.pk}/place/", form)
        self.assertEqual(page.status_code, 302)
        self.tobias.refresh_from_db()
        self.assertEqual((self.tobias.signs_own, self.tobias.own_limit_minor), (True, 25_000))
        self.assertContains(self.client.get(f"/people/{self.tobias.pk}/"), "their own up to 250.00")


class SightTest(WorldTestCase):
    def test_the_words_agree_with_what_is_really_seen_for_every_pair(self):
        """Whatever the pair: "nothing" is said exactly where the reads give nothing."""
        self.sent_claim()
        self.authorised_trip(who=self.aiko)
        people = [self.maren, self.aiko, self.tobias, self.ottilie, self.priya, self.callum, self.benedikt, self.signe]
        for reader in people:
            for whose in people:
                if reader == whose:
                    continue
                with self.subTest(reader=str(reader), whose=str(whose)):
                    seen = (
                        Trip.objects.visible_to(reader).filter(traveller=whose).count()
                        + Claim.objects.visible_to(reader).filter(claimant=whose).count()
                    )
                    words = sight(reader, whose).files
                    if reader.may["read_all"]:
                        self.assertIn("All trips, claims", words)
                    else:
                        self.assertEqual("Nothing of" in words, seen == 0, words)
                        self.assertEqual(
                            Expense.objects.visible_to(reader).filter(owner=whose).exists(),
                            "costs and papers" in words and whose == self.maren,
                        )

    @shows("U3.4")
    def test_the_page_answers_a_pair_and_shows_the_table_to_everybody(self):
        Delegate.objects.create(member=self.maren, by=self.aiko, since=self.today, until=self.today + timedelta(days=5))
        self.enter(self.callum)
        page = self.client.get("/people/roles/?reader=Aiko&whose=Maren")
        self.assertContains(page, "Aiko Brandt prepares for Maren Oyelaran until")
        self.assertContains(page, "make and release pay runs")
        self.assertContains(
            self.client.get("/people/roles/?reader=Nobody&whose=Maren"), "Nothing here is called", status_code=422
        )
        self.enter(self.maren)
        page = self.client.get("/people/roles/?reader=Aiko&whose=Maren")
        self.assertContains(page, "What a role may do")
        self.assertNotContains(page, "prepares for")

    def test_other_firms_people_are_not_asked_about(self):
        self.enter(self.callum)
        self.assertEqual(self.client.get("/people/roles/?reader=Liv&whose=Maren").status_code, 422)
        with self.assertRaises(NotAllowed):
            services.take_factor_off(self.maren, self.aiko.pk)
