"""Who moves money, opens doors or changes roles shows again who they are; sessions end; a passkey counts as a second factor."""

from __future__ import annotations

from datetime import timedelta

from allauth.mfa.models import Authenticator
from django.conf import settings
from django.test import override_settings
from django.urls import get_resolver

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright import clock
from wainwright.people.models import Guess, Membership
from wainwright.people.second_factor import has_authenticator, has_second_factor, without_second_factor
from wainwright.web import lasting, proving

PASSWORD = "quay-stone-41"


class ProvingTest(WorldTestCase):
    def setUp(self):
        super().setUp()
        self.callum.person.set_password(PASSWORD)
        self.callum.person.save()
        self.enter(self.callum)
        self.path = f"/people/{self.luca.pk}/"
        page = self.client.get(self.path)
        self.assertEqual(page.status_code, 200)

    def later(self, **more):
        """The session's proof is as old as that."""
        session = self.client.session
        session[proving.KEY] = (clock.machine() - timedelta(**more)).isoformat()
        session.save()

    def test_every_act_of_the_table_is_an_address(self):
        names = set(get_resolver().reverse_dict.keys())
        self.assertEqual({name for name in proving.ASKED if name not in names}, set())

    def test_what_was_typed_goes_on_once_it_is_shown(self):
        self.later(minutes=16)
        typed = {"name": "A token", "days": "30", "note": "<b>&\n two"}
        asked = self.client.post("/ledger/api/tokens/", typed)
        self.assertContains(asked, "Is it you?")
        self.assertContains(asked, 'name="note" value="&lt;b&gt;&amp;')
        wrong = self.client.post("/ledger/api/tokens/", typed | {"proof": "not-it"})
        self.assertContains(wrong, "Type your password", status_code=422)
        self.assertContains(wrong, 'value="A token"', status_code=422)
        self.assertEqual(Guess.objects.count(), 1)
        done = self.client.post("/ledger/api/tokens/", typed | {"proof": PASSWORD})
        self.assertNotContains(done, "Is it you?", status_code=done.status_code)
        # Nothing is asked again for a while; then it is.
        self.assertNotContains(
            self.client.post("/ledger/api/tokens/", typed), "Is it you?", status_code=done.status_code
        )
        self.later(minutes=15, seconds=1)
        self.assertContains(self.client.post("/ledger/api/tokens/", typed), "Is it you?")

    def test_reading_and_other_acts_ask_nothing(self):
        self.later(hours=1)
        self.assertEqual(self.client.get(self.path).status_code, 200)
        self.assertNotContains(self.client.post("/news/read/"), "Is it you?", status_code=302)

    def test_guesses_are_counted_and_a_proof_of_the_future_is_none(self):
        self.later(hours=1)
        for _ in range(5):
            self.client.post(self.path, {"act": "roles", "proof": "wrong"})
        self.assertContains(
            self.client.post(self.path, {"act": "roles", "proof": PASSWORD}), "wrong too often", status_code=422
        )
        self.later(hours=-5)
        self.assertContains(self.client.post(self.path, {"act": "roles"}), "Is it you?")
        session = self.client.session
        session[proving.KEY] = "nonsense"
        session.save()
        self.assertContains(self.client.post(self.path, {"act": "roles"}), "Is it you?")

    def test_who_has_no_password_signs_in_again(self):
        self.callum.person.set_unusable_password()
        self.callum.person.save()
        self.client.force_login(self.callum.person)
        self.later(hours=1)
        self.assertContains(self.client.post(self.path, {"act": "roles"}), "Sign in again")

    def test_a_change_is_not_made_before_it_is_shown(self):
        self.later(hours=1)
        before = Membership.objects.get(pk=self.luca.pk).roles
        self.client.post(self.path, {"administrator": "on", "finance": "on", "traveller": "on"})
        self.assertEqual(Membership.objects.get(pk=self.luca.pk).roles, before)


class LastingTest(WorldTestCase):
    def seen(self, **more):
        session = self.client.session
        for key in (lasting.BEGAN, lasting.SEEN):
            session[key] = (clock.machine() - more.get(key, timedelta(0))).isoformat()
        session.save()

    def test_idle_and_old_sessions_end_and_say_why(self):
        for began, seen, says in (
            (timedelta(hours=3), settings.SESSION_IDLE + timedelta(seconds=5), "You were away for long"),
            (settings.SESSION_LONGEST + timedelta(seconds=5), timedelta(minutes=1), "a whole day"),
        ):
            self.enter(self.maren)
            self.seen(began=began, seen=seen)
            answer = self.client.get("/trips/", follow=True)
            self.assertContains(answer, says)
            self.assertIn("/accounts/login/", answer.redirect_chain[-1][0])

    def test_who_clicks_stays_and_writes_seldom(self):
        self.enter(self.maren)
        self.client.get("/trips/")
        began = self.client.session[lasting.BEGAN]
        self.seen(began=timedelta(hours=11), seen=settings.SESSION_IDLE - timedelta(minutes=1))
        self.assertEqual(self.client.get("/trips/").status_code, 200)
        noted = self.client.session[lasting.SEEN]
        self.assertEqual(self.client.get("/trips/").status_code, 200)
        self.assertEqual(self.client.session[lasting.SEEN], noted)
        self.assertTrue(began)

    def test_a_changed_password_ends_all_other_sessions(self):
        self.maren.person.set_password(PASSWORD)
        self.maren.person.save()
        elsewhere = self.client_class()
        self.enter(self.maren, elsewhere)
        self.enter(self.maren)
        self.assertEqual(elsewhere.get("/trips/").status_code, 200)
        data = {"oldpassword": PASSWORD, "password1": "lantern-weir-77", "password2": "lantern-weir-77"}
        self.assertEqual(self.client.post("/accounts/password/change/", data).status_code, 302)
        self.assertEqual(elsewhere.get("/trips/").status_code, 302)
        self.assertEqual(self.client.get("/trips/").status_code, 200)


class PasskeyTest(WorldTestCase):
    def test_it_is_a_second_factor_and_shows_no_code(self):
        Authenticator.objects.create(
            user=self.priya.person, type=Authenticator.Type.WEBAUTHN, data={"name": "Ring", "credential": {}}
        )
        self.assertEqual((has_second_factor(self.priya.person), has_authenticator(self.priya.person)), (True, False))
        self.assertNotIn(self.priya, without_second_factor([self.priya, self.desmond]))

    @shows("U1.5")
    def test_its_pages_are_ours(self):
        self.enter(self.maren)
        self.assertContains(self.client.get("/accounts/2fa/"), "Add one")
        self.assertContains(self.client.get("/accounts/2fa/webauthn/"), "None yet")
        self.client.logout()
        page = self.client.get("/accounts/login/")
        self.assertContains(page, "Sign in with a passkey")
        self.assertContains(page, "web/passkeys.js")
        with override_settings(DEMO=True):
            self.assertEqual(
                self.client.get("/accounts/2fa/webauthn/login/", headers={"accept": "application/json"}).status_code,
                200,
            )
