"""Signing in by a firm's own provider: whom it brings in, how far that reaches, and what its nonsense does."""

from __future__ import annotations

import re

import requests
from allauth.socialaccount.models import SocialAccount
from django.test import Client
from django.utils.html import escape

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from tests.provider import CLIENT, SECRET, running
from wainwright.errors import NotAllowed, Refusal
from wainwright.identity import services
from wainwright.identity.services import Provider
from wainwright.people.models import Firm, Membership, SignInBy
from wainwright.staff import leaving
from wainwright.staff.leaving import Heirs
from wainwright.trail.models import Entry

DOMAIN = "brackwater.example"


class Identity(WorldTestCase):
    def setUp(self):
        running_ = running()
        self.there = running_.__enter__()
        self.addCleanup(running_.__exit__, None, None, None)
        self.set()

    def set(self, **changed) -> SignInBy:
        wanted = {"issuer": self.there.issuer, "client_id": CLIENT, "secret": SECRET, "domain": DOMAIN} | changed
        return services.set_provider(self.callum, Provider(**wanted))

    def vouch(self, member, **more) -> None:
        self.there.person = {
            "sub": f"s-{member.pk}",
            "email": member.person.email,
            "email_verified": True,
            "name": "X",
        } | more

    def come(self, client: Client | None = None, slug: str = "ltd"):
        """Go there and come back as a browser would; return the last page, with what it says."""
        client = client or Client()
        page = client.post(f"/accounts/by/{slug}/")
        if page.status_code == 302:
            return client, client.get(page["Location"])
        to = re.search(r'id="go-on"|href="([^"]+)" id="go-on"', page.content.decode()).group(1).replace("&amp;", "&")
        back = requests.get(to, allow_redirects=False, timeout=60).headers["Location"]
        return client, client.get(back[back.index("/accounts/") :], follow=True)

    def says(self, page, words: str):
        self.assertIn(escape(words), page.content.decode())


class SignInTest(Identity):
    def test_somebody_comes_in_and_again_by_what_they_are_called_there(self):
        self.vouch(self.maren)
        client, page = self.come()
        self.assertContains(page, "Maren Oyelaran")
        self.assertEqual(client.get("/trips/").status_code, 200)
        account = SocialAccount.objects.get()
        self.assertEqual(
            (account.user, account.provider, account.uid), (self.maren.person, "ltd", f"s-{self.maren.pk}")
        )
        # The provider calls her otherwise by now: who she is there counts.
        self.vouch(self.maren, email="m.lund@brackwater.example")
        self.assertContains(self.come()[1], "Maren Oyelaran")
        self.assertEqual(SocialAccount.objects.count(), 1)

    def test_the_sign_in_page_finds_the_firm_by_the_address_alone(self):
        page = self.client.post("/accounts/by/", {"address": f"nobody-at-all@{DOMAIN}"})
        self.assertContains(page, "Brackwater Survey Ltd")
        page = self.client.post("/accounts/by/", {"address": "x@elsewhere.example"})
        self.assertContains(page, "Sign in by password", status_code=422)
        self.assertContains(self.client.get("/accounts/login/"), "/accounts/by/")
        self.assertEqual(self.client.get("/accounts/by/ltd/").status_code, 405)
        self.assertEqual(self.client.post("/accounts/by/norge/").status_code, 404)

    def test_who_is_not_of_the_firm_or_not_vouched_for_stays_out(self):
        for who, more, words in (
            (self.maren, {"email": "stranger@brackwater.example"}, "is nobody of Brackwater Survey Ltd here yet"),
            (self.liv, {}, "is nobody of Brackwater Survey Ltd here yet"), (self.maren, {"email_verified": False}, "vouches for no address"),
            (self.maren, {"email": ""}, "vouches for no address"), (self.maren, {"email": None}, "vouches for no address"),
        ):  # fmt: skip
            with self.subTest(more):
                self.vouch(who, **more)
                client, page = self.come()
                self.says(page, words)
                self.assertEqual(client.get("/trips/").status_code, 302)
        self.assertFalse(SocialAccount.objects.exists())
        # Nothing said of the address is believed for the firm's own domain.
        self.vouch(self.maren)
        del self.there.person["email_verified"]
        self.assertContains(self.come()[1], "Maren Oyelaran")
        self.vouch(self.maren, sub="another")
        self.says(self.come()[1], "Another account of the provider is Maren Oyelaran's here already")

    def test_nonsense_of_every_kind_is_said_on_the_sign_in_page(self):
        for fault, words in (
            ("nonsense", "gave no answer that could be read"), ("list", "gave no answer that could be read"), ("huge", "gave no answer that could be read"),
            ("tokens", "gave no answer that could be read"), ("userinfo", "gave no answer that could be read"), ("for another", "gave no answer that could be read"),
            ("inside", "gave no answer that could be read"), ("cancelled", "was called off"),
        ):  # fmt: skip
            with self.subTest(fault):
                self.vouch(self.maren)
                self.there.fault = fault
                client, page = self.come()
                self.says(page, words)
                self.assertEqual(client.get("/trips/").status_code, 302)
        self.there.fault = ""
        for query in ("", "?state=x&code=y", "?error=access_denied", "?code=1"):
            page = self.client.get(f"/accounts/by/ltd/answer/{query}", follow=True)
            self.assertEqual(page.redirect_chain[-1][0], "/accounts/login/")

    def test_it_opens_the_firm_that_named_it_and_no_other(self):
        """Benedikt audits both firms; whoever runs the provider of one does not read the other by it."""
        self.vouch(self.benedikt)
        client, _ = self.come()
        self.assertEqual(client.get("/people/").status_code, 200)
        self.assertContains(client.get("/firms/"), "You came by the provider of another firm")
        client.post("/firms/norge/")
        self.assertContains(client.get("/firm/claims/"), "Brackwater Survey Ltd")
        self.assertEqual(client.get("/accounts/2fa/").status_code, 403)
        self.assertEqual(client.get("/accounts/password/change/").status_code, 403)
        # The other firm names the very same provider: now it vouches for both.
        SignInBy.objects.create(
            firm=self.liv.firm, issuer=self.there.issuer, client_id=CLIENT, domain=DOMAIN, time=self.callum.firm.sign_in_by.time, secret=""
        )  # fmt: skip
        self.assertEqual(client.post("/firms/norge/").status_code, 302)
        # The firm at hand writes bokmål.
        self.assertContains(client.get("/firms/"), "Arbeid i Brackwater Survey Ltd")

    def test_access_ends_at_once_for_who_came_by_it(self):
        self.vouch(self.aiko)
        client, _ = self.come()
        self.assertEqual(client.get("/trips/").status_code, 200)
        with self.done():
            leaving.retire(self.callum, self.aiko.pk, Heirs(give_up=True))
        self.assertEqual(client.get("/trips/").status_code, 302)
        self.says(self.come()[1], "You are not of Brackwater Survey Ltd any more")

    def test_a_firm_lets_people_in_by_it_alone_and_administrators_by_both(self):
        self.set(required=True)
        by_password = Client()
        by_password.post("/accounts/login/", {"login": self.maren.person.email, "password": "harbour-tide-9"})
        self.assertRedirects(by_password.get("/trips/"), "/accounts/by/", fetch_redirect_response=False)
        self.assertEqual(by_password.get("/firms/").status_code, 200)
        self.vouch(self.maren)
        self.assertEqual(self.come()[0].get("/trips/").status_code, 200)
        admin = Client()
        admin.post("/accounts/login/", {"login": self.callum.person.email, "password": "harbour-tide-9"})
        self.assertEqual(admin.get("/firm/sign-in/").status_code, 200)

    def test_a_second_factor_that_the_provider_asks_is_not_asked_twice(self):
        Firm.objects.filter(slug="ltd").update(factor_roles=["finance"])
        self.vouch(self.priya)
        client, _ = self.come()
        self.assertEqual(client.get("/ledger/").status_code, 302)
        self.set(asks_factor=True)
        self.assertEqual(client.get("/ledger/").status_code, 200)


