"""Somebody leaves and comes back: nothing of theirs hangs, access ends at once, history stays."""

from __future__ import annotations

import re
from datetime import timedelta
from unittest import mock

from tests.apps.world import WorldTestCase, eur
from tests.coverage import shows
from wainwright.accounts.models import Code, Connection
from wainwright.api import services as api
from wainwright.api.models import SCOPES, ApiToken
from wainwright.bench import services as bench
from wainwright.claims.models import Claim
from wainwright.claims.services import compose
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.models import Charge, Expense
from wainwright.expenses.services import taking
from wainwright.people.models import Card, Cover, Delegate, Membership
from wainwright.signoff.models import SignOff
from wainwright.staff import leaving, theirs
from wainwright.staff.leaving import Heirs
from wainwright.trail.models import Entry
from wainwright.trips.models import Trip


class Leaving(WorldTestCase):
    def fresh(self, who: Membership) -> Membership:
        return Membership.objects.select_related("person", "firm", "manager__person").get(pk=who.pk)

    def retire(self, who: Membership, **heirs):
        with self.done():
            return leaving.retire(self.callum, who.pk, Heirs(**heirs), "Moves to Lisbon")

    def keys(self, who: Membership) -> dict[str, int]:
        return {each.key: each.count for each in theirs.theirs(self.fresh(who), self.callum)}


