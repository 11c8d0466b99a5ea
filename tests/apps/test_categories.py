"""Categories from form to figure: who may use one, on which days, what it asks for, where it posts; and tables of them."""

from __future__ import annotations

import io
from dataclasses import replace
from datetime import timedelta
from decimal import Decimal

import openpyxl
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from tests.apps.test_laying_down import LaidDown
from tests.apps.world import eur
from tests.coverage import shows
from wainwright.claims.selectors import load_file
from wainwright.errors import Faults, NotAllowed, Refusal, Stale
from wainwright.expenses.models import Charge, Expense
from wainwright.expenses.proposals import Asked, propose_all, usual_category
from wainwright.expenses.services import editing, taking
from wainwright.masters.services import posting_to
from wainwright.rehearsal import in_force
from wainwright.rehearsal.categories import (
    CATEGORIES,
    CategoryTyped,
    Known,
    keep_category,
    meant_by,
    read_category,
    typed_of,
    uses_of,
)
from wainwright.rehearsal.category_table import as_rows, read_table, take_table
from wainwright.rehearsal.whom import Groups
from wainwright.rulebook.holding import renew
from wainwright.rulebook.models import Category
from wainwright.rulebook.selectors import rulebook
from wainwright.trips.services import plan

DAY = timedelta(days=1)
GIFTS = CategoryTyped("Gifts to hosts", "6420", words="Florist, bouquet", merchant_codes="5992", asks=["guests"])


class Categories(LaidDown):
    same_on_any_day = True

    def put(self, typed: CategoryTyped, since=None, code: str = "") -> Category:
        row = keep_category(self.callum, typed, code=code)
        row = in_force.put_in_force(CATEGORIES, self.callum, row.pk, since or self.today, CATEGORIES.digest(row))
        self.afresh()
        return row

    def afresh(self) -> None:
        for person in (self.maren, self.tobias, self.callum, self.priya):
            person.firm = self.firm()

    def now_typed(self, code: str) -> CategoryTyped:
        return typed_of(rulebook(self.firm()).categories[code], Groups.of(self.firm()))

    def cost(self, category: str, who=None, day=None, **more) -> Expense:
        values = {"guests": "", **more}
        return taking.type_cost(
            who or self.maren, day or self.today, "A shop", category, eur("20.00"), "self", Decimal(0), None, "things", values["guests"], 1
        )  # fmt: skip


