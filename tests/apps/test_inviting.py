"""People come: a link by which they choose a password, once and in time; one sign-in for several firms."""

from __future__ import annotations

import re
from datetime import timedelta
from unittest import mock

from django.core import mail
from django.test import Client

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.news.models import Notice
from wainwright.people.models import Membership, Person
from wainwright.staff import inviting, leaving
from wainwright.staff.inviting import Invited
from wainwright.staff.leaving import Heirs
from wainwright.staff.services import Place

PASSWORD = "lantern-quarry-71-swift"


class Inviting(WorldTestCase):
    def wanted(
        self,
        email: str = "ines.moreau@brackwater.example",
        name: str = "Inès Moreau",
        roles=("traveller",),
        manager=None,
    ) -> Invited:
        return Invited(
            name, email, "Surveyor", Place(self.tobias.pk if manager is None else manager, None, frozenset(roles))
        )

    def invite(self, **more) -> tuple[Membership, str]:
        with self.done():
            made = inviting.invite(self.callum, self.wanted(**more))
        sent = mail.outbox[-1].body
        return made, re.search(r"https?://[^/]+(/\S+)", sent)[1]

    def choose(self, link: str, password: str = PASSWORD):
        client = Client()
        page = client.get(link, follow=True)
        at = page.redirect_chain[-1][0] if page.redirect_chain else link
        return client, client.post(at, {"password1": password, "password2": password}, follow=True)


class OneTest(Inviting):
    @shows("U5.1")
    def test_from_the_mail_to_the_first_trip(self):
        made, link = self.invite()
        self.assertEqual((made.roles, made.manager, made.codes), (["traveller"], self.tobias, self.tobias.codes))
        self.assertIn("invites you", mail.outbox[-1].subject)
        # The key stands in the mail alone.
        self.assertFalse(Notice.objects.filter(member=made).exists())
        self.choose(link)
        person = Person.objects.get(pk=made.person_id)
        self.assertTrue(person.check_password(PASSWORD))
        client = Client()
        client.post("/accounts/login/", {"login": person.email, "password": PASSWORD})
        self.assertEqual(client.get("/trips/").status_code, 200)

    def test_the_link_works_once_and_for_three_days(self):
        made, link = self.invite()
        self.choose(link)
        self.choose(link, "another-word-93-orchard")
        self.assertTrue(Person.objects.get(pk=made.person_id).check_password(PASSWORD))
        late, link = self.invite(email="late@brackwater.example", name="Late Comer")
        tokens = "django.contrib.auth.tokens.PasswordResetTokenGenerator._now"
        with mock.patch(tokens, return_value=inviting.default_token_generator._now() + timedelta(days=4)):
            self.choose(link)
        self.assertFalse(Person.objects.get(pk=late.person_id).has_usable_password())
        with self.done():
            inviting.invite_again(self.callum, late.pk)
        self.choose(re.search(r"https?://[^/]+(/\S+)", mail.outbox[-1].body)[1])
        self.assertTrue(Person.objects.get(pk=late.person_id).has_usable_password())
        with self.assertRaises(Stale):
            inviting.invite_again(self.callum, late.pk)

    def test_who_comes_too_late_asks_for_another_link_by_themselves(self):
        made, _ = self.invite()
        client = Client()
        self.assertContains(client.get("/accounts/login/"), "/accounts/password/reset/")
        with self.done():
            client.post("/accounts/password/reset/", {"email": made.person.email})
        self.choose(re.search(r"https?://[^/]+(/\S*password/reset/key\S+)", mail.outbox[-1].body)[1])
        self.assertTrue(Person.objects.get(pk=made.person_id).check_password(PASSWORD))

    def test_retired_before_they_came_the_link_opens_nothing(self):
        made, link = self.invite()
        leaving.retire(self.callum, made.pk, Heirs())
        self.choose(link)
        self.assertFalse(Person.objects.get(pk=made.person_id).has_usable_password())
        with self.assertRaises(Stale):
            inviting.invite_again(self.callum, made.pk)

    @shows("U6.1")
    def test_one_sign_in_for_two_firms(self):
        with self.done():
            made = inviting.invite(self.callum, self.wanted(email=self.torvald.person.email.upper(), name="Torvald A."))
        self.assertEqual((made.person, made.firm), (self.torvald.person, self.callum.firm))
        self.assertEqual(self.torvald.person.name, Person.objects.get(pk=self.torvald.person_id).name)
        self.assertNotIn("password/reset", mail.outbox[-1].body)
        self.enter(self.torvald)
        self.assertContains(self.client.get("/firms/"), self.callum.firm.name)

    def test_what_is_wrong_is_said_where(self):
        for more, field in (
            ({"name": " "}, "name"), ({"email": "nowhere"}, "email"), ({"email": "a@b"}, "email"), ({"roles": ()}, "roles"), ({"roles": ("king",)}, "roles"),
            ({"manager": 0}, "manager"), ({"manager": self.liv.pk}, "manager"), ({"email": self.maren.person.email}, "email"),
        ):  # fmt: skip
            with self.subTest(more=more), self.assertRaises(Refusal) as refused:
                inviting.invite(self.callum, self.wanted(**more))
            self.assertEqual(refused.exception.field, field)
        leaving.retire(self.callum, self.aiko.pk, Heirs(give_up=True, charges=self.maren.pk))
        with self.assertRaisesMessage(Refusal, "bring them back"):
            inviting.invite(self.callum, self.wanted(email=self.aiko.person.email))
        for who in (self.maren, self.priya, self.benedikt):
            with self.assertRaises(NotAllowed):
                inviting.invite(who, self.wanted())

    def test_the_page_keeps_what_was_typed(self):
        self.enter(self.callum)
        typed = {
            "name": "Inès Moreau",
            "email": "nowhere",
            "job": "Surveyor",
            "manager": "Tobias",
            "limit": "",
            "roles": ["traveller", "approver"],
        }
        page = self.client.post("/people/invite/", typed)
        self.assertContains(page, "no address for mail", status_code=422)
        self.assertContains(page, "Inès Moreau", status_code=422)
        page = self.client.post("/people/invite/", typed | {"email": "ines@brackwater.example"}, follow=True)
        self.assertContains(page, "is invited")
        self.assertContains(page, "has not chosen a password yet")
        self.assertContains(self.client.get("/people/"), "invited, has not come yet")
        for odd in ({}, {"name": "x" * 999, "email": "\\x00", "manager": "nobody", "limit": "-1", "roles": "x"}):
            self.assertEqual(self.client.post("/people/invite/", odd).status_code, 422)