class RetireTest(Leaving):
    @shows("U5.3", "U5.4")
    def test_an_approver_with_open_work_hands_over_and_nothing_hangs(self):
        claim = self.sent_claim()
        waiting = SignOff.objects.get(kind="claim", object_id=claim.pk, state="Waiting", turn=True)
        self.assertEqual(waiting.signer, self.tobias)
        Code.objects.filter(firm=self.tobias.firm, dimension="cost_centre", code="3120").update(owner=self.tobias)
        Cover.objects.create(
            member=self.ottilie, by=self.tobias, since=self.today, until=self.today + timedelta(days=9)
        )
        Delegate.objects.create(
            member=self.tobias, by=self.aiko, since=self.today, until=self.today + timedelta(days=9)
        )
        found = self.keys(self.tobias)
        self.assertLessEqual({"reports", "waiting", "codings", "covers", "delegates"}, set(found))
        above = Membership.objects.get(pk=self.tobias.manager_id)
        with self.assertRaises(Refusal) as refused:
            self.retire(self.tobias, manager=self.ottilie.pk)
        self.assertEqual(refused.exception.field, "owner")
        self.assertTrue(self.fresh(self.tobias).active)
        self.retire(self.tobias, manager=self.ottilie.pk, owner=self.ottilie.pk)
        gone = self.fresh(self.tobias)
        self.assertEqual((gone.active, gone.person.is_active, gone.roles), (False, False, self.tobias.roles))
        self.assertEqual(self.fresh(self.maren).manager_id, self.ottilie.pk)
        self.assertEqual(self.fresh(self.ottilie).manager_id, above.pk)
        self.assertEqual(Code.objects.get(firm=gone.firm, dimension="cost_centre", code="3120").owner, self.ottilie)
        self.assertFalse(SignOff.objects.filter(signer=gone, state="Waiting").exists())
        self.assertTrue(SignOff.objects.filter(kind="claim", object_id=claim.pk, state="Waiting", turn=True).exists())
        self.assertFalse(Cover.objects.filter(by=gone).exists() or Delegate.objects.filter(member=gone).exists())
        entry = Entry.objects.get(what="retired a person")
        self.assertIn("Moves to Lisbon", entry.before)
        self.assertEqual(set(self.keys(self.tobias)) - {"trips", "claims"}, set())

    @shows("U5.2")
    def test_access_ends_at_once_and_comes_back_with_the_roles_of_before(self):
        self.enter(self.tobias)
        self.assertEqual(self.client.get("/bench/queue/").status_code, 200)
        self.retire(self.tobias, owner=self.ottilie.pk)
        self.assertEqual(self.client.get("/").status_code, 302)
        self.assertIn("/accounts/login", self.client.get("/")["Location"])
        with self.assertRaises(Stale):
            self.retire(self.tobias)
        back = leaving.bring_back(self.callum, self.tobias.pk)
        self.assertEqual((back.active, back.person.is_active, back.roles), (True, True, self.tobias.roles))
        self.enter(self.tobias)
        self.assertEqual(self.client.get("/profile/").status_code, 200)
        with self.assertRaises(Stale):
            leaving.bring_back(self.callum, self.tobias.pk)

    @shows("U5.5")
    def test_whoever_comes_back_needs_a_manager_who_is_here(self):
        self.retire(self.maren)
        self.retire(self.tobias, manager=self.ottilie.pk, owner=self.ottilie.pk)
        with self.assertRaisesMessage(Refusal, "manager of before"):
            leaving.bring_back(self.callum, self.maren.pk)
        self.assertEqual(leaving.bring_back(self.callum, self.maren.pk, self.ottilie.pk).manager, self.ottilie)

    def test_another_firm_of_theirs_stays_open(self):
        both = Membership.objects.filter(person=self.benedikt.person)
        self.assertEqual(both.count(), 2)
        self.retire(both.get(firm=self.callum.firm))
        self.assertTrue(both.first().person.is_active)
        self.assertEqual(both.filter(active=True).count(), 1)

    def test_who_may_and_who_cannot_go(self):
        for who in (self.tobias, self.priya, self.liv):
            with self.assertRaises((NotAllowed, Membership.DoesNotExist)):
                leaving.retire(who, self.maren.pk, Heirs())
        with self.assertRaisesMessage(Refusal, "Another administrator"):
            self.retire(self.callum)
        Membership.objects.filter(pk=self.desmond.pk).update(active=False)
        with self.assertRaisesMessage(Refusal, "Nobody else is in finance"):
            self.retire(self.priya, finance=self.priya.pk)
        with self.assertRaises(Membership.DoesNotExist):
            leaving.retire(self.callum, self.liv.pk, Heirs())

    def test_two_administrators_cannot_retire_each_other(self):
        Membership.objects.filter(pk=self.ottilie.pk).update(administrator=True)
        self.ottilie.administrator = True
        self.retire(self.ottilie, manager=self.tobias.pk, owner=self.tobias.pk)
        with self.assertRaisesMessage(NotAllowed, "no administrator any more"):
            leaving.retire(self.ottilie, self.callum.pk, Heirs())
        self.assertTrue(self.fresh(self.callum).active)

    def test_the_ledgers_connection_and_its_tokens_go_on(self):
        Connection.objects.update_or_create(firm=self.priya.firm, defaults={"holder": self.priya})
        _, text = api.make_token(self.priya, "Tidewater ledger", list(SCOPES))
        with self.assertRaises(Refusal) as refused:
            self.retire(self.priya)
        self.assertEqual(refused.exception.field, "finance")
        with self.assertRaisesMessage(Refusal, "no finance reviewer"):
            self.retire(self.priya, finance=self.maren.pk)
        self.retire(self.priya, finance=self.desmond.pk)
        self.assertEqual(Connection.objects.get(firm=self.priya.firm).holder, self.desmond)
        self.assertEqual(ApiToken.objects.get().made_by, self.desmond)
        self.assertEqual(
            self.client.get("/api/v1/claims/cleared/", HTTP_AUTHORIZATION=f"Bearer {text}").status_code, 200
        )

    def test_trips_ahead_are_called_off_and_what_was_not_sent_is_given_up_or_refused(self):
        ahead = self.authorised_trip(starts=20)
        claim = self.a_claim()
        card = self.maren.cards.filter(firm_pays=True).first()
        charge = Charge.objects.create(
            firm=self.maren.firm, owner=self.maren, card=card, bank_id="K", date=self.today, merchant="TAXI", currency="EUR", amount_minor=9_00
        )  # fmt: skip
        used = Charge.objects.create(
            firm=self.maren.firm, owner=self.maren, card=card, bank_id="K2", date=self.today, merchant="FERRY", currency="EUR", amount_minor=8_00
        )  # fmt: skip
        compose.put_in(self.maren, claim.pk, [taking.take(self.maren, None, used.pk).pk])
        with self.assertRaises(Refusal) as refused:
            self.retire(self.maren, charges=self.aiko.pk)
        self.assertEqual(refused.exception.field, "give_up")
        self.assertIn(claim.code, refused.exception.message)
        with self.assertRaises(Refusal) as refused:
            self.retire(self.maren, give_up=True)
        self.assertEqual(refused.exception.field, "charges")
        self.retire(self.maren, charges=self.aiko.pk, give_up=True)
        self.assertEqual(Trip.objects.get(pk=ahead.pk).state, "Called off")
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Withdrawn")
        self.assertEqual({row.owner_id for row in Charge.objects.filter(pk__in=[charge.pk, used.pk])}, {self.aiko.pk})
        self.assertEqual(Expense.objects.get(charge=used).owner, self.aiko)
        self.assertFalse(Card.objects.filter(owner=self.maren, firm_pays=True, closed__isnull=True).exists())
        # Whoever got it accounts for it as their own.
        again = taking.take(self.aiko, None, charge.pk)
        self.assertEqual(again.amount, eur("9.00"))
        said = Entry.objects.get(what="called the trip off", subject=ahead.subject)
        self.assertEqual((said.for_whom, "Callum" in said.who), ("Maren Oyelaran", True))

    def test_what_the_market_does_not_give_up_is_said_and_the_rest_is_done(self):
        self.authorised_trip(starts=20)
        with mock.patch("wainwright.staff.leaving.road.call_off", side_effect=Refusal("The market does not answer.")):
            who, left = self.retire(self.maren)
        self.assertEqual((who.active, left), (False, ["The market does not answer."]))

    def test_killed_in_the_middle_nothing_is_half_done(self):
        for point in (
            "wainwright.staff.leaving._end_access",
            "wainwright.staff.leaving.record",
            "wainwright.staff.leaving.move_on",
        ):
            with (
                self.subTest(point),
                mock.patch(point, side_effect=RuntimeError("killed")),
                self.assertRaises(RuntimeError),
            ):
                self.retire(self.tobias, manager=self.ottilie.pk, owner=self.ottilie.pk)
            self.assertTrue(self.fresh(self.tobias).active)
            self.assertEqual(self.fresh(self.maren).manager_id, self.tobias.pk)
        self.retire(self.tobias, manager=self.ottilie.pk, owner=self.ottilie.pk)
        self.assertFalse(self.fresh(self.tobias).active)

    def test_retired_in_the_middle_of_deciding(self):
        claim = self.sent_claim()
        tobias = self.fresh(self.tobias)
        self.retire(self.tobias, owner=self.ottilie.pk)
        with self.assertRaises((Stale, NotAllowed)):
            bench.approve(tobias, "claim", claim.pk)