class ByDayTest(Categories):
    @shows("S2.1")
    def test_a_new_one_is_offered_from_its_day_asked_and_posted(self):
        account = Category.objects.get(firm=self.firm(), code="meals").account
        row = self.put(replace(GIFTS, account=account, named="role approver"))
        self.assertEqual((row.code, row.words, row.groups), ("gifts-to-hosts", "florist, bouquet", ["role:approver"]))
        book = rulebook(self.firm())
        self.assertNotIn(row.code, book.choices(self.maren))
        self.assertIn(row.code, book.choices(self.tobias))
        with self.assertRaisesRegex(Refusal, "is not for Maren"):
            self.cost(row.code)
        with self.assertRaisesRegex(Refusal, "is for costs from"):
            self.cost(row.code, self.tobias, self.today - DAY)
        made = self.cost(row.code, self.tobias)
        claim = self.a_claim(who=self.tobias, costs=())
        Expense.objects.filter(pk=made.pk).update(claim=claim)
        file = load_file(
            self.tobias,
            type(claim)
            .objects.select_related("firm", "claimant__person", "claimant__firm", "trip__signed")
            .get(pk=claim.pk),
        )
        said = [each.finding for each in file.findings if each.finding.rule == "asks-gifts-to-hosts-guests"]
        self.assertEqual(len(said), 1)
        self.assertIn("does not say who was there. Gifts to hosts asks for it.", said[0].text)
        self.assertEqual(
            {part.coding.account for line in file.figures.lines for part in line.coded if part.category == row.code},
            {account},
        )

    def test_another_account_from_a_day_on_and_the_one_before_for_its_days(self):
        before = self.now_typed("meals")
        other = next(code for code in posting_to.Ledger.of(self.firm()).accounts if code != before.account)
        Category.objects.filter(firm=self.firm(), code="meals").update(since=self.today - 400 * DAY)
        self.put(replace(before, account=other, name="Food"), code="meals")
        book = rulebook(self.firm())
        old, new = book.categories_on(self.today - DAY)["meals"], book.categories_on(self.today)["meals"]
        self.assertEqual((old.account, new.account, new.name), (before.account, other, "Food"))
        self.assertEqual(old.until, self.today - DAY)
        claim = self.a_claim(costs=("20.00", "30.00"))
        claim.expenses.update(category="meals")
        today, earlier = claim.expenses.order_by("pk")
        Expense.objects.filter(pk=today.pk).update(date=self.today)
        Expense.objects.filter(pk=earlier.pk).update(date=self.today - DAY)
        again = (
            type(claim)
            .objects.select_related("firm", "claimant__person", "claimant__firm", "trip__signed")
            .get(pk=claim.pk)
        )
        lines = {line.key: line for line in load_file(self.maren, again).figures.lines}
        self.assertEqual(
            [lines[each.key].coded[0].coding.account for each in (today, earlier)], [other, before.account]
        )
        self.assertEqual([lines[each.key].category_name for each in (today, earlier)], ["Food", before.name])

    def test_an_end_and_what_stands_under_it_already(self):
        made = self.cost("parking")
        row = CATEGORIES.versions(self.firm(), "parking").get()
        in_force.end(CATEGORIES, self.callum, "parking", self.today, CATEGORIES.digest(row))
        self.afresh()
        self.assertIn("parking", rulebook(self.firm()).choices(self.maren))
        row.refresh_from_db()
        Category.objects.filter(pk=row.pk).update(until=self.today - 2 * DAY)
        renew(self.firm())
        self.afresh()
        with self.assertRaisesRegex(Refusal, "is for costs up to"):
            self.cost("parking")
        self.cost("parking", day=self.today - 3 * DAY)
        self.assertTrue(uses_of(self.firm(), "parking")[0].startswith("2 costs not posted"))
        # What stands there stays, as long as neither what it was for nor its day is changed.
        again = editing.change_cost(self.maren, made.pk, made.version, day=made.date, merchant="A garage", category="parking", amount=eur("21.00"), paid_by="self", tax_rate=Decimal(0), tax=None, description="", guests="", heads=1)  # fmt: skip
        self.assertEqual(again.merchant, "A garage")
        with self.assertRaisesRegex(Refusal, "is for costs up to"):
            plan.add_other(self.maren, self.a_trip(starts=5).pk, "parking", "Garage", 12, "self")
        proposed = propose_all(
            self.maren, [Asked("City parking garage"), Asked("City parking garage", day=self.today - 5 * DAY)]
        )
        self.assertEqual(next(each.category if each else "" for each in proposed) != "parking", True)
        self.assertEqual(proposed[1].category, "parking")

    def test_what_cannot_end_says_why(self):
        for code, words in (("lodging", "by themselves"), ("air", "by themselves")):
            row = CATEGORIES.versions(self.firm(), code).get()
            with self.assertRaisesRegex(Refusal, words):
                in_force.end(CATEGORIES, self.callum, code, self.today, CATEGORIES.digest(row))
        row = CATEGORIES.versions(self.firm(), "parking").get()
        with self.assertRaisesRegex(Refusal, "It has begun"):
            in_force.take_out(CATEGORIES, self.callum, "parking", CATEGORIES.digest(row))
        with self.assertRaises(NotAllowed):
            in_force.end(CATEGORIES, self.priya, "parking", self.today, CATEGORIES.digest(row))

    def test_nobody_is_proposed_what_they_may_not_use(self):
        self.put(replace(self.now_typed("supplies"), named="role administrator"), code="supplies")
        self.assertNotEqual(usual_category(self.maren), "supplies")
        self.assertEqual(usual_category(self.callum), "supplies")

    def test_finance_chooses_any_of_the_day_and_sets_accounts_for_what_comes(self):
        row = self.put(replace(GIFTS, account="", named="role administrator"), self.today + 20 * DAY)
        account = sorted(posting_to.Ledger.of(self.firm()).accounts)[0]
        posting_to.set_category(self.priya, row.code, account, "", "", "")
        row.refresh_from_db()
        self.assertEqual(row.account, account)
        with self.assertRaises(Refusal):
            posting_to.set_category(self.priya, row.code, "", "", "", "")


