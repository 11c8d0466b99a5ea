"""Who gets in: how often one may guess, how strong a password is, second factors by role, sessions, what is kept where."""

from __future__ import annotations

from datetime import UTC, datetime, time, timedelta
from unittest import mock

from allauth.mfa.models import Authenticator
from allauth.mfa.totp.internal import auth
from allauth.usersessions.models import UserSession
from django.contrib.auth.password_validation import validate_password
from django.core.cache import cache
from django.core.exceptions import ValidationError
from django.template import engines
from django.test import Client, override_settings

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright import clock
from wainwright.core.money import Money
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.news.models import Notice
from wainwright.people import guarding
from wainwright.people.adapter import FactorAdapter
from wainwright.people.models import Attempt, Firm
from wainwright.people.second_factor import code_is_right
from wainwright.rulebook.safeguards import Safeguards, safeguards_of, set_safeguards
from wainwright.staff.services import take_factor_off
from wainwright.trail.models import Entry
from wainwright.web.templatetags.ui import long_day

MAREN, PASSWORD = "maren.oyelaran@brackwater.example", "harbour-tide-9"


class AttemptsTest(WorldTestCase):
    same_on_any_day = True

    def enters(self, password=PASSWORD, login=MAREN, address="192.0.2.1", **heads) -> bool:
        client = Client(REMOTE_ADDR=address, **heads)
        return client.post("/accounts/login/", {"login": login, "password": password}).status_code == 302

    def test_five_from_one_place_and_others_still_get_in(self):
        for _ in range(4):
            self.assertFalse(self.enters("no"))
        self.assertTrue(self.enters())
        # What was right ends the counting: five more slips are allowed.
        for _ in range(5):
            self.assertFalse(self.enters("no"))
        self.assertFalse(self.enters())
        self.assertTrue(self.enters(address="192.0.2.2"))
        self.assertTrue(self.enters(login="aiko.brandt@brackwater.example"))
        self.assertFalse(self.enters(login=MAREN.upper()), "another way of writing it is the same account")
        # What was refused is not counted, so the lock ends by itself.
        self.assertEqual(Attempt.objects.filter(address="192.0.2.1").count(), 5)

    def test_one_account_from_everywhere_and_one_place_on_everybody(self):
        for number in range(guarding.MOST_ACCOUNT):
            self.assertIsNotNone(guarding.begin(MAREN, f"198.51.100.{number}"))
        self.assertFalse(self.enters())
        for number in range(guarding.MOST_ADDRESS):
            self.assertIsNotNone(guarding.begin(f"nobody{number}@x.example", "203.0.113.1"))
        self.assertIsNone(guarding.begin("another@x.example", "203.0.113.1"))
        # Behind a web server that is not named everybody comes from one place: nobody is locked out for others.
        for number in range(guarding.MOST_ADDRESS + 1):
            self.assertIsNotNone(guarding.begin(f"nobody{number}@x.example", "127.0.0.1"))
        with override_settings(PROXIES=["10.0.0.2"]):
            self.assertIsNone(guarding.begin("another@x.example", "127.0.0.1"))
        self.assertIsNotNone(guarding.begin("another@x.example", "203.0.113.2"))

    def test_a_whole_office_signs_in_in_the_morning(self):
        for _ in range(35):
            self.assertTrue(self.enters())

    def test_an_account_that_is_not_there_is_counted_too(self):
        for _ in range(5):
            self.enters("no", login="who@x.example")
        self.assertIsNone(guarding.begin("who@x.example", "192.0.2.1"))

    def test_many_sessions_push_nothing_out(self):
        for _ in range(5):
            self.enters("no")
        cache.set("counted", 1)
        for number in range(400):
            cache.set(f"another-{number}", number)
        self.assertFalse(self.enters())
        self.assertEqual(cache.get("counted"), 1)

    def test_whom_a_request_comes_from(self):
        def address(seen, *stops):
            request = mock.Mock(META={"REMOTE_ADDR": seen, "HTTP_X_FORWARDED_FOR": ", ".join(stops)})
            return guarding.address_of(request)

        # Nobody is believed who is not named: a forged head changes nothing.
        self.assertEqual(address("192.0.2.9", "10.9.9.9"), "192.0.2.9")
        with override_settings(PROXIES=["127.0.0.1", "10.0.0.2"]):
            self.assertEqual(address("127.0.0.1", "203.0.113.7"), "203.0.113.7")
            self.assertEqual(address("127.0.0.1", "6.6.6.6", "203.0.113.7", "10.0.0.2"), "203.0.113.7")
            self.assertEqual(address("192.0.2.9", "6.6.6.6"), "192.0.2.9")
            self.assertEqual(address("127.0.0.1"), "127.0.0.1")
        for _ in range(5):
            self.enters("no", HTTP_X_FORWARDED_FOR="6.6.6.6")
        self.assertFalse(self.enters(HTTP_X_FORWARDED_FOR="7.7.7.7"))


