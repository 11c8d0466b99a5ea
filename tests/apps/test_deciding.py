"""Deciding line by line: in part, back alone, down, corrected, added; the objection; the undo. What is paid follows."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta
from decimal import Decimal
from io import BytesIO
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image

from tests.apps.world import WorldTestCase, eur
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.models import BudgetUse
from wainwright.bench import services, undoing
from wainwright.claims.models import Claim, Correction
from wainwright.claims.paying import payable
from wainwright.claims.selectors import load_file
from wainwright.claims.services import books, compose, drafting, lines, road
from wainwright.core.tax import reclaim
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.models import Expense, Receipt, ReceiptPage
from wainwright.expenses.services.editing import PartTyped
from wainwright.people.models import Firm, Person, new_version
from wainwright.rulebook.models import Policy
from wainwright.signoff.models import Remark, SignOff
from wainwright.trail.models import Entry
from wainwright.trips.models import Trip


def png() -> bytes:
    """A blank picture."""
    out = BytesIO()
    Image.new("RGB", (200, 120), "white").save(out, "PNG")
    return out.getvalue()


class Deciding(WorldTestCase):
    def fresh(self, claim: Claim) -> Claim:
        return Claim.objects.select_related(
            "firm", "claimant__person", "claimant__firm", "trip__signed", "statement", "issuer_card"
        ).get(pk=claim.pk)

    def file(self, claim: Claim):
        claim = self.fresh(claim)
        return load_file(claim.claimant, claim)

    def key(self, claim: Claim, amount: str) -> str:
        return next(line.key for line in self.file(claim).figures.lines if line.says == eur(amount))

    def due(self, claim: Claim):
        return self.file(claim).figures.settlement.due

    def values(self, expense: Expense, **more) -> dict:
        return {
            "day": expense.date, "merchant": expense.merchant, "category": expense.category, "amount": expense.amount,
            "paid_by": expense.paid_by, "tax_rate": expense.tax_rate, "tax": None, "description": expense.description,
            "guests": expense.guests, "heads": expense.heads,
        } | more  # fmt: skip

    def posted(self, claim: Claim) -> Claim:
        with self.done():
            self.approve_all("claim", claim.pk)
        claim = self.fresh(claim)
        if claim.state == "In finance check":
            road.clear(self.priya, claim.pk, claim.version)
        claim = self.fresh(claim)
        with self.done():
            books.post(self.priya, claim.pk, claim.version)
        return self.fresh(claim)


class LineTest(Deciding):
    def test_in_part_less_is_paid_and_the_rest_is_not(self):
        claim = self.sent_claim(costs=("80.00", "20.00"))
        before, key = self.due(claim), self.key(claim, "80.00")
        lines.approve_in_part(self.tobias, claim.pk, claim.version, key, Decimal("50.00"), "Two of three went")
        self.assertEqual(self.due(claim), before - eur(30))
        line = next(each for each in self.file(claim).figures.lines if each.key == key)
        self.assertEqual((line.says, line.paid, line.refused), (eur(80), eur(50), eur(30)))
        self.assertTrue(self.maren.notices.filter(text__contains="50.00 of 80.00 is approved").exists())
        done = self.posted(claim)
        self.assertEqual(done.state, "Posted")
        journal = self.file(done).journal
        self.assertEqual(journal.debits, journal.credits)
        self.assertEqual(-journal.balance("2320"), self.due(done))

    def test_what_an_act_puts_before_typed_words_is_in_the_readers_language_and_they_stand_as_typed(self):
        claim = self.sent_claim(costs=("80.00", "20.00"))
        key = self.key(claim, "80.00")
        lines.approve_in_part(self.tobias, claim.pk, claim.version, key, Decimal("50.00"), "Two of three went")
        road.remark(self.tobias, claim.pk, "Objects: they are dear", key)
        Person.objects.filter(pk=self.maren.person_id).update(language="nb")
        self.enter(self.maren)
        page = self.client.get(f"/claims/{claim.pk}/")
        self.assertContains(page, "50,00 av 80,00 godkjent: Two of three went")
        self.assertContains(page, "Objects: they are dear")
        self.assertContains(page, 'data-name="Sagt"')

    def test_in_part_on_the_firms_card_the_rest_is_owed_by_staff(self):
        claim = self.a_claim(costs=("20.00",))
        cost = self.a_cost(
            amount="60.00", paid_by="firm", merchant="Quay stores", category="supplies", tax_rate=Decimal("0.23")
        )
        compose.put_in(self.maren, claim.pk, [cost.pk])
        self.send_claim(claim)
        claim = self.fresh(claim)
        before = self.due(claim)
        lines.approve_in_part(self.tobias, claim.pk, claim.version, cost.key, Decimal(45), "One roll is private")
        self.assertEqual(self.due(claim), before - eur(15))
        line = next(each for each in self.file(claim).figures.lines if each.key == cost.key)
        tax = sum((c.recoverable for c in line.coded), eur(0))
        self.assertLessEqual(
            tax, reclaim(eur(45) - eur(Decimal("36.59")), Decimal(1), True, True).recoverable + eur("0.01")
        )
        journal = self.file(self.posted(claim)).journal
        self.assertEqual(journal.debits, journal.credits)

    def test_the_allowance_too_can_be_approved_in_part(self):
        claim = self.sent_claim()
        line = next(each for each in self.file(claim).figures.lines if each.kind == "allowance")
        less = line.says.amount - 10
        lines.approve_in_part(self.tobias, claim.pk, claim.version, "allowance", less, "A day less")
        self.assertEqual(self.file(claim).figures.settlement.sums.allowance, line.says - eur(10))

    def test_what_makes_no_part_is_refused_and_changes_nothing(self):
        claim = self.sent_claim(costs=("80.00", "20.00"))
        key, before = self.key(claim, "80.00"), self.due(claim)
        for amount in ("0", "-5", "80.00", "80.01", "999999"):
            with self.subTest(amount), self.assertRaisesMessage(Refusal, "more than nothing and less than 80.00"):
                lines.approve_in_part(self.tobias, claim.pk, claim.version, key, Decimal(amount), "So it is")
        with self.assertRaisesMessage(Refusal, "Say why"):
            lines.approve_in_part(self.tobias, claim.pk, claim.version, key, Decimal(5), " ")
        with self.assertRaises(Stale):
            lines.approve_in_part(self.tobias, claim.pk, claim.version, "expense:999999", Decimal(5), "So it is")
        with self.assertRaises(Stale):
            lines.approve_in_part(self.tobias, claim.pk, claim.version - 1, key, Decimal(5), "So it is")
        for who in (self.maren, self.priya, self.signe):
            with self.subTest(who), self.assertRaises((NotAllowed, Stale, Claim.DoesNotExist)):
                lines.approve_in_part(who, claim.pk, claim.version, key, Decimal(5), "So it is")
        self.assertEqual(self.due(claim), before)
        self.enter(self.tobias)
        for typed in ("", "a lot", "1e99", "NaN"):
            answer = self.client.post(
                f"/bench/claim/{claim.pk}/part/",
                {"version": claim.version, "line": key, "amount": typed, "why": "x y z"},
                follow=True,
            )
            self.assertContains(answer, "How much is approved?")

    @shows("V3.2")
    def test_one_line_back_and_one_down_and_the_rest_goes_on(self):
        claim = self.sent_claim(costs=("80.00", "20.00", "30.00"))
        before = self.due(claim)
        lines.take_line_out(
            self.tobias, claim.pk, claim.version, self.key(claim, "80.00"), "Which boat was it?", down=False
        )
        claim = self.fresh(claim)
        lines.take_line_out(self.tobias, claim.pk, claim.version, self.key(claim, "30.00"), "Not the firm's", down=True)
        self.assertEqual(self.due(claim), before - eur(110))
        back = {e.amount_minor: e for e in Expense.objects.filter(turned_down_in=claim)}
        self.assertEqual({e.claim_id for e in back.values()}, {None})
        self.assertTrue(back[8000].turned_down_why.startswith("Sent back by Tobias Achterberg"))
        self.assertTrue(back[3000].turned_down_why.startswith("Turned down by Tobias Achterberg"))
        claim = self.posted(claim)
        self.assertEqual(claim.state, "Posted")
        more = drafting.claim_trip(self.maren, claim.trip_id)
        compose.put_in(self.maren, more.pk, [back[8000].pk])
        self.assertTrue(
            [f for f in self.file(more).findings if "before" in f.finding.text or "turned" in f.finding.text.lower()]
        )

    def test_neither_the_only_line_nor_what_is_no_cost(self):
        claim = self.sent_claim(costs=("80.00",))
        with self.assertRaisesMessage(Refusal, "Only a cost leaves"):
            lines.take_line_out(self.tobias, claim.pk, claim.version, "allowance", "Not at all", down=True)
        Claim.objects.filter(pk=claim.pk).update(statement=None)
        bare = self.a_cost(self.aiko, "10.00")
        alone = compose.claim_loose(self.aiko, "A small thing")
        self.send_claim(alone)
        alone = self.fresh(alone)
        with self.assertRaisesMessage(Refusal, "only line"):
            lines.take_line_out(self.tobias, alone.pk, alone.version, bare.key, "Not at all", down=False)


class EvidenceTest(Deciding):
    @shows("V2.2")
    def test_every_page_and_every_paper_is_reached_and_leads_to_its_receipt(self):
        claim = self.a_claim(costs=("40.00", "25.00"))
        expense, bare = claim.expenses.order_by("pk")
        receipt, data = self.a_receipt(expense), self.a_receipt(bare)
        self.send_claim(claim)
        self.approve_all("claim", claim.pk)
        page = receipt.pages.get()
        for number in range(1, 9):
            ReceiptPage.objects.create(
                receipt=receipt, number=number, width=page.width, height=page.height, picture=page.picture
            )
        self.enter(self.priya)
        address = f"/bench/claim/{claim.pk}/?line=expense:{expense.pk}"
        found = self.client.get(address)
        self.assertContains(found, f'<a href="/receipts/{receipt.pk}/">')
        self.assertContains(found, "All 9 pages: 3 more")
        self.assertContains(self.client.get(f"{address}&pages=all"), "page 9 of 9")
        self.assertContains(self.client.get(f"/bench/claim/{claim.pk}/correct/{expense.pk}/?pages=all"), "page 9 of 9")
        self.assertEqual(self.client.get(f"/receipts/{receipt.pk}/").status_code, 200)
        data.pages.all().delete()
        Receipt.objects.filter(pk=data.pk).update(state="Unreadable", problem="It cannot be opened: it breaks off.")
        for where in (f"?line=expense:{bare.pk}", f"correct/{bare.pk}/"):
            found = self.client.get(f"/bench/claim/{claim.pk}/{where}")
            self.assertContains(found, f"/receipts/{data.pk}/original/")
            self.assertContains(found, "it breaks off")
            self.assertNotContains(found, "No receipt lies with it")


class CorrectTest(Deciding):
    @shows("V4.2")
    def test_less_is_settled_and_both_stand_side_by_side(self):
        claim = self.checked_claim(costs=("80.00", "20.00"))
        expense, before = claim.expenses.get(amount_minor=8000), self.due(claim)
        changes = lines.correct_line(
            self.priya, claim.pk, claim.version, expense.pk, "The paper says 70", **self.values(expense, amount=eur(70))
        )
        self.assertEqual(self.due(claim), before - eur(10))
        self.assertEqual(self.fresh(claim).state, "In finance check")
        self.assertTrue(any("80.00" in c.before and "70.00" in c.after for c in changes))
        self.assertEqual(Correction.objects.get().why, "The paper says 70")
        self.enter(self.maren)
        page = self.client.get(f"/claims/{claim.pk}/")
        self.assertContains(page, "70.00")
        self.assertContains(page, 'name="words"')
        self.assertTrue(self.maren.notices.filter(text__endswith=": corrected a line").exists())

    @shows("V4.1")
    def test_only_that_line_is_worked_out_anew(self):
        claim = self.checked_claim(costs=("80.00", "20.00"))
        expense, other = claim.expenses.get(amount_minor=8000), claim.expenses.get(amount_minor=2000)
        # Something that would change another line if it were worked out again.
        Expense.objects.filter(pk=other.pk).update(amount_minor=9900)
        lines.correct_line(
            self.priya, claim.pk, claim.version, expense.pk, "Wrong name", **self.values(expense, merchant="Tide taxi")
        )
        kept = {line.key: line for line in self.file(claim).figures.lines}
        self.assertEqual((kept[other.key].says, kept[expense.key].merchant), (eur(20), "Tide taxi"))

    def test_what_raises_it_is_signed_again_where_the_firm_says_so(self):
        for asks, state in ((True, "In sign-off"), (False, "In finance check")):
            with self.subTest(asks):
                Policy.objects.filter(firm=self.maren.firm).update(raise_asks=asks)
                Firm.objects.filter(pk=self.maren.firm_id).update(rules_version=new_version())
                claim = self.checked_claim(costs=("80.00" if asks else "81.00",))
                expense = claim.expenses.get()
                lines.correct_line(
                    self.priya,
                    claim.pk,
                    claim.version,
                    expense.pk,
                    "Tip forgotten",
                    **self.values(expense, amount=eur(85)),
                )
                claim = self.fresh(claim)
                self.assertEqual(claim.state, state)
                row = SignOff.objects.filter(subject=claim.subject).order_by("-round", "-pk").first()
                self.assertEqual(row.what, "correction" if asks else "claim")
        with self.done():
            self.approve_all("claim", claim.pk)

    def test_a_line_is_added_with_its_paper_and_the_trail_says_by_whom(self):
        claim = self.checked_claim(costs=("80.00",))
        before = self.due(claim)
        content = png()
        values = {
            "day": self.today - timedelta(days=9), "merchant": "Pier toll", "category": "parking", "amount": eur(12), "paid_by": "self",
            "tax_rate": Decimal(0), "tax": None, "description": "", "guests": "", "heads": 1,
        }  # fmt: skip
        with self.assertRaisesMessage(Refusal, "has its paper"):
            lines.add_line(self.priya, claim.pk, claim.version, "The toll was forgotten", "x.png", b"", **values)
        Policy.objects.filter(firm=self.maren.firm).update(raise_asks=False)
        Firm.objects.filter(pk=self.maren.firm_id).update(rules_version=new_version())
        with self.done():
            lines.add_line(self.priya, claim.pk, claim.version, "The toll was forgotten", "x.png", content, **values)
        self.assertEqual(self.due(claim), before + eur(12))
        made = Expense.objects.get(merchant="Pier toll")
        self.assertEqual((made.owner_id, made.claim_id, made.receipts.count()), (self.maren.pk, claim.pk, 1))
        self.assertEqual(
            {e.who.partition(" <")[0] for e in Entry.objects.filter(subject=made.key)}, {"Priya Sundqvist"}
        )

    def test_a_line_is_split_anew_and_its_sum_stays(self):
        claim = self.checked_claim(costs=("80.00",))
        expense, before = claim.expenses.get(), self.due(claim)
        self.enter(self.priya)
        address = f"/bench/claim/{claim.pk}/split/{expense.pk}/"
        rows = {
            "version": claim.version,
            "split-coding": ["3120", "3900"],
            "split-share": ["60", "40"],
            "split-by": "share",
            "do": "split",
        }
        self.assertContains(self.client.post(address, rows | {"why": ""}), "Say why it is corrected", status_code=422)
        self.assertContains(
            self.client.post(address, rows | {"split-share": ["60", "30"], "why": "As agreed"}),
            "add up",
            status_code=422,
        )
        self.assertContains(self.client.post(address, rows | {"do": "equal", "why": "As agreed"}), 'value="50"')
        answer = self.client.post(address, rows | {"why": "As agreed"}, follow=True)
        self.assertContains(answer, "split anew")
        line = next(each for each in self.file(claim).figures.lines if each.key == expense.key)
        self.assertEqual(
            [(c.coding.get("cost_centre"), c.gross) for c in line.coded], [("3120", eur(48)), ("3900", eur(32))]
        )
        self.assertEqual(self.due(claim), before)
        fresh = self.fresh(claim)
        if fresh.state == "In finance check":
            lines.split_line(self.priya, claim.pk, fresh.version, expense.pk, "Back again", [])

    def test_who_may_not_and_when_not(self):
        claim = self.checked_claim(costs=("80.00",))
        expense = claim.expenses.get()
        values = self.values(expense, amount=eur(70))
        for who in (self.tobias, self.maren):
            with self.subTest(who), self.assertRaises(NotAllowed):
                lines.correct_line(who, claim.pk, claim.version, expense.pk, "So it is", **values)
        with self.assertRaises(Refusal):
            lines.correct_line(self.priya, claim.pk, claim.version, expense.pk, "", **values)
        with self.assertRaises(Refusal):
            lines.correct_line(self.priya, claim.pk, claim.version, expense.pk, "Nothing new", **self.values(expense))
        with self.assertRaises(Stale):
            lines.correct_line(self.priya, claim.pk, claim.version, 10**9, "So it is", **values)
        posted = self.posted(claim)
        with self.assertRaises(Stale):
            lines.correct_line(self.priya, claim.pk, posted.version, expense.pk, "So it is", **values)

    def test_from_the_page_what_is_wrong_stays(self):
        claim = self.checked_claim(costs=("80.00",))
        expense = claim.expenses.get()
        self.enter(self.priya)
        address = f"/bench/claim/{claim.pk}/correct/{expense.pk}/"
        page = self.client.get(address)
        form = {f.html_name: "" if f.value() is None else f.value() for f in page.context["form"]}
        form |= {
            "change-date": expense.date.isoformat(),
            "version": claim.version,
            "change-amount": "x",
            "why": "As on paper",
        }
        answer = self.client.post(address, form)
        self.assertContains(answer, 'value="As on paper"', status_code=422)
        answer = self.client.post(address, form | {"change-amount": "75.00", "why": ""})
        self.assertContains(answer, "Say why it is corrected", status_code=422)
        self.assertContains(answer, 'value="75.00"', status_code=422)
        answer = self.client.post(address, form | {"change-amount": "75.00"}, follow=True)
        self.assertContains(answer, "The line is corrected")
        self.assertEqual(self.client.get(f"/bench/claim/{claim.pk}/add/").status_code, 200)
        file = SimpleUploadedFile("x.txt", b"no picture")
        add = self.client.post(f"/bench/claim/{claim.pk}/add/", form | {"file": file})
        self.assertEqual(add.status_code, 422)


class ObjectTest(Deciding):
    def test_nothing_is_paid_until_it_is_answered(self):
        claim = self.sent_claim(costs=("80.00", "20.00"))
        with self.assertRaises(Stale):
            lines.object_to(self.maren, claim.pk, "There is nothing yet")
        lines.approve_in_part(self.tobias, claim.pk, claim.version, self.key(claim, "80.00"), Decimal(50), "Less")
        claim = self.posted(claim)
        self.assertEqual(list(payable(self.priya)), [claim])
        lines.object_to(self.maren, claim.pk, "All three went by boat")
        self.assertEqual(list(payable(self.priya)), [])
        with self.assertRaisesRegex(Stale, "objection"):
            books.pay(self.priya, [claim.pk], self.today)
        with self.assertRaises(NotAllowed):
            lines.object_to(self.aiko if self.aiko.may["read_all"] else self.priya, claim.pk, "Not mine")
        claim = self.fresh(claim)
        self.enter(self.priya)
        self.assertContains(self.client.get("/ledger/pay/"), "waits for an answer: “All three went by boat”")
        self.assertContains(self.client.get(f"/bench/claim/{claim.pk}/"), "All three went by boat")
        self.client.post(f"/bench/claim/{claim.pk}/objection/", {"version": claim.version, "words": "It stands"})
        self.assertEqual(list(payable(self.priya)), [claim])
        self.assertTrue(self.maren.notices.filter(text__contains="on your objection").exists())

    def test_finance_answers_before_it_clears(self):
        claim = self.sent_claim(costs=("80.00", "20.00"))
        lines.approve_in_part(self.tobias, claim.pk, claim.version, self.key(claim, "80.00"), Decimal(50), "Less")
        lines.object_to(self.maren, claim.pk, "All three went")
        with self.done():
            self.approve_all("claim", claim.pk)
        claim = self.fresh(claim)
        with self.assertRaisesMessage(Refusal, "All three went"):
            road.clear(self.priya, claim.pk, claim.version)
        lines.answer_objection(self.priya, claim.pk, claim.version, "It stands")
        road.clear(self.priya, claim.pk, self.fresh(claim).version)


class UndoTest(Deciding):
    def test_within_ten_seconds_it_waits_again(self):
        claim = self.sent_claim()
        self.enter(self.tobias)
        with self.done():
            page = self.client.post(f"/bench/claim/{claim.pk}/approve/", {"version": claim.version}, follow=True)
        self.assertContains(page, f"/bench/claim/{claim.pk}/undo/")
        self.assertEqual(self.fresh(claim).state, "In finance check")
        self.client.post(f"/bench/claim/{claim.pk}/undo/")
        self.assertEqual(self.fresh(claim).state, "In sign-off")
        row = SignOff.objects.get(subject=claim.subject, signer=self.tobias)
        self.assertEqual((row.state, row.turn, row.decided), ("Waiting", True, None))
        with self.done():
            services.approve(self.tobias, "claim", claim.pk, version=self.fresh(claim).version)
        self.assertEqual(self.fresh(claim).state, "In finance check")

    def test_a_plan_without_tickets_too_and_its_budget_is_free_again(self):
        trip = self.sent_trip(starts=20)
        with self.done():
            services.approve(self.tobias, "trip", trip.pk)
        undoing.undo(self.tobias, "trip", trip.pk)
        trip = Trip.objects.get(pk=trip.pk)
        self.assertEqual((trip.state, trip.authorised), ("Awaiting sign-off", None))
        self.assertFalse(BudgetUse.objects.filter(subject=trip.subject).exists())

    def test_too_late_after_others_or_not_ones_own(self):
        claim = self.sent_claim()
        with self.assertRaises(Stale):
            undoing.undo(self.tobias, "claim", claim.pk)
        with self.done():
            services.approve(self.tobias, "claim", claim.pk)
        with self.assertRaises(Stale):
            undoing.undo(self.priya, "claim", claim.pk)
        with (
            mock.patch.object(clock, "now", return_value=clock.now() + timedelta(seconds=16)),
            self.assertRaises(Stale),
        ):
            undoing.undo(self.tobias, "claim", claim.pk)
        claim = self.fresh(claim)
        road.clear(self.priya, claim.pk, claim.version)
        with self.assertRaises(Stale):
            undoing.undo(self.tobias, "claim", claim.pk)

    def undone(self, claim):
        """Undo what Tobias decided; what is not moved by it stands as it stood."""
        undoing.undo(self.tobias, "claim", claim.pk)
        claim = self.fresh(claim)
        self.assertEqual(claim.state, "In sign-off")
        row = SignOff.objects.get(subject=claim.subject, state="Waiting")
        self.assertEqual((row.signer_id, row.turn), (self.tobias.pk, True))
        return claim

    def test_an_ending_puts_everything_back(self):
        for act in ("send_back", "turn_down"):
            with self.subTest(act):
                claim = self.sent_claim(costs=("80.00" if act == "send_back" else "81.00", "20.00"))
                before, budgets = self.due(claim), list(BudgetUse.objects.values_list("subject", "committed_minor"))
                services.end(self.tobias, "claim", claim.pk, act, "Which guest was there?", {}, claim.version)
                self.assertNotEqual(self.fresh(claim).state, "In sign-off")
                claim = self.undone(claim)
                self.assertEqual((claim.expenses.count(), self.due(claim)), (2, before))
                self.assertFalse(claim.expenses.exclude(turned_down_in=None).exists())
                self.assertEqual(list(BudgetUse.objects.values_list("subject", "committed_minor")), budgets)
                self.assertFalse(Remark.objects.filter(subject=claim.subject).exists())
                self.assertTrue(self.maren.notices.filter(text__contains="undid").exists())
                with self.done():
                    self.approve_all("claim", claim.pk)

    def test_what_the_claimant_took_up_meanwhile_is_not_taken_from_them(self):
        claim = self.sent_claim(costs=("80.00", "20.00"))
        services.end(self.tobias, "claim", claim.pk, "turn_down", "Not ours", {}, claim.version)
        other = compose.bare_claim(self.maren, claim.trip_id)
        Expense.objects.filter(turned_down_in=claim).update(claim=other)
        with self.assertRaisesMessage(Stale, "used what went back"):
            undoing.undo(self.tobias, "claim", claim.pk)
        self.assertEqual(self.fresh(claim).state, "Turned down")

    def test_one_line_is_undone_in_part_back_and_down(self):
        claim = self.sent_claim(costs=("80.00", "20.00"))
        before, key = self.due(claim), self.key(claim, "80.00")
        acts = (
            lambda version: services.approve_in_part(self.tobias, claim.pk, version, key, Decimal(50), "Less is shown"),
            lambda version: services.take_line_out(self.tobias, claim.pk, version, key, "Not ours", False),
            lambda version: services.take_line_out(self.tobias, claim.pk, version, key, "Not ours", True),
        )
        for number, act in enumerate(acts):
            with self.subTest(number):
                act(self.fresh(claim).version)
                self.assertNotEqual(self.due(claim), before)
                claim = self.undone(claim)
                self.assertEqual((self.due(claim), claim.expenses.count()), (before, 2))
        # Each is a version of its own: nothing that was written is unwritten.
        self.assertEqual(claim.statements.count(), 7)

    def test_finance_undoes_its_own(self):
        claim = self.checked_claim(costs=("80.00",))
        acts = (
            lambda version: services.clear(self.priya, claim.pk, version),
            lambda version: services.finance_end(self.priya, claim.pk, version, "send_back", "Wrong month"),
            lambda version: services.finance_end(self.priya, claim.pk, version, "turn_down", "Not ours"),
        )
        for number, act in enumerate(acts):
            with self.subTest(number):
                act(self.fresh(claim).version)
                undoing.undo(self.priya, "claim", claim.pk)
                after = self.fresh(claim)
                self.assertEqual((after.state, after.cleared_by, after.expenses.count()), ("In finance check", None, 1))
        with self.assertRaises(Stale):
            undoing.undo(self.priya, "claim", claim.pk)

    def test_passed_on_comes_back_and_the_other_is_told(self):
        claim = self.sent_claim()
        services.pass_on(self.tobias, "claim", claim.pk, self.ottilie.pk, "Yours?", claim.version)
        self.undone(claim)
        self.assertTrue(self.ottilie.notices.filter(text__contains="does not wait for you any more").exists())

    def test_a_plan_that_was_sent_back_waits_again(self):
        trip = self.sent_trip(starts=20)
        services.end(self.tobias, "trip", trip.pk, "send_back", "Take the train", {}, trip.version)
        undoing.undo(self.tobias, "trip", trip.pk)
        self.assertEqual(Trip.objects.get(pk=trip.pk).state, "Awaiting sign-off")
        with self.done():
            self.approve_all("trip", trip.pk)


class MealTest(Deciding):
    @shows("R8.1")
    def test_a_meal_on_a_corrected_bill_takes_it_from_the_allowance(self):
        claim = self.checked_claim(costs=("80.00",))
        expense, before = claim.expenses.get(amount_minor=8000), self.due(claim)
        signed = {line.key: line.says for line in self.file(claim).figures.lines}
        self.assertGreater(signed["allowance"], eur(0))
        day = claim.trip.starts + timedelta(days=1)
        parts = [
            PartTyped(expense.category, "Dinner", eur(30), meal="dinner", day=day), PartTyped(expense.category, "Room", eur(50)),
        ]  # fmt: skip
        changes = lines.break_line_down(self.priya, claim.pk, claim.version, expense.pk, "The bill has a dinner", parts)
        now = {line.key: line.says for line in self.file(claim).figures.lines}
        self.assertLess(now["allowance"], signed["allowance"])
        self.assertEqual(self.due(claim), before + now["allowance"] - signed["allowance"])
        self.assertTrue(any("allowance" in change.label.casefold() for change in changes))
        # Taken off the bill again, it is earned again.
        claim = self.fresh(claim)
        if claim.state == "In sign-off":
            with self.done():
                self.approve_all("claim", claim.pk)
            claim = self.fresh(claim)
        lines.break_line_down(self.priya, claim.pk, claim.version, expense.pk, "No dinner after all", [])
        self.assertEqual(self.due(claim), before)

    def test_a_bill_that_is_broken_down_comes_to_what_its_parts_do(self):
        claim = self.checked_claim(costs=("80.00",))
        expense = claim.expenses.get()
        self.enter(self.priya)
        address = f"/bench/claim/{claim.pk}/correct/{expense.pk}/"
        self.assertContains(self.client.get(address), f'action="{address}parts/"')
        row = {
            "part-category": [expense.category] * 2,
            "part-label": ["Room", "Late check-out"],
            "part-amount": ["60", "12,50"],
        }
        blank = {name: ["", ""] for name in ("part-night", "part-meal", "part-tax", "part-code")}
        data = row | blank | {"version": claim.version}
        page = self.client.post(f"{address}parts/", data)
        self.assertContains(page, "Say why it is corrected", status_code=422)
        self.assertContains(page, "Late check-out", status_code=422)
        self.client.post(f"{address}parts/", data | {"why": "The bill says 72.50"})
        line = next(line for line in self.file(claim).figures.lines if line.key == expense.key)
        self.assertEqual(line.says, eur("72.50"))
        page = self.client.get("/bench/corrections/")
        self.assertContains(page, "The bill says 72.50")
        self.assertContains(page, "1 correction by finance")

    def test_lines_that_are_worked_out_move_by_what_moved_and_no_more(self):
        claim = self.checked_claim(costs=("80.00",))
        done = self.file(claim).figures
        line = next(each for each in done.lines if each.kind == "allowance")
        dearer = replace(line, says=line.says + eur(9))
        for was, now, wanted in (
            (line, dearer, line.says + eur(9)),
            (dearer, line, line.says - eur(9)),
            (dearer, dearer, line.says),
            (line, None, None),
            (None, None, line.says),
        ):
            with self.subTest(was=was and was.says, now=now and now.says):
                before = {line.key: was} if was else {}
                found = done.following(before, {line.key: now} if now else {})
                self.assertEqual({each.key: each.says for each in found.lines}.get(line.key), wanted)
                self.assertFalse([each for each in found.torn if each.key != dearer.key or now is not dearer])
