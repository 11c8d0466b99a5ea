"""Doors: what of signing in is served, who changes where money goes, whose card it is."""

from __future__ import annotations

import re
from datetime import timedelta

from django.core import mail

from demo.load import PASSWORD
from tests.apps.world import WorldTestCase
from tests.codings import coded
from tests.coverage import shows
from wainwright import clock
from wainwright.bench import services as bench
from wainwright.claims.models import Claim
from wainwright.claims.services import books, compose, road
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.models import CardFile, Expense, Receipt
from wainwright.expenses.services import cards, charges, feeds
from wainwright.people.models import Card, Guess, Membership, Vehicle, new_version
from wainwright.people.proof import MOST, must_be_who
from wainwright.profile import services as profile
from wainwright.rulebook.models import Policy
from wainwright.signoff.models import Remark
from wainwright.trail.models import Entry
from wainwright.trips.models import Subscription, Trip
from wainwright.trips.services import road as trips

NEW = "DE89370400440532013000"


class AddressesTest(WorldTestCase):
    def test_only_what_is_used_of_signing_in_is_served(self):
        self.enter(self.maren)
        for path in (
            "email/",
            "confirm-email/",
            "confirm-email/x/",
            "password/set/",
            "login/code/confirm/",
            "social/",
            "3rdparty/",
        ):
            with self.subTest(path):
                for answer in (
                    self.client.get(f"/accounts/{path}"),
                    self.client.post(f"/accounts/{path}", {"email": "x@evil.example", "action_add": ""}),
                ):
                    self.assertEqual(answer.status_code, 404)
        for path in ("password/change/", "reauthenticate/", "2fa/"):
            self.assertIn(self.client.get(f"/accounts/{path}").status_code, (200, 302))
        self.client.logout()
        for path in ("login/", "password/reset/", "password/reset/done/", "password/reset/key/done/"):
            self.assertEqual(self.client.get(f"/accounts/{path}").status_code, 200, path)

    def test_a_new_password_is_told_and_stands_in_the_trail(self):
        self.client.post("/accounts/login/", {"login": self.maren.person.email, "password": "not it at all"})
        self.client.post("/accounts/login/", {"login": self.maren.person.email, "password": PASSWORD})
        data = {"oldpassword": PASSWORD, "password1": "a long new tide 7", "password2": "a long new tide 7"}
        with self.done():
            self.assertEqual(self.client.post("/accounts/password/change/", data).status_code, 302)
        self.assertEqual(
            [m.to for m in mail.outbox if "password was changed" in m.subject], [[self.maren.person.email]]
        )
        whats = set(Entry.objects.filter(subject=f"member:{self.maren.pk}").values_list("what", flat=True))
        self.assertLessEqual({"signed in", "failed to sign in", "the password was changed"}, whats)


class AccountTest(WorldTestCase):
    def change(self, **more):
        data = {"act": "profile", "iban": NEW} | more
        with self.done():
            return self.client.post("/profile/", data)

    @shows("U2.3")
    def test_another_account_asks_who_one_is_and_only_so_often(self):
        self.enter(self.maren)
        was = self.maren.iban
        for _ in range(MOST):
            answer = self.change(password="guess")
            self.assertEqual(answer.status_code, 422)
            self.assertIn(NEW, answer.content.decode())
        self.assertIn("wrong too often", self.change(password=PASSWORD).content.decode())
        self.assertEqual(Membership.objects.get(pk=self.maren.pk).iban, was)
        Guess.objects.update(time=clock.now() - timedelta(hours=1))
        self.assertEqual(self.change(password=PASSWORD).status_code, 302)
        self.assertEqual(Membership.objects.get(pk=self.maren.pk).iban, NEW)
        self.assertEqual(
            [m.to for m in mail.outbox if "account for repayment was changed" in m.subject], [[self.maren.person.email]]
        )
        with self.assertRaises(Refusal):
            must_be_who(self.maren.person, "")

    def test_nothing_else_asks_for_it(self):
        self.enter(self.maren)
        self.assertEqual(
            self.client.post(
                "/profile/", {"act": "profile", "iban": self.maren.iban, "phone": "+353 21 555 0199"}
            ).status_code,
            302,
        )

    def test_money_waits_a_day_unless_finance_confirms_and_its_owner_can_put_it_back(self):
        claim = self.cleared_claim()
        books.post(self.priya, claim.pk, claim.version)
        was = self.maren.iban
        profile.change_profile(self.maren, iban=NEW)
        with self.assertRaisesRegex(Refusal, "changed less than a day ago"):
            books.pay(self.priya, [claim.pk], self.today)
        self.enter(self.priya)
        page = self.client.get("/ledger/pay/").content.decode()
        self.assertEqual(["Confirm it: I asked Maren" in page, "paid to from" in page], [True, True])
        self.enter(self.maren)
        self.assertIn("Put the old account back", self.client.get("/profile/").content.decode())
        self.client.post("/profile/", {"act": "put-back"})
        self.maren.refresh_from_db()
        self.assertEqual((self.maren.iban, self.maren.account_from), (was, None))
        with self.assertRaises(Stale):
            profile.put_account_back(self.maren)
        profile.change_profile(self.maren, iban=NEW)
        for member in (self.maren, self.tobias):
            with self.assertRaises(NotAllowed):
                profile.confirm_account(member, self.maren.pk)
        with self.assertRaises(Membership.DoesNotExist):
            profile.confirm_account(self.liv, self.maren.pk)
        self.enter(self.priya)
        self.client.post(f"/ledger/pay/accounts/{self.maren.pk}/")
        with self.done():
            run = books.pay(self.priya, [claim.pk], self.today)
        self.assertEqual(run.payments.get().iban, NEW)

    def test_after_a_day_it_is_paid_to_by_itself(self):
        claim = self.cleared_claim()
        books.post(self.priya, claim.pk, claim.version)
        profile.change_profile(self.maren, iban=NEW)
        Membership.objects.update(iban_changed=clock.now() - timedelta(days=1, minutes=1))
        with self.done():
            self.assertEqual(books.pay(self.priya, [claim.pk], self.today).payments.get().iban, NEW)