class SettingTest(Identity):
    @shows("S10.1")
    def test_it_is_asked_before_it_is_set_and_what_it_lacks_is_said(self):
        for fault, field, words in (
            ("nonsense", "issuer", "no answer that could be read"), ("lacks", "issuer", "lacks jwks_uri"), ("issuer", "issuer", "It calls itself"), ("list", "issuer", "no answer"),
        ):  # fmt: skip
            with self.subTest(fault):
                self.there.fault = fault
                with self.assertRaisesRegex(Refusal, words) as refused:
                    self.set()
                self.assertEqual(refused.exception.field, field)
        self.there.fault = ""
        for changed, field in (
            ({"issuer": "http://example.org"}, "issuer"), ({"issuer": "https://10.0.0.1"}, "issuer"), ({"domain": "x"}, "domain"), ({"client_id": " "}, "client_id"),
            ({"client_id": "other", "secret": ""}, "secret"), ({"issuer": "http://127.0.0.1:9"}, "issuer"),
        ):  # fmt: skip
            with self.subTest(changed):
                with self.assertRaises(Refusal) as refused:
                    self.set(**changed)
                self.assertEqual(refused.exception.field, field)
        with self.assertRaises(NotAllowed):
            services.set_provider(self.priya, Provider(self.there.issuer, CLIENT, SECRET, DOMAIN))

    def test_the_secret_is_sealed_kept_and_never_shown(self):
        self.assertNotIn(SECRET, SignInBy.objects.get().secret)
        self.enter(self.callum)
        form = {"issuer": self.there.issuer, "client_id": CLIENT, "secret": "", "domain": DOMAIN, "required": "on"}
        self.assertEqual(self.client.post("/firm/sign-in/set/", form).status_code, 302)
        page = self.client.get("/firm/sign-in/").content.decode()
        self.assertIn("/accounts/by/ltd/answer/", page)
        self.assertNotIn(SECRET, page)
        self.vouch(self.maren)
        self.assertContains(self.come()[1], "Maren Oyelaran")
        entry = Entry.objects.filter(what="set the sign-in by a provider").latest("number")
        self.assertNotIn(SECRET, entry.after)

    def test_dropping_it_unties_everybody(self):
        self.vouch(self.maren)
        self.come()
        self.enter(self.callum)
        self.assertEqual(self.client.post("/firm/sign-in/drop/").status_code, 302)
        self.assertFalse(SocialAccount.objects.exists() or SignInBy.objects.exists())
        self.assertEqual(Client().post("/accounts/by/ltd/").status_code, 404)

    def test_another_provider_knows_nobody_whom_the_first_spoke_of(self):
        self.vouch(self.maren)
        self.come()
        self.set(client_id="other")
        self.assertFalse(SocialAccount.objects.exists())
        self.assertTrue(Membership.objects.get(pk=self.maren.pk).active)