class PagesTest(Leaving):
    def setUp(self):
        super().setUp()
        Code.objects.filter(firm=self.tobias.firm, dimension="cost_centre", code="3120").update(owner=self.tobias)

    def test_the_page_lists_asks_and_keeps_what_was_typed(self):
        self.sent_claim()
        self.enter(self.callum)
        base = f"/people/{self.tobias.pk}/leave/"
        page = self.client.get(base)
        self.assertContains(page, "Decisions that wait for them")
        self.assertNotContains(page, "Who of finance holds")
        # An administrator reads no trips and claims: they see whose it is, and no more.
        self.assertContains(page, "claim of Maren Oyelaran")
        self.assertNotContains(page, "Gauge check")
        for link in re.findall(r'<td class="small">.*?</td>', page.content.decode(), re.DOTALL):
            for address in re.findall(r'href="([^"]+)"', link):
                self.assertEqual(self.client.get(address).status_code, 200, address)
        page = self.client.post(base, {"manager": "Ottilie", "why": "Retires to an island"})
        self.assertContains(page, "Say who owns the codings", status_code=422)
        self.assertContains(page, "Retires to an island", status_code=422)
        page = self.client.post(base, {"manager": "Ottilie", "owner": "Ottilie", "why": "x"}, follow=True)
        self.assertContains(page, "has no access, and what was theirs is handed over")
        self.assertContains(page, "not here any more")
        self.assertEqual(self.client.get(base).status_code, 302)
        page = self.client.post(f"/people/{self.tobias.pk}/back/", {}, follow=True)
        self.assertContains(page, "is back, with the roles of before")

    def test_hostile_input(self):
        self.enter(self.callum)
        for typed in (
            {"manager": "x" * 900},
            {"owner": "\\x00"},
            {"manager": "Tobias"},
            {"give_up": "maybe", "finance": "-1"},
        ):
            answer = self.client.post(f"/people/{self.tobias.pk}/leave/", typed)
            self.assertEqual(answer.status_code, 422)
        self.assertTrue(self.fresh(self.tobias).active)
        for who in (self.maren, self.tobias, self.priya, self.liv):
            self.enter(who)
            for act in ("leave", "back"):
                self.assertIn(self.client.post(f"/people/{self.aiko.pk}/{act}/", {}).status_code, (302, 403, 404))
        self.assertTrue(self.fresh(self.aiko).active)

    def test_reads_stay_bounded(self):
        self.sent_claim()
        who = self.fresh(self.tobias)
        with self.assertNumQueries(16):
            theirs.theirs(who, self.callum)