class PasswordTest(WorldTestCase):
    same_on_any_day = True

    def test_what_is_guessed_at_once(self):
        for bad in ("aaaaaaaaaaaa", "wainwright1", "Wainwright2026", "brackwater1", "qwertyuiop12", "oyelaran-maren", "1234567890123", "x" * 129, "short", "abcabcabcabc", "Password12345"):  # fmt: skip
            with self.subTest(bad), self.assertRaises(ValidationError):
                validate_password(bad, self.maren.person)
        for good in ("tern over grey slate", "7 ferries and a kiln", PASSWORD, "ø" * 3 + " anchor moth ledger"):
            with self.subTest(good):
                validate_password(good, self.maren.person)

    def test_where_one_is_changed_it_is_asked(self):
        self.enter(self.maren)
        data = {"oldpassword": PASSWORD, "password1": "aaaaaaaaaaaa", "password2": "aaaaaaaaaaaa"}
        with mock.patch.object(engines["django"].engine, "string_if_invalid", ""):
            self.assertContains(self.client.post("/accounts/password/change/", data), "guessed too soon")


class FactorTest(WorldTestCase):
    same_on_any_day = True

    def setUp(self):
        # The sign-in package's own templates leave names undefined on purpose.
        self.enterContext(mock.patch.object(engines["django"].engine, "string_if_invalid", ""))

    def set_up(self, member, client) -> str:
        """Set an authenticator up through the pages; return its secret."""
        path = "/accounts/2fa/totp/activate/"
        again = client.get(path)
        if again.status_code == 302:
            client.post(again.url, {"password": PASSWORD})
        secret = client.get(path).context["form"].secret
        code = auth.format_hotp_value(auth.hotp_value(secret, next(iter(auth.yield_hotp_counters_from_time()))))
        self.assertEqual(client.post(path, {"code": code}).status_code, 302)
        return secret

    def signed_in(self, member) -> Client:
        client = Client()
        client.post("/accounts/login/", {"login": member.person.email, "password": PASSWORD})
        return client

    @shows("U1.3")
    def test_secrets_are_sealed_and_recovery_codes_shown_once(self):
        client = self.signed_in(self.maren)
        secret = self.set_up(self.maren, client)
        kept = list(Authenticator.objects.filter(user=self.maren.person).values_list("data", flat=True))
        self.assertEqual(len(kept), 2)
        self.assertNotIn(secret, str(kept))
        self.assertEqual(str(kept).count("sealed:"), 2)
        self.assertFalse(code_is_right(self.maren.person, "000000"))
        first = client.get("/accounts/2fa/recovery-codes/").context["unused_codes"]
        self.assertTrue(all(len(code) >= 8 and code.isdecimal() for code in first))
        later = client.get("/accounts/2fa/recovery-codes/")
        self.assertNotIn(first[0], later.content.decode())
        self.assertIn(client.get("/accounts/2fa/recovery-codes/download/").status_code, (403, 404))

    def test_a_key_can_be_changed_and_what_was_plain_is_read(self):
        adapter = FactorAdapter()
        with override_settings(SECRET_KEY="old", SECRET_KEY_FALLBACKS=[]):
            sealed = adapter.encrypt("JBSWY3DP")
        with override_settings(SECRET_KEY="new", SECRET_KEY_FALLBACKS=["old"]):
            self.assertEqual((adapter.decrypt(sealed), adapter.decrypt("plain")), ("JBSWY3DP", "plain"))
        with override_settings(SECRET_KEY="new", SECRET_KEY_FALLBACKS=[]), self.assertRaises(RuntimeError):
            adapter.decrypt(sealed)

    @shows("U1.4")
    def test_a_firm_asks_a_second_factor_of_some_roles(self):
        wanted = Safeguards(Money.of("500", "EUR"), ("finance", "administrator"), "name")
        with self.assertRaises(NotAllowed):
            set_safeguards(self.priya, wanted)
        with self.assertRaisesRegex(Refusal, "lock yourself out"):
            set_safeguards(self.callum, wanted)
        client = self.signed_in(self.callum)
        form = {
            "second_payer": "500",
            "roles": ["finance"],
            "certify_by": "name",
            "look_share": "100",
            "harmless_to": "0",
        }
        form |= {"decide_days": "5", "remind_days": "2", "goes_on_days": "5"}
        page = client.post("/rules/safeguards/set/", form | {"second_payer": "-1"})
        self.assertContains(page, 'value="-1"', status_code=422)
        self.assertEqual(client.post("/rules/safeguards/set/", form).status_code, 302)
        self.assertEqual(
            safeguards_of(Firm.objects.get(slug="ltd")), Safeguards(Money.of("500", "EUR"), ("finance",), "name")
        )
        entry = Entry.objects.latest("number")
        self.assertEqual(
            (entry.what, "500.00" in entry.after, "2,000.00" in entry.before or "2000.00" in entry.before),
            ("set the safeguards", True, True),
        )
        priya = self.signed_in(self.priya)
        self.assertRedirects(priya.get("/ledger/"), "/accounts/2fa/", fetch_redirect_response=False)
        self.assertEqual(priya.post("/ledger/pay/run/", {}).status_code, 302)
        self.assertEqual(priya.get("/firms/").status_code, 200)
        self.assertEqual(self.signed_in(self.maren).get("/trips/").status_code, 200)
        self.set_up(self.priya, priya)
        self.assertEqual(priya.get("/ledger/").status_code, 200)
        Authenticator.objects.filter(user=self.priya.person).delete()
        self.assertEqual(priya.get("/ledger/").status_code, 302)

    def on(self, ahead: int):
        return clock.at(datetime.combine(self.today + timedelta(days=ahead), time(12), UTC))

    def test_from_a_day_on_with_days_of_grace(self):
        """Before the day a strip; from the first sign-in after it so many days; then nothing but setting it up."""
        day = self.today + timedelta(days=10)
        with self.done():
            set_safeguards(
                self.callum,
                Safeguards(None, ("finance", "administrator"), "name", factor_from=day, factor_grace=3),
            )
        notice = Notice.objects.filter(member=self.priya).latest("pk")
        self.assertIn("asks a second factor of you from", notice.text)
        self.assertFalse(Notice.objects.filter(member=self.maren, text__contains="second factor").exists())
        for ahead, until, status in (
            (0, 13, 200),
            (9, 13, 200),
            (11, 14, 200),
            (13, 14, 200),
            (14, None, 302),
            (40, None, 302),
        ):
            with self.subTest(ahead), self.on(ahead):
                page = self.signed_in(self.priya).get("/ledger/")
                self.assertEqual(page.status_code, status)
                if until:
                    self.assertContains(page, long_day(self.today + timedelta(days=until)))
        with self.on(14):
            self.assertEqual(self.signed_in(self.priya).get("/firms/").status_code, 200)
            self.assertEqual(self.signed_in(self.maren).get("/trips/").status_code, 200)
            priya = self.signed_in(self.priya)
            self.set_up(self.priya, priya)
            self.assertEqual(priya.get("/ledger/").status_code, 200)

    def test_whoever_asks_it_of_themselves_later_is_not_locked_out(self):
        set_safeguards(self.callum, Safeguards(None, ("administrator",), "name", factor_grace=5))
        page = self.signed_in(self.callum).get("/people/")
        self.assertContains(page, "Set up an authenticator")

    @shows("U1.5")
    def test_one_that_was_lost_is_taken_off_by_another_administrator(self):
        client = self.signed_in(self.priya)
        self.set_up(self.priya, client)
        with self.done():
            take_factor_off(self.callum, self.priya.pk)
        self.assertFalse(Authenticator.objects.filter(user=self.priya.person).exists())
        self.assertEqual(client.get("/ledger/").status_code, 302)
        self.assertIn("took your second factor off", Notice.objects.filter(member=self.priya).latest("pk").text)
        with self.assertRaises(Stale):
            take_factor_off(self.callum, self.priya.pk)
        for who, words in ((self.callum, "Another administrator"), (self.benedikt, "another firm as well")):
            with self.assertRaisesRegex(Refusal, words):
                take_factor_off(self.callum, who.pk)