class CardsTest(WorldTestCase):
    @shows("U2.2")
    def test_nobody_declares_a_card_of_the_firm(self):
        theirs = self.maren.cards.get(firm_pays=True)
        with self.assertRaisesRegex(Refusal, "a card of the firm"):
            profile.add_card(self.maren, theirs.last_four, "My bank", self.today + timedelta(days=90))
        theirs.refresh_from_db()
        self.assertTrue(theirs.firm_pays)
        self.enter(self.aiko)
        data = {
            "act": "card",
            "last_four": theirs.last_four,
            "issuer": theirs.issuer,
            "expires": "2030-01-01",
            "firm_pays": "on",
            "password": PASSWORD,
        }
        self.assertEqual(self.client.post("/profile/", data).status_code, 302)
        own = Card.objects.get(owner=self.aiko, last_four=theirs.last_four)
        for whose, card, words in (
            (self.maren, own, "no card of your own"),
            (self.maren, theirs, "no card of your own"),
            (self.aiko, own, "closed on"),
        ):
            with self.subTest(words):
                self.enter(whose)
                page = self.client.post("/profile/", {"act": "close-card", "card": card.pk}, follow=True)
                self.assertContains(page, words)
        self.assertContains(
            self.client.post("/profile/", {"act": "close-card", "card": own.pk}, follow=True), "no card of your own"
        )
        profile.add_card(self.aiko, own.last_four, "Another bank", self.today + timedelta(days=90))
        self.assertFalse(own.firm_pays)
        with self.assertRaisesRegex(Refusal, "the firm's cards alone"):
            feeds.ask_issuer(self.aiko, own.pk)

    def test_finance_gives_a_card_which_has_one_holder_at_a_time(self):
        theirs = self.maren.cards.get(firm_pays=True)
        since, until = self.today, self.today + timedelta(days=700)
        given = (self.jonas.pk, theirs.last_four, theirs.issuer, since.isoformat(), until.isoformat())
        for member in (self.maren, self.callum):
            with self.assertRaises(NotAllowed):
                cards.give_card(member, *given)
        with self.assertRaises(Refusal):
            cards.give_card(self.priya, self.liv.pk, *given[1:])
        for wrong in (
            ("12", *given[2:]),
            ("²345", *given[2:]),
            ("9999", "", *given[3:]),
            ("9999", "Bank", "x", given[4]),
            ("9999", "Bank", given[4], given[3]),
        ):
            with self.subTest(wrong), self.assertRaises(Refusal):
                cards.give_card(self.priya, self.jonas.pk, *wrong)
        self.enter(self.priya)
        with self.done():
            data = dict(zip(("holder", "last_four", "issuer", "since", "expires"), given, strict=True))
            self.assertEqual(self.client.post("/ledger/cards/give/", data).status_code, 302)
        theirs.refresh_from_db()
        self.assertEqual(theirs.closed, since - timedelta(days=1))
        rows = "".join(f"{day:%d.%m.%Y};Kiosk {day.day};-5,00;EUR\n" for day in (since - timedelta(days=1), since))
        table = ("Date;Merchant;Amount;Currency\n" + rows).encode()
        for member, kept in ((self.maren, since - timedelta(days=1)), (self.jonas, since)):
            with self.done():
                file = charges.look_at(member, f"{member.pk}.csv", table, theirs.last_four)
            file.refresh_from_db()
            self.assertEqual([row["day"] for row in file.rows], [kept.isoformat()])
            self.assertIn("belongs to whoever held it that day", str(file.left))
        self.assertTrue(Card.objects.get(owner=self.jonas, last_four=theirs.last_four).firm_pays)