class TypedTest(Categories):
    def test_everything_that_is_wrong_is_said(self):
        known = Known.of(self.firm())
        with self.assertRaises(Faults) as wrong:
            read_category(known, CategoryTyped("Parking and tolls", "nowhere", tax_rate="900", tax_back="x", words="a", merchant_codes="58", asks=["shoes"], named="Nobody Here"))  # fmt: skip
        self.assertEqual(set(wrong.exception.faults), {"name", "account", "tax_rate", "tax_back", "words", "merchant_codes", "asks", "named"})  # fmt: skip
        for codes in ("5814-5811", "５８１１", "58 11", "5811--5814", "x" * 300):
            with self.assertRaises(Faults, msg=codes):
                read_category(known, replace(GIFTS, account="", merchant_codes=codes))
        self.assertEqual(read_category(known, replace(GIFTS, account="", merchant_codes="5811 – 5814; 7011")).merchant_codes, "5811-5814, 7011")  # fmt: skip

    def test_what_nights_stand_under_stays_lodging(self):
        with self.assertRaisesRegex(Faults, "no ceiling would apply"):
            keep_category(self.callum, replace(self.now_typed("lodging"), is_lodging=False), code="lodging")

    def test_two_administrators_and_a_name_that_was_taken_meanwhile(self):
        row = keep_category(self.callum, replace(GIFTS, account=""))
        seen = CATEGORIES.digest(row)
        keep_category(self.callum, replace(GIFTS, account="", words="gift"), row.pk, seen)
        with self.assertRaises(Stale):
            keep_category(self.callum, replace(GIFTS, account="", words="other"), row.pk, seen)
        row.refresh_from_db()
        Category.objects.filter(firm=self.firm(), code="parking").update(name="Gifts to hosts")
        with self.assertRaisesRegex(Refusal, "cannot be put in force as it is.*is called"):
            in_force.put_in_force(CATEGORIES, self.callum, row.pk, self.today, CATEGORIES.digest(row))

    def test_what_its_words_would_mean_is_shown_from_charges(self):
        Charge.objects.create(
            firm=self.firm(), owner=self.maren, card=self.maren.cards.first(), bank_id="florist", date=self.today, merchant="FLORIST BERGEN 221", currency="EUR", amount_minor=1800
        )  # fmt: skip
        meant, merchants, looked = meant_by(read_category(Known.of(self.firm()), replace(GIFTS, account="")))
        self.assertEqual(([each.merchant for each in meant], merchants), (["FLORIST BERGEN 221"], 1))
        self.assertGreaterEqual(looked, 1)
        # What another means first is said, and stays there.
        taken = replace(GIFTS, account="", words="restaurant")
        Charge.objects.filter(bank_id="florist").update(merchant="FLORIST RESTAURANT")
        meant, _, _ = meant_by(read_category(Known.of(self.firm()), taken))
        self.assertEqual([each.first for each in meant if each.merchant == "FLORIST RESTAURANT"], ["Meals with others"])


class TableTest(Categories):
    def text(self, *rows: str) -> bytes:
        return "\n".join(rows).encode()

    def test_out_and_in_again_changes_nothing(self):
        rows = as_rows(self.firm())
        book = openpyxl.Workbook()
        for row in [
            [
                "code",
                "name",
                "account",
                "account abroad",
                "accounts by country",
                "tax codes",
                "tax %",
                "tax back %",
                "words",
                "merchant codes",
                "lodging",
                "asks for",
                "for",
                "not for",
            ],
            *rows,
        ]:
            book.active.append(row)
        out = io.BytesIO()
        book.save(out)
        lines = read_table(self.firm(), out.getvalue())
        self.assertEqual([line.faults for line in lines if line.faults], [])
        self.assertFalse(any(line.new or line.changes for line in lines))
        with self.assertRaisesRegex(Refusal, "nothing to take"):
            take_table(self.callum, out.getvalue(), self.today)

    def test_three_bad_rows_and_nothing_is_done(self):
        table = self.text("code;name;asks for;merchant codes", ";Gifts;who was there;5992", "parking;Car parks;;", ";parking AND tolls;;", "nope;X;;", ";Boats;shoes;1")  # fmt: skip
        lines = read_table(self.firm(), table)
        self.assertEqual([bool(line.faults) for line in lines], [False, False, True, True, True])
        self.assertIn("asks for: A cost has no shoes", " ".join(lines[4].faults))
        before = Category.objects.count()
        with self.assertRaisesRegex(Refusal, "nothing was taken"):
            take_table(self.callum, table, self.today)
        self.assertEqual(Category.objects.count(), before)
        good = self.text("code;name;asks for", ";Gifts;who was there", "parking;Car parks;")
        with self.assertRaisesRegex(Refusal, "today or later"):
            take_table(self.callum, good, self.today - DAY)
        self.put(replace(self.now_typed("parking"), words="garage"), self.today + 30 * DAY, "parking")
        with self.assertRaisesRegex(Refusal, "Row 3, Car parks: The same category begins anew"):
            take_table(self.callum, good, self.today)
        row = CATEGORIES.versions(self.firm(), "parking").first()
        in_force.take_out(CATEGORIES, self.callum, "parking", CATEGORIES.digest(row))
        in_force.drop_draft(CATEGORIES, self.callum, row.pk, CATEGORIES.digest(Category.objects.get(pk=row.pk)))
        self.assertEqual(take_table(self.callum, good, self.today), (1, 1))
        now = rulebook(self.firm()).categories
        # A column that was not there left what was there.
        self.assertEqual(
            (now["parking"].name, bool(now["parking"].words), now["gifts"].asks), ("Car parks", True, ["guests"])
        )

    def test_hostile_files(self):
        for content in (b"", b"\x00\x01", b"PK\x03\x04broken", b"name\n", b"only;that\n1;2", b"name\n" + b"x\n" * 3000):
            with self.assertRaises(Refusal):
                read_table(self.firm(), content)