class SessionsTest(WorldTestCase):
    same_on_any_day = True

    def signed_in(self, browser: str) -> Client:
        client = Client(HTTP_USER_AGENT=browser)
        client.post("/accounts/login/", {"login": MAREN, "password": PASSWORD})
        return client

    def test_they_are_seen_and_ended_by_their_owner_alone(self):
        here, phone, third = (self.signed_in(name) for name in ("Here", "Phone", "<b>Third"))
        page = here.get("/profile/sessions/").content.decode()
        self.assertTrue("Phone" in page and "&lt;b&gt;Third" in page and "this one" in page)
        row = UserSession.objects.get(user_agent="Phone")
        other = Client()
        other.post("/accounts/login/", {"login": "aiko.brandt@brackwater.example", "password": PASSWORD})
        other.post("/profile/sessions/end/", {"session": row.pk})
        self.assertEqual(phone.get("/trips/").status_code, 200)
        here.post("/profile/sessions/end/", {"session": row.pk})
        self.assertEqual(phone.get("/trips/").status_code, 302)
        self.assertEqual(Entry.objects.latest("number").what, "ended sessions")
        here.post("/profile/sessions/end/")
        self.assertEqual((here.get("/trips/").status_code, third.get("/trips/").status_code), (200, 302))
        for odd in ("x", "9" * 30, ""):
            self.assertLess(here.post("/profile/sessions/end/", {"session": odd}).status_code, 500)

    def test_nothing_of_people_is_kept_by_a_browser(self):
        self.enter(self.maren)
        for path in ("/", "/claims/", "/profile/", "/nowhere/", "/accounts/login/"):
            self.assertIn("no-store", self.client.get(path)["Cache-Control"], path)