class ShownTest(WorldTestCase):
    """Every decision carries the version that was shown."""

    def test_a_claim_taken_back_changed_and_sent_again_is_not_approved_unseen(self):
        claim = self.sent_claim()
        self.enter(self.tobias)
        page = self.client.get(f"/bench/claim/{claim.pk}/").content.decode()
        shown = re.findall(r'name="version" value="(\d+)"', page)
        self.assertEqual(set(shown), {str(claim.version)})
        road.take_back(self.maren, claim.pk)
        cost = self.a_cost(amount="21.00", merchant="Another taxi")
        compose.put_in(self.maren, claim.pk, [cost.pk])
        self.send_claim(claim)
        acts = {
            "approve/": {}, "end/send-back/": {"comment": "Look again"}, "end/turn-down/": {"comment": "No"},
            "pass-on/": {"to": self.ottilie.pk},
        }  # fmt: skip
        for act, data in acts.items():
            for version in ({"version": shown[0]}, {}):
                with self.subTest(act=act, version=version):
                    answer = self.client.post(f"/bench/claim/{claim.pk}/{act}", data | version, follow=True)
                    self.assertIn("changed since you opened this page", answer.content.decode())
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "In sign-off")
        self.client.post(f"/bench/claim/{claim.pk}/approve/", {"version": Claim.objects.get(pk=claim.pk).version})
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "In finance check")

    def test_a_trip_changed_since_is_not_approved_unseen(self):
        trip = self.sent_trip(starts=20)
        trips.take_back(self.maren, trip.pk)
        again = Trip.objects.get(pk=trip.pk)
        trips.send(self.maren, trip.pk, again.version, self.maren.person.name)
        with self.assertRaises(Stale):
            bench.approve(self.tobias, "trip", trip.pk, "", trip.version)
        bench.approve(self.tobias, "trip", trip.pk, "", Trip.objects.get(pk=trip.pk).version)


class TwoPeopleTest(WorldTestCase):
    @shows("U3.2")
    def test_an_auditor_does_nothing_whatever_the_act(self):
        claim = self.sent_claim()
        self.enter(self.benedikt)
        models = (Claim, Expense, Trip, Receipt, CardFile, Vehicle, Remark, Subscription)
        before = [model.objects.count() for model in models]
        for path, data in (
            ("/claims/new/", {"title": "Mine"}), ("/expenses/new/", {"date": "2026-09-01", "merchant": "x", "category": "taxi", "amount": "5", "currency": "EUR", "paid_by": "self"}),
            ("/expenses/ride/", {"date": "2026-09-01", "origin": "Cork", "target": "Cobh", "vehicle": "car"}), ("/trips/new/", {"title": "Mine", "purpose": "Mine"}),
            (f"/claims/{claim.pk}/say/", {"text": "Hello"}), ("/profile/", {"act": "vehicle", "plate": "X", "kind": "car"}), ("/profile/subscribe/", {}), ("/tray/drop/", {}),
        ):  # fmt: skip
            with self.subTest(path):
                self.assertIn(self.client.post(path, data).status_code, (403, 404))
        self.assertEqual([model.objects.count() for model in models], before)
        self.assertEqual(self.client.get(f"/claims/{claim.pk}/").status_code, 200)
        self.assertEqual(self.client.post("/news/read/").status_code, 302)

    def test_nobody_checks_or_pays_their_own_not_even_who_signs_their_own(self):
        self.desmond.signs_own = True
        self.desmond.save()
        claim = self.checked_claim(who=self.desmond, coding=coded("3900"))
        with self.assertRaisesRegex(NotAllowed, "Somebody else in finance"):
            road.clear(self.desmond, claim.pk, claim.version)
        road.clear(self.priya, claim.pk, claim.version)
        books.post(self.priya, claim.pk, Claim.objects.get(pk=claim.pk).version)
        with self.assertRaisesRegex(Stale, "is your own"):
            books.pay(self.desmond, [claim.pk], self.today)
        with self.done():
            books.pay(self.priya, [claim.pk], self.today)
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Settled")

    def test_above_the_firms_amount_another_one_pays(self):
        Policy.objects.filter(firm=self.priya.firm).update(second_payer_minor=100_00)
        self.priya.firm.rules_version = new_version()
        self.priya.firm.save()
        claim = self.cleared_claim()
        books.post(self.priya, claim.pk, claim.version)
        with self.assertRaisesRegex(Stale, "was cleared by you: above 100.00"):
            books.pay(self.priya, [claim.pk], self.today)
        with self.done():
            books.pay(self.desmond, [claim.pk], self.today)
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Settled")

    def test_a_decision_is_passed_on_only_to_whom_may_take_it(self):
        claim = self.sent_claim()
        self.ottilie.limit_minor = 100
        self.ottilie.save()
        with self.assertRaisesRegex(Refusal, "signs up to 1.00, this comes to"):
            bench.pass_on(self.tobias, "claim", claim.pk, self.ottilie.pk, "You know it")
