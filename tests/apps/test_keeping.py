"""What need not be kept any more goes when an administrator says so, wholly; what is younger, and what was certified, stays."""

from __future__ import annotations

from datetime import timedelta

from django.apps import apps
from django.core.files.storage import default_storage

from demo.story import proof
from tests.apps.world import WorldTestCase
from wainwright import clock
from wainwright.accounts.models import PayRun
from wainwright.claims.models import Binder, Claim
from wainwright.claims.services import books
from wainwright.errors import NotAllowed, Refusal
from wainwright.expenses.models import Receipt
from wainwright.operating import forgetting, keeping
from wainwright.operating.models import TakenAway
from wainwright.people.files import KEPT, delete_dropped
from wainwright.people.models import Dropped, Membership, Person
from wainwright.staff import leaving
from wainwright.staff.leaving import Heirs
from wainwright.trail.models import Entry
from wainwright.trail.selectors import check_chain
from wainwright.trail.services import record

# What stands outside of a firm: mails and ledgers are stand-ins for others' machines; what ends by itself within days.
OUTSIDE = (
    "mailbox.",
    "ledger.",
    "sessions.",
    "people.Once",
    "people.Attempt",
    "people.Guess",
    "bench.Undoable",
    "operating.Failure",
)


class KeepingTest(WorldTestCase):
    same_on_any_day = True

    def settled(self, who: Membership) -> Claim:
        claim = self.cleared_claim(who=who)
        books.post(self.priya, claim.pk, claim.version)
        books.pay(self.priya, [claim.pk], self.today)
        claim.refresh_from_db()
        self.assertEqual(claim.state, "Settled")
        proof(claim.expenses.first(), 1)
        return claim

    def later(self, years: int):
        return clock.at(clock.now() + timedelta(days=366 * years))

    def take(self):
        with self.done():
            keeping.take_away(self.callum, keeping.over(self.callum.firm).until)
        return TakenAway.objects.get()

    def test_papers_of_what_ended_go_and_what_was_certified_stays(self):
        claim, young = self.settled(self.aiko), self.sent_claim()
        paper = Receipt.objects.filter(expense__claim=claim).first()
        name, due = paper.file.name, claim.statement.due_minor
        for each in (claim, young):
            Binder.objects.create(
                firm=claim.firm, subject=each.subject, key="k", title="Papers", plan=[], time=clock.now()
            )
        for years in (0, 9):
            with self.later(years):
                self.assertFalse(keeping.over(self.callum.firm).any)
        with self.later(12):
            found = keeping.over(self.callum.firm)
            # The receipt, the order to the bank and the bank's answer.
            self.assertEqual((found.papers, list(found.people)), (3, []))
            row = self.take()
            self.assertEqual((row.papers, row.people, row.done is not None), (found.papers, 0, True))
            self.assertFalse(keeping.over(self.callum.firm).any)
            self.assertEqual(list(Binder.objects.values_list("subject", flat=True)), [young.subject])
            paper.refresh_from_db()
            self.assertEqual((paper.file.name, paper.fields, paper.lines), ("", {}, []))
            self.assertTrue(Dropped.objects.filter(name=name).exists())
            self.assertTrue(all(each.file for each in Receipt.objects.filter(expense__claim=young)))
            claim.refresh_from_db()
            self.assertEqual((claim.statement.due_minor, claim.state), (due, "Settled"))
            self.assertIsNone(check_chain())
            self.enter(self.priya)
            run = PayRun.objects.get()
            self.assertEqual((bytes(run.file), self.client.get(f"/ledger/pay/{run.pk}/").status_code), (b"", 200))
            self.assertEqual(self.client.get(f"/ledger/pay/{run.pk}/file/").status_code, 404)
            self.assertContains(self.client.get(f"/claims/{claim.pk}/"), claim.title)
            self.assertContains(self.client.get(f"/receipts/{paper.pk}/"), "it need not be kept any more")
            for part in ("original", "thumb"):
                self.assertEqual(self.client.get(f"/receipts/{paper.pk}/{part}/").status_code, 404)
            with self.later(0), clock.at(clock.now() + KEPT + timedelta(hours=1)):
                delete_dropped()
            self.assertFalse(default_storage.exists(name))

    def test_who_left_is_named_nowhere_any_more(self):
        claim = self.settled(self.aiko)
        record(
            self.aiko,
            "said",
            f"claim:{claim.pk}",
            after={"text": f"Ask {self.aiko.person.name}, or écrire à {self.aiko.person.email}"},
        )
        Claim.objects.filter(pk=claim.pk).update(title=f"Travel of {self.aiko.person.name}")
        name, address = self.aiko.person.name, self.aiko.person.email
        with self.done():
            leaving.retire(self.callum, self.aiko.pk, Heirs(give_up=True, charges=self.maren.pk))
        with self.later(12):
            self.assertEqual([who.pk for who in keeping.over(self.callum.firm).people], [self.aiko.pk])
            row = self.take()
        self.assertEqual(row.people, 1)
        self.assertEqual(self.named(name) + self.named(address), [])
        self.assertEqual(Claim.objects.get(pk=claim.pk).title, f"Travel of {forgetting.GONE}")
        self.assertIsNone(check_chain())
        self.assertGreaterEqual(row.entries, 5)
        self.assertEqual(Entry.objects.filter(held=True).count(), row.entries)
        # Whoever is still here is named as before.
        self.assertTrue(self.named(self.maren.person.name))

    def test_a_name_that_another_bears_stands_where_it_may_mean_them(self):
        self.settled(self.aiko)
        Person.objects.filter(pk=self.maren.person_id).update(name=self.aiko.person.name)
        mine = self.sent_claim()
        Claim.objects.filter(pk=mine.pk).update(title=f"Of {self.aiko.person.name}")
        with self.done():
            leaving.retire(self.callum, self.aiko.pk, Heirs(give_up=True, charges=self.maren.pk))
        with self.later(12):
            self.take()
        self.assertEqual(Claim.objects.get(pk=mine.pk).title, f"Of {self.aiko.person.name}")
        self.assertEqual(self.named(self.aiko.person.email), [])

    def test_who_is_of_another_firm_too_keeps_their_name_there(self):
        self.settled(self.aiko)
        Membership.objects.create(firm=self.ingrid.firm, person=self.aiko.person)
        with self.done():
            leaving.retire(self.callum, self.aiko.pk, Heirs(give_up=True, charges=self.maren.pk))
        with self.later(12):
            self.take()
        self.assertEqual(Person.objects.get(pk=self.aiko.person_id).name, self.aiko.person.name)
        self.assertEqual(Membership.objects.get(pk=self.aiko.pk).iban, "")

    def test_only_what_was_shown_only_once_and_only_by_an_administrator(self):
        self.settled(self.aiko)
        with self.later(12):
            until = keeping.over(self.callum.firm).until
            for who in (self.priya, self.maren, self.ingrid):
                with self.subTest(who), self.assertRaises((NotAllowed, Refusal)):
                    keeping.take_away(who, until)
            with self.assertRaises(Refusal):
                keeping.take_away(self.callum, until + timedelta(days=1))
            row = TakenAway.objects.create(firm=self.callum.firm, by=self.callum, time=clock.now(), until=until)
            with self.assertRaises(Refusal):
                keeping.take_away(self.callum, until)
            # What broke off goes on by the clock.
            with clock.at(clock.now() + timedelta(hours=2)), self.done():
                keeping.go_on_with_what_broke_off()
            row.refresh_from_db()
            self.assertTrue(row.done and row.papers)
            with self.assertRaises(Refusal):
                keeping.take_away(self.callum, until)

    def test_for_how_long_is_said_on_the_page(self):
        self.settled(self.aiko)
        self.enter(self.callum)
        for typed in ("", "x", "4", "31", "999", "-7", "٣"):
            with self.subTest(typed=typed):
                answer = self.client.post("/firm/keeping/", {"act": "years", "years": typed})
                self.assertContains(answer, "from 5 to 30", status_code=422)
                self.assertContains(answer, f'value="{typed or 10}"', status_code=422)
        self.client.post("/firm/keeping/", {"act": "years", "years": "7"})
        self.assertEqual(keeping.years_of(self.callum.firm), 7)
        with self.later(9):
            self.enter(self.callum)
            self.assertContains(self.client.get("/firm/keeping/"), "Take it away")
            for until in ("nonsense", "", "2199-12-31"):
                self.client.post("/firm/keeping/", {"act": "take", "until": until})
                self.assertFalse(TakenAway.objects.exists())
            with self.done():
                answer = self.client.post(
                    "/firm/keeping/", {"act": "take", "until": keeping.over(self.callum.firm).until.isoformat()}
                )
            self.assertEqual(answer.status_code, 302)
            self.assertContains(self.client.get("/firm/keeping/"), "There is nothing")

    def test_administrators_are_told_on_the_first_of_a_month(self):
        self.settled(self.aiko)
        with self.later(12):
            first = (clock.now().replace(day=1) + timedelta(days=40)).replace(day=1, hour=12)
        with clock.at(first + timedelta(days=1)):
            keeping.tell_what_is_over()
        self.assertFalse(self.callum.notices.filter(link="/firm/keeping/").exists())
        with clock.at(first):
            keeping.tell_what_is_over()
        self.assertTrue(self.callum.notices.filter(link="/firm/keeping/").exists())
        self.assertFalse(self.priya.notices.filter(link="/firm/keeping/").exists())

    def named(self, text: str) -> list[str]:
        """Every table and column of the database in which a text stands."""
        found = []
        for model in apps.get_models(include_auto_created=True):
            if not model._meta.label.startswith(OUTSIDE):
                for row in model._base_manager.values():
                    found += [
                        f"{model._meta.label}.{key}"
                        for key, value in row.items()
                        if text.casefold() in str(value).casefold()
                    ]
        return found
