"""Nothing hangs: reminders on the firm's rhythm, then the next above; covers below an amount; one mail a day."""

from __future__ import annotations

from datetime import timedelta
from unittest import mock

from django.core import mail

from tests.apps.world import WorldTestCase, eur
from tests.coverage import shows
from wainwright import clock
from wainwright.bench.moving import move_on
from wainwright.bench.reminding import remind
from wainwright.claims.models import Claim
from wainwright.core.money import Money
from wainwright.core.routing import Signer, work_out_route
from wainwright.errors import Refusal
from wainwright.news.daily import choose, link_for, send_daily
from wainwright.news.services import tell
from wainwright.people.models import Cover, Firm, Membership, new_version
from wainwright.rulebook.models import Policy
from wainwright.signoff.models import SignOff
from wainwright.staff.services import set_cover
from wainwright.trail.models import Entry


class LateTest(WorldTestCase):
    def setUp(self):
        self.policy(remind_days=2, goes_on_days=5)

    def policy(self, **values):
        Policy.objects.filter(firm=self.maren.firm).update(**values)
        Firm.objects.filter(pk=self.maren.firm_id).update(rules_version=new_version())
        self.firm = Firm.objects.get(pk=self.maren.firm_id)

    def late(self, days: int, **options) -> Claim:
        claim = self.sent_claim(**options)
        SignOff.objects.filter(subject=claim.subject).update(due=self.today - timedelta(days=days))
        return claim

    def told(self, who: Membership, words: str) -> int:
        return who.notices.filter(text__contains=words).count()

    @shows("V6.1")
    def test_reminded_on_the_firms_rhythm(self):
        self.late(1)
        self.assertEqual((remind(self.firm), remind(self.firm)), (1, 0))
        self.assertEqual(self.told(self.tobias, "has waited for you 1 day longer"), 1)
        later = clock.now() + timedelta(days=2)
        with clock.at(later):
            self.assertEqual((remind(self.firm), remind(self.firm)), (1, 0))
        self.assertEqual(self.told(self.tobias, "has waited for you 3 days longer"), 1)
        self.policy(remind_days=0)
        with clock.at(later + timedelta(days=2)):
            self.assertEqual(remind(self.firm), 0)

    @shows("V6.1")
    def test_late_for_long_it_goes_to_the_next_above_and_says_so(self):
        claim = self.late(6)
        remind(self.firm)
        row = SignOff.objects.get(subject=claim.subject, state="Waiting")
        self.assertEqual((row.signer_id, row.turn), (self.signe.pk, True))
        self.assertIn("Tobias Achterberg was late", row.why)
        self.assertEqual(self.told(self.tobias, "went on to Signe Halloran"), 1)
        self.assertEqual(self.told(self.maren, "decides, since Tobias Achterberg was late"), 1)
        self.assertTrue(Entry.objects.filter(subject=claim.subject, what="a late decision went on").exists())
        self.assertEqual(remind(self.firm), 0)

    def test_nobody_above_and_the_administrators_have_it(self):
        claim = self.late(9)
        SignOff.objects.filter(subject=claim.subject).update(signer=self.signe)
        remind(self.firm)
        self.assertEqual(self.told(self.callum, "nobody above them can take it"), 1)
        self.assertEqual(SignOff.objects.get(subject=claim.subject, state="Waiting").signer_id, self.signe.pk)
        remind(self.firm)
        self.assertEqual(self.told(self.callum, "nobody above them can take it"), 1)

    def test_never_where_the_firm_says_never(self):
        claim = self.late(50)
        self.policy(goes_on_days=0)
        remind(self.firm)
        self.assertEqual(SignOff.objects.get(subject=claim.subject, state="Waiting").signer_id, self.tobias.pk)

    def test_what_is_in_time_is_left_alone(self):
        self.late(0)
        self.assertEqual(remind(self.firm), 0)

    def test_the_days_to_decide_are_the_firms(self):
        self.policy(decide_days=9)
        self.maren.firm = self.tobias.firm = self.firm
        claim = self.sent_claim()
        row = SignOff.objects.get(subject=claim.subject, signer=self.tobias)
        self.assertEqual(row.due, self.today + timedelta(days=9))