class PagesTest(Categories):
    def setUp(self):
        super().setUp()
        self.browser = Client()
        self.browser.force_login(self.callum.person)

    def form(self, **more) -> dict:
        return {"name": "Gifts to hosts", "words": "florist", "tax_back": "100", "seen": "", "changes": "", **more}

    @shows("S2.1")
    def test_typed_kept_in_force_and_found(self):
        answer = self.browser.post("/rules/categories/new/", self.form(account="nowhere", words="florist, x"))
        self.assertContains(answer, "Account nowhere is not open", status_code=422)
        self.assertContains(answer, 'value="Gifts to hosts"', status_code=422)
        self.browser.post("/rules/categories/new/", self.form())
        row = Category.objects.get(firm=self.firm(), draft=True)
        tried = self.browser.post("/rules/categories/try/", self.form(words="hotel", changes=row.code))
        self.assertContains(tried, "may use it")
        answer = self.browser.post(
            f"/rules/categories/drafts/{row.pk}/force/", {"seen": CATEGORIES.digest(row), "on": "2001-01-01"}
        )
        self.assertContains(answer, "today or later", status_code=422)
        answer = self.browser.post(
            f"/rules/categories/drafts/{row.pk}/force/", {"seen": CATEGORIES.digest(row), "on": str(self.today)}
        )
        self.assertRedirects(answer, f"/rules/categories/of/{row.code}/")
        self.assertContains(self.browser.get("/rules/categories/?q=florist"), "Gifts to hosts")
        self.assertContains(self.browser.get("/rules/categories/?q=nothing-like-it"), "No category has")
        with self.assertNumQueries(7):
            self.browser.get("/rules/categories/")

    def test_a_table_through_the_page(self):
        good = SimpleUploadedFile("c.csv", b"name;words\nGifts;florist\n")
        answer = self.browser.post("/rules/categories/look/", {"file": good})
        self.assertContains(answer, "Put the table in force")
        self.assertFalse(Category.objects.filter(firm=self.firm(), name="Gifts").exists())
        answer = self.browser.post(
            "/rules/categories/take/", {"table": "name,words\r\nGifts,florist\r\n", "on": "soon"}
        )
        self.assertContains(answer, "Choose from which day on", status_code=422)
        self.assertContains(answer, "florist", status_code=422)
        self.browser.post(
            "/rules/categories/take/", {"table": "name,words\r\nGifts,florist\r\n", "on": str(self.today)}
        )
        self.assertTrue(Category.objects.filter(firm=self.firm(), name="Gifts", draft=False).exists())
        self.assertEqual(self.browser.get("/rules/categories.xlsx")["Content-Type"], "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet")  # fmt: skip
        self.assertIn(b"Gifts", b"".join(self.browser.get("/rules/categories.csv").streaming_content))

    def test_a_code_of_before_may_be_of_any_letters(self):
        Category.objects.create(firm=self.firm(), code="Hotel & Co, Ø", name="Rooms by the sea", account="")
        renew(self.firm())
        page = self.browser.get("/rules/categories/?q=rooms")
        self.assertContains(page, "/rules/categories/of/Hotel%20%26%20Co%2C%20%C3%98/")
        page = self.browser.get("/rules/categories/of/Hotel%20%26%20Co%2C%20%C3%98/")
        self.assertContains(page, "Rooms by the sea")
        row = CATEGORIES.versions(self.firm(), "Hotel & Co, Ø").get()
        answer = self.browser.post(
            "/rules/categories/of/Hotel%20%26%20Co%2C%20%C3%98/end/",
            {"seen": CATEGORIES.digest(row), "end-on": str(self.today)},
        )
        self.assertEqual(answer.status_code, 302)

    def test_finance_sets_what_holds_and_never_a_draft_instead(self):
        before = self.now_typed("meals")
        accounts = sorted(posting_to.Ledger.of(self.firm()).accounts - {before.account})
        keep_category(self.callum, replace(before, account=accounts[0]), code="meals")
        posting_to.set_category(self.priya, "meals", accounts[1], "", "", "")
        rows = {row.draft: row.account for row in Category.objects.filter(firm=self.firm(), code="meals")}
        self.assertEqual(rows, {False: accounts[1], True: accounts[0]})
        Category.objects.filter(firm=self.firm(), code="parking").update(until=self.today - DAY)
        renew(self.firm())
        finance = Client()
        finance.force_login(self.priya.person)
        self.assertNotContains(finance.get("/ledger/masters/categories/"), 'id="set-parking"')
        with self.assertRaises(Stale):
            posting_to.set_category(self.priya, "parking", accounts[1], "", "", "")