@shows("U4.3")
class CoverTest(WorldTestCase):
    def test_only_below_an_amount_and_the_rest_goes_above(self):
        small, large = self.sent_claim(costs=("20.00",)), self.sent_claim(who=self.aiko, costs=("190.00",))
        days = self.today, self.today + timedelta(days=5)
        set_cover(self.tobias, self.tobias.pk, self.ottilie.pk, *days, below=large.total.amount)
        move_on(self.tobias.firm_id)
        who = {row.subject: row.signer_id for row in SignOff.objects.filter(state="Waiting")}
        self.assertEqual((who[small.subject], who[large.subject]), (self.ottilie.pk, self.signe.pk))
        self.assertEqual(SignOff.objects.get(subject=large.subject, state="Waiting").covers, "Tobias Achterberg")
        self.enter(self.tobias)
        self.assertContains(self.client.get(f"/people/{self.tobias.pk}/"), "only what is below")

    def test_it_says_what_makes_no_sense(self):
        days = self.today, self.today + timedelta(days=5)
        with self.assertRaisesMessage(Refusal, "more than nothing"):
            set_cover(self.tobias, self.tobias.pk, self.ottilie.pk, *days, below=eur(0).amount)
        with self.assertRaisesMessage(Refusal, "Nobody stands above"):
            set_cover(self.signe, self.signe.pk, self.ottilie.pk, *days, below=eur(5).amount)
        self.assertFalse(Cover.objects.exists())

    @shows("P9.1")
    def test_the_route_finds_the_same(self):
        def eur_(n):
            return Money.of(str(n), "EUR")

        people = {
            "me": Signer("me", "Me", "boss"), "boss": Signer("boss", "Boss", "top", None, "stand-in", cover_below=eur_(100)),
            "stand-in": Signer("stand-in", "Stand-in", "top"), "top": Signer("top", "Top"),
        }  # fmt: skip
        for amount, signer in ((99, "stand-in"), ("99.99", "stand-in"), (100, "top"), (5000, "top")):
            with self.subTest(amount):
                route = work_out_route("me", eur_(amount), {}, people, [])
                self.assertEqual([(step.signer, step.covers) for step in route.steps], [(signer, "Boss")])


class DailyTest(WorldTestCase):
    def test_gathered_into_one_mail_but_what_is_enclosed_at_once(self):
        choose(self.maren, True)
        maren = Membership.objects.select_related("person", "firm").get(pk=self.maren.pk)
        with self.done():
            tell(maren, "One thing", "/trips/1/")
            tell(maren, "Another thing", "/trips/2/")
            tell(self.aiko, "At once", "/trips/3/")
        self.assertEqual([m.subject for m in mail.outbox], ["At once"])
        with self.done():
            self.assertEqual((send_daily(), send_daily()), (1, 0))
        gathered = mail.outbox[-1]
        self.assertEqual(gathered.to, [maren.person.email])
        for words in ("One thing", "Another thing"):
            self.assertIn(words, gathered.body)
            self.assertIn(words, gathered.alternatives[0][0])
        self.assertIn("List-Unsubscribe", gathered.extra_headers)

    def test_one_press_in_the_mail_is_enough_and_a_wrong_link_does_nothing(self):
        with self.done():
            tell(self.aiko, "At once", "/trips/3/")
        header = mail.outbox[-1].extra_headers["List-Unsubscribe"]
        path = header.strip("<>").partition("8000")[2]
        self.assertEqual(self.client.get(path).status_code, 200)
        self.assertEqual(self.client.post(path, {"List-Unsubscribe": "One-Click"}).status_code, 302)
        self.assertTrue(Membership.objects.get(pk=self.aiko.pk).mail_daily)
        self.client.post(path, {"how": "at-once"})
        self.assertFalse(Membership.objects.get(pk=self.aiko.pk).mail_daily)
        self.assertEqual(self.client.post("/news/mail/forged/").status_code, 404)
        with mock.patch("wainwright.news.daily.SALT", "other"):
            self.assertEqual(self.client.get(link_for(self.aiko).partition("8000")[2]).status_code, 200)

    def test_chosen_in_the_profile(self):
        self.enter(self.maren)
        self.assertContains(
            self.client.post("/profile/", {"act": "mail", "how": "daily"}, follow=True), "once a day, gathered"
        )


class ListsTest(WorldTestCase):
    def test_finance_finds_every_trip_and_claim(self):
        claim = self.sent_claim()
        self.enter(self.priya)
        for path, there, gone in (
            (f"/firm/claims/?q={claim.code}", claim.code, "Nothing fits"), ("/firm/claims/?state=Settled", "Nothing fits", claim.code),
            ("/firm/trips/?q=maren&from=2000-01-01&to=2100-01-01", claim.trip.code, "Nothing fits"),
            ("/firm/trips/?to=2000-01-01", "Nothing fits", claim.trip.code), ("/firm/claims/?from=x&state=%00&page=99", claim.code, "Nothing fits"),
        ):  # fmt: skip
            with self.subTest(path):
                page = self.client.get(path)
                self.assertContains(page, there)
                self.assertNotContains(page, gone)

    def test_found_by_merchant_amount_and_number(self):
        cost = self.a_cost(amount="43.21", merchant="Tar and Twine", reference="INV-77-2026")
        self.enter(self.maren)
        for text in ("tar and", "43.21", "43,21", "inv-77-2026"):
            with self.subTest(text):
                self.assertContains(self.client.get("/find/", {"q": text}), f"/expenses/{cost.pk}/")
        self.enter(self.aiko)
        self.assertNotContains(self.client.get("/find/", {"q": "43.21"}), f"/expenses/{cost.pk}/")

    def test_what_is_not_shown_is_counted_and_reached(self):
        for n in range(15):
            self.a_cost(amount="10.00", merchant=f"Ropewalk {n}")
        self.enter(self.maren)
        page = self.client.get("/find/", {"q": "ropewalk"})
        self.assertContains(page, "Costs</b> 15")
        self.assertContains(page, "costs=2")
        self.assertContains(self.client.get("/find/", {"q": "ropewalk", "costs": "2"}), "Ropewalk 0")
