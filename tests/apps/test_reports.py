"""Reports: every question answers everybody who may ask it, sums are exact however it is turned, nothing typed is lost."""

import io
import json
from datetime import datetime, timedelta
from decimal import Decimal
from pathlib import Path
from unittest import mock
from urllib.parse import parse_qs
from zoneinfo import ZoneInfo

from django.core import mail
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.utils import translation
from openpyxl import load_workbook

from tests.apps.world import OFFICE, WorldTestCase
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.models import Code, Period
from wainwright.core.table import ADDED, Column, Row, Table
from wainwright.errors import Refusal
from wainwright.people.models import Membership, Person
from wainwright.reports import following, keeping, sending
from wainwright.reports.answering import answer, thing_rows, things
from wainwright.reports.asked import read
from wainwright.reports.catalogue import reports
from wainwright.reports.files import MOST_ROWS, Told, file_of
from wainwright.reports.models import Kept, Run, Sending
from wainwright.reports.reader import Reader

MOST = 15


class ReportsTestCase(WorldTestCase):
    def ask(self, member, key, **data):
        """Ask a report as an address would."""
        report, reader = reports()[key], Reader(member)
        if report.span == "this-year":
            # On the first days of a year nothing was spent in it yet.
            data = {"span": "12-months"} | data
        found = read(
            report, reader, {name: value if isinstance(value, list) else [value] for name, value in data.items()}
        )
        return report, reader, found

    def table(self, member, key, **data):
        report, reader, found = self.ask(member, key, **data)
        return answer(report, reader, found.asked).table

    def spend(self):
        """A claim paid for by one, sent by another, a trip ahead, and a loose cost."""
        self.posted = self.cleared_claim(costs=("30.00", "12.00"))
        self.sent = self.sent_claim(who=self.aiko, costs=("55.00",))
        self.ahead = self.authorised_trip(starts=20)
        self.loose = self.a_cost(amount="7.50")
        following.catch_up(self.maren.firm)


class AnswersTest(ReportsTestCase):
    same_on_any_day = True

    @shows("I1.1", "I5.1", "X1.1")
    def test_every_report_answers_by_everything_and_comes_to_the_same(self):
        self.spend()
        asked = 0
        for key, report in reports().items():
            for member in (self.priya, self.maren, self.benedikt):
                if not report.open_to(member):
                    continue
                whole = self.table(member, key, of="")
                for column in whole.columns:
                    self.assertTrue(column.words)
                if report.rows is None:
                    continue
                for dim in report.dims(Reader(member)):
                    grouped = self.table(member, key, by=dim.key, of="", across="")
                    asked += 1
                    for n, column in enumerate(grouped.columns):
                        if column.kind in ADDED and grouped.rows and any(m.key == column.key for m in report.measures):
                            self.assertEqual(
                                sum(row.cells[n] for row in grouped.rows), grouped.total[n], (key, dim.key, column.key)
                            )
                    self.same_behind(member, key, dim.key, grouped)
        self.assertGreater(asked, 150)

    def same_behind(self, member, key, dim, grouped):
        """Behind each row are the things whose count the row has."""
        places = [n for n, column in enumerate(grouped.columns) if column.key == "count"]
        for row in grouped.rows[:3]:
            report, reader, found = self.ask(
                member, key, of=[f"{dim_}:{part}" for dim_, part in row.of], by=dim, across=""
            )
            behind = list(things(report, reader, found.asked))
            if places:
                self.assertEqual(len(behind), row.cells[places[0]], (key, dim, row.of))
            thing_rows(report, reader, behind)

    @shows("I4.1")
    def test_across_and_against_keep_the_sum(self):
        self.spend()
        plain = self.table(self.priya, "spend-by-category", of="").total[1]
        turned = self.table(self.priya, "spend-by-category", of="", by="category", across="person")
        self.assertEqual(turned.total[-1], plain)
        compared = self.table(self.priya, "spend-by-category", of="", against="year")
        self.assertEqual((compared.total[1], compared.total[2], compared.total[3]), (plain, 0, plain))
        before = self.table(
            self.priya, "spend-by-month", of="", by="month", across="", against="before", span="this-month"
        )
        self.assertEqual(before.columns[2].kind, "money")

    def test_a_reader_sees_their_own_alone_and_owners_what_is_coded_to_them(self):
        self.spend()
        names = [row.cells[0] for row in self.table(self.maren, "spend-by-person", of="").rows]
        self.assertEqual(names, [self.maren.person.name])
        everybody = [row.cells[0] for row in self.table(self.priya, "spend-by-person", of="").rows]
        self.assertIn(self.aiko.person.name, everybody)
        Code.objects.filter(firm=self.maren.firm, code__in=[code for _, code in OFFICE.codes]).update(
            owner=self.ottilie
        )
        owner = Membership.objects.select_related("person", "firm").get(pk=self.ottilie.pk)
        seen = self.table(owner, "spend-by-coding", of="")
        self.assertTrue(seen.rows)
        report, reader, found = self.ask(owner, "spend-by-coding", of="")
        rows = thing_rows(report, reader, list(things(report, reader, found.asked)))
        self.assertIn("", [row.link for row in rows])

    def test_conditions_are_found_by_any_part_of_a_name(self):
        self.spend()
        for typed, of in (
            ("posted", "stage:5"),
            ("spent", "stage:spent"),
            ("Aiko Brandt", f"person:{self.aiko.pk}"),
            ("taxi", "category:taxi"),
            ("3120", "coding.cost_centre:3120"),
        ):
            with self.subTest(typed):
                _, _, found = self.ask(self.priya, "spend-by-month", of="", add=typed)
                self.assertEqual([f"{dim}:{part}" for dim, part in found.asked.of], [of], found)
        _, _, found = self.ask(self.priya, "spend-by-month", of="", add="a")
        self.assertGreater(len(found.choices), 1)
        self.assertIn("several", found.faults["add"])
        _, _, found = self.ask(self.priya, "spend-by-month", of="", add="zzzz")
        self.assertIn("is none of", found.faults["add"])
        meant = found.choices
        _, _, found = self.ask(self.priya, "spend-by-month", of="", add="a", chosen="category:air")
        self.assertEqual((found.asked.of, found.choices), ((("category", "air"),), ()))
        self.assertEqual(meant, ())
        # Whoever reads their own alone finds nobody else.
        _, _, found = self.ask(self.maren, "spend-by-month", of="", add="Aiko")
        self.assertIn("add", found.faults)

    def test_whoever_prepares_sees_what_the_traveller_spent_and_not_what_they_own_or_were_paid(self):
        self.spend()
        Code.objects.filter(firm=self.maren.firm, code__in=[code for _, code in OFFICE.codes]).update(owner=self.maren)
        self.assertGreater(len(self.table(self.maren, "spend-by-person", of="").rows), 1)
        self.maren.prepared_by = self.aiko
        try:
            self.assertEqual(len(self.table(self.maren, "spend-by-person", of="").rows), 1)
            self.assertFalse(reports()["persons-year"].open_to(self.maren))
        finally:
            self.maren.prepared_by = None

    def test_what_is_wrong_in_an_address_is_said_and_there_is_an_answer_beside_it(self):
        self.enter(self.priya)
        for query, words in (
            ("span=days&since=1996-01-01&until=2026-01-01", "Choose 11 at most"), ("span=days&since=2026-02-30&until=x", "Write each day"),
            ("span=never", "Choose which time"), ("of=nothing:1", "none that the report knows"), ("of=coding.cost_centre:gone", "Nothing fits the question"),
            ("add=" + "9" * 400, "is none of"),
        ):  # fmt: skip
            with self.subTest(query):
                self.assertContains(self.client.get(f"/reports/spend-by-month/?{query}"), words)
        for text in ("<script>alert(1)</script>", "\x00", "9" * 400, "0001-01-01", "-1", "nan", "२"):
            for name in (
                "span",
                "by",
                "across",
                "against",
                "of",
                "add",
                "order",
                "measure",
                "picture",
                "columns",
                "had",
                "without",
                "page",
                "since",
                "until",
            ):
                for key in ("spend-by-month", "bookings"):
                    path = f"/reports/{key}/"
                    for page in ("", "things/") if key == "bookings" else ("",):
                        response = self.client.get(
                            path + page,
                            {name: text, "span": "days" if name in ("since", "until") else "this-year"}
                            if name != "span"
                            else {name: text},
                        )
                        self.assertIn(response.status_code, (200, 302, 403, 404, 422), (key, name, text))
        for of in (
            "month:2026-99",
            "week:x",
            "weekday:9",
            "person:abc",
            "person:" + "9" * 300,
            "stage:99",
            "early:77",
            "coding.cost_centre:'",
            "country:" + "Z" * 300,
            "year:99999",
        ):
            for key in ("spend-by-month", "bookings"):
                self.assertIn(self.client.get(f"/reports/{key}/", {"of": of}).status_code, (200,), of)

    def test_pages_take_few_queries_whatever_there_is(self):
        self.spend()
        for member in (self.priya, self.maren):
            self.enter(member)
            for path in (
                "/reports/",
                *(f"/reports/{key}/" for key, each in reports().items() if each.open_to(member)),
                "/reports/spend-by-month/things/?of=stage:spent",
            ):
                self.client.get(path)
                with CaptureQueriesContext(
                    connection,
                ) as taken:
                    self.assertEqual(self.client.get(path).status_code, 200, path)
                self.assertLessEqual(len(taken), MOST, path)

    @shows("I5.1")
    def test_budgets_say_what_they_come_to(self):
        self.spend()
        table = self.table(self.priya, "budgets")
        for row in table.rows:
            given, actual, committed, left, _, then, over = row.cells[1:]
            self.assertEqual(left, given - actual - committed)
            self.assertGreaterEqual(then, actual + committed)
            self.assertEqual(over, max(then - given, 0))
        self.assertEqual(self.table(self.aiko, "budgets").rows, ())

    @shows("I5.1")
    def test_how_long_it_takes_is_told_from_the_trail(self):
        claim = self.checked_claim()
        later = clock.now() + timedelta(days=4)
        with clock.at(later):
            claim.refresh_from_db()
            from wainwright.claims.services import road  # noqa: PLC0415

            road.clear(self.priya, claim.pk, claim.version)
            table = self.table(self.priya, "stage-times")
        (row,) = [row for row in table.rows if row.cells[0] == "In finance check"]
        self.assertEqual((row.cells[2], row.cells[3], row.cells[5]), (1, Decimal("4.0"), 0))


class HowToTest(ReportsTestCase):
    same_on_any_day = True

    def test_the_example_that_is_shown_answers(self):
        text = (Path(__file__).resolve().parents[2] / "docs" / "how-to" / "add-a-report.md").read_text(encoding="utf-8")
        code = text.partition("```python\n")[2].partition("```")[0]
        self.assertLess(code.count("\n"), 60)
        made: dict[str, object] = {}
        exec(code, made)
        report, reader = made["REPORT"], Reader(self.priya)
        for data in ({}, {"by": ["person"], "across": ["month"]}, {"against": ["year"]}):
            asked = read(report, reader, data).asked
            answer(report, reader, asked)
        self.assertEqual(list(things(report, reader, asked)), [])


class FilesTest(ReportsTestCase):
    same_on_any_day = True

    @shows("I2.1")
    def test_an_answer_goes_out_in_every_form_with_how_it_was_asked(self):
        self.spend()
        self.a_cost(amount="3.00", merchant='=HYPERLINK("x")')
        self.enter(self.priya)
        question = "?by=merchant&of=&across=&span=this-year"
        book = load_workbook(io.BytesIO(self.client.get(f"/reports/spend-by-merchant/file.xlsx{question}").content))
        sheet, how = book["Answer"], book["How it was asked"]
        self.assertEqual(sheet.freeze_panes, "A2")
        texts = [cell.value for row in sheet.iter_rows() for cell in row if cell.data_type == "f"]
        self.assertTrue(texts and all(str(text).startswith("=SUM(") for text in texts))
        self.assertTrue(any("by merchant" in str(row[1].value) for row in how.iter_rows()))
        data = json.loads(self.client.get(f"/reports/spend-by-merchant/file.json{question}").content)
        self.assertEqual(sum(Decimal(row["amount"]) for row in data["rows"]), Decimal(data["total"]["amount"]))
        text = self.client.get(f"/reports/spend-by-merchant/file.csv{question}&things=1").content.decode()
        self.assertIn("'=", text)
        pdf = self.client.get(f"/reports/spend-by-merchant/file.pdf{question}")
        self.assertTrue(pdf.content.startswith(b"%PDF"))
        self.assertEqual(self.client.get("/reports/spend-by-merchant/file.exe").status_code, 404)

    def test_too_much_for_a_pdf_is_refused_with_another_way(self):
        table = Table((Column("a", "a"),), tuple(Row((str(n),)) for n in range(MOST_ROWS + 1)))
        told = Told("x", "y", self.priya, "today")
        with self.assertRaisesRegex(Refusal, "Take it as XLSX or CSV"):
            file_of("pdf", told, table)
        self.assertTrue(file_of("csv", told, table))


class KeepingTest(ReportsTestCase):
    def keep(self, member, name="Mondays", key="spend-by-category", shared=False, **data):
        report, _, found = self.ask(member, key, **({"of": ""} | data))
        return keeping.keep(member, report, found.asked, name, shared)

    def send(self, member, kept, every="week", to="Priya Sundqvist", forms=("csv",), **more):
        with self.done():
            return sending.set_sending(member, kept.pk, sending.SendingTyped(every, forms=forms, to=to, **more))

    @shows("I3.2", "I4.1")
    def test_a_question_is_kept_asked_again_and_stands_on_the_shelf(self):
        self.spend()
        kept = self.keep(self.priya, shared=True, by="person", span="this-year")
        self.assertEqual(
            parse_qs(self.ask(self.priya, kept.report, **kept.asked)[2].asked.address(), keep_blank_values=True)["by"],
            ["person"],
        )
        self.assertEqual([each.pk for each in keeping.on_shelves(self.aiko)], [kept.pk])
        self.assertEqual(keeping.on_shelves(self.liv), [])
        with self.assertRaisesRegex(Refusal, "finance and auditors"):
            self.keep(self.maren, shared=True)
        with self.assertRaisesRegex(Refusal, "who kept it"):
            keeping.drop(self.maren, kept.pk)
        self.enter(self.maren)
        page = self.client.get(f"/reports/kept/{kept.pk}/")
        self.assertNotContains(page, 'id="send"')
        self.enter(self.liv)
        self.assertEqual(self.client.get(f"/reports/kept/{kept.pk}/").status_code, 404)

    @shows("I3.2")
    def test_an_answer_stays_as_it_was_and_two_are_compared(self):
        self.spend()
        report, _, found = self.ask(self.priya, "spend-by-person", of="")
        first = keeping.keep_answer(self.priya, report, found.asked.data())
        self.a_cost(who=self.aiko, amount="100.00")
        following.catch_up(self.maren.firm)
        second = keeping.keep_answer(self.priya, report, found.asked.data())
        self.assertEqual(keeping.table_of(second).total[1] - keeping.table_of(first).total[1], 100)
        self.enter(self.priya)
        page = self.client.get(f"/reports/runs/{second.pk}/?with={first.pk}")
        self.assertContains(page, "Aiko Brandt")
        self.assertContains(page, "100.00")
        self.assertNotContains(page, "Maren Oyelaran</td>")
        self.enter(self.maren)
        self.assertEqual(self.client.get(f"/reports/runs/{second.pk}/").status_code, 404)
        self.assertEqual(self.client.get(f"/reports/runs/{second.pk}/file.csv").status_code, 404)

    def monday(self):
        """The next Monday at eight."""
        today = self.today
        day = today + timedelta(days=(7 - today.weekday()) % 7 or 7)
        return datetime.combine(day, datetime.min.time(), ZoneInfo(self.maren.firm.zone)) + timedelta(hours=8)

    def test_said_on_its_own_day_it_waits_for_its_hour_and_after_it_for_the_next_week(self):
        self.spend()
        monday = self.monday()
        for hours, wanted in ((-7, monday.date()), (1, monday.date() + timedelta(weeks=1))):
            mail.outbox.clear()
            with clock.at(monday + timedelta(hours=hours)):
                kept = self.keep(self.priya, name=f"At {hours}")
                self.send(self.priya, kept, hour="8")
            self.assertEqual((Sending.objects.get(kept=kept).day, mail.outbox), (wanted, []))

    @shows("I3.1")
    def test_it_goes_out_every_monday_once_to_each_as_they_see_it(self):
        self.spend()
        kept = self.keep(self.priya)
        self.send(self.priya, kept, to="Priya Sundqvist, aiko.brandt@brackwater.example")
        mail.outbox.clear()
        for weeks in range(2):
            with clock.at(self.monday() + timedelta(weeks=weeks)):
                for _ in range(2):
                    with self.done():
                        sending.send_due()
        self.assertEqual(len(mail.outbox), 4)
        by = {each.to[0]: each for each in mail.outbox[:2]}
        whole, own = (by[who].attachments[0][1] for who in (self.priya.person.email, self.aiko.person.email))
        self.assertIn("104.50", str(whole))
        self.assertNotIn("104.50", str(own))
        run = Run.objects.filter(kept=kept).first()
        self.assertEqual((run.state, [became for _, became in run.sent]), ("Done", ["sent", "sent"]))

    def test_two_people_of_one_name_both_get_it(self):
        self.spend()
        kept = self.keep(self.priya)
        self.send(
            self.priya, kept, to="Priya Sundqvist, aiko.brandt@brackwater.example, maren.oyelaran@brackwater.example"
        )
        Person.objects.filter(pk=self.maren.person_id).update(name=self.aiko.person.name)
        mail.outbox.clear()
        with clock.at(self.monday()), self.done():
            sending.send_due()
        people = (self.priya, self.aiko, self.maren)
        self.assertEqual({each.to[0] for each in mail.outbox}, {who.person.email for who in people})
        self.assertEqual([became for _, became in Run.objects.get(kept=kept).sent], ["sent"] * 3)

    def test_who_may_have_it_is_asked_at_each_run(self):
        self.spend()
        kept = self.keep(self.priya, key="corrections")
        self.send(self.priya, kept, to="Aiko Brandt, Priya Sundqvist")
        mail.outbox.clear()
        with clock.at(self.monday()), self.done():
            sending.send_due()
        run = Run.objects.get(kept=kept)
        self.assertEqual(run.sent[0], ["Aiko Brandt", "not sent: the report is not open to them"])
        self.assertEqual((run.state, len(mail.outbox)), ("Empty", 1))
        self.assertIn("came empty", mail.outbox[0].subject)
        Membership.objects.filter(pk=self.priya.pk).update(active=False)
        with clock.at(self.monday() + timedelta(weeks=1)), self.done():
            sending.send_due()
        self.assertIn("has left the firm", Sending.objects.get(kept=kept).stopped)
        self.assertEqual(len(mail.outbox), 1)

    def test_addresses_outside_the_firm_and_unknown_names_are_refused_and_nothing_typed_is_lost(self):
        kept = self.keep(self.priya)
        for to, words in (
            ("eve@elsewhere.example", "not an address of the firm"),
            ("Nobody Here", "Nobody of the firm"),
            ("", "Say to whom"),
            (", ".join(f"n{n}" for n in range(60)), "50 at most"),
        ):
            with self.subTest(to), self.assertRaisesRegex(Refusal, words):
                sending.set_sending(self.priya, kept.pk, sending.SendingTyped("week", to=to))
        self.enter(self.priya)
        response = self.client.post(
            f"/reports/kept/{kept.pk}/send/",
            {"every": "once", "day": "1999-01-01", "to": "Priya Sundqvist", "forms": ["pdf"]},
        )
        self.assertContains(response, "from today on", status_code=422)
        self.assertContains(response, 'value="Priya Sundqvist"', status_code=422)
        response = self.client.post("/reports/spend-by-month/keep/", {"asked": "by=person&of=", "name": "x"})
        self.assertContains(response, "two letters", status_code=422)
        self.assertContains(response, 'value="x"', status_code=422)

    def test_a_link_of_a_mail_is_of_its_firm_wherever_its_reader_works_now(self):
        self.spend()
        kept = self.keep(self.priya)
        mail.outbox.clear()
        self.send(self.priya, kept, "once", "Benedikt Okafor", (), day=str(self.today))
        link = next(word for word in mail.outbox[0].body.split() if "/reports/" in word)
        path = "/reports/" + link.partition("/reports/")[2]
        self.enter(self.benedikt)
        self.assertContains(self.client.get(path), "104.50")
        other = Membership.objects.select_related("firm", "person").get(person=self.benedikt.person, firm__slug="norge")
        # The other firm writes in bokmål; this reader chose English.
        type(other.person).objects.filter(pk=other.person_id).update(language="en")
        self.enter(other)
        page = self.client.get(path)
        self.assertContains(page, "This is a question of Brackwater Survey Ltd")
        self.assertNotContains(page, "104.50")
        Membership.objects.filter(pk=self.benedikt.pk).update(active=False)
        self.assertContains(self.client.get(path), "not of, or not any more")

    def test_a_mail_list_of_the_firm_gets_what_its_owner_sees_now(self):
        self.spend()
        kept = self.keep(self.priya)
        mail.outbox.clear()
        self.send(self.priya, kept, "once", "board@brackwater.example", ("json",), day=str(self.today))
        (sent,) = mail.outbox
        self.assertEqual(sent.to, ["board@brackwater.example"])
        self.assertIn("104.50", str(sent.attachments[0][1]))
        self.assertIsNone(Sending.objects.get(kept=kept).day)

    def test_the_files_of_a_mail_are_in_the_language_of_who_gets_it_and_those_of_a_list_in_the_firms(self):
        self.spend()
        kept = self.keep(self.priya)
        type(self.aiko.person).objects.filter(pk=self.aiko.person_id).update(language="nb")
        type(self.priya.firm).objects.filter(pk=self.priya.firm_id).update(language="de")
        mail.outbox.clear()
        to = "Aiko Brandt, board@brackwater.example"
        self.send(self.priya, kept, "once", to, ("csv", "xlsx", "json"), day=str(self.today))
        for sent, head, sheet, set_up in zip(
            mail.outbox, ("kategori", "Kategorie"), ("Slik ble det spurt", "Wie gefragt wurde"), ("Hei", "Eingerichtet von"), strict=True
        ):  # fmt: skip
            files = {each[0].rpartition(".")[2]: each[1] for each in sent.attachments}
            book = load_workbook(io.BytesIO(files["xlsx"]))
            with self.subTest(sent.to):
                self.assertIn(head, files["csv"].partition("\n")[0])
                self.assertEqual([book.worksheets[0].cell(1, 1).value, book.sheetnames[1]], [head, sheet])
                self.assertEqual(json.loads(files["json"])["columns"][0]["name"], head)
                self.assertIn(set_up, sent.body)

    def test_a_report_is_found_by_its_name_in_the_readers_language_and_in_english(self):
        type(self.priya.person).objects.filter(pk=self.priya.person_id).update(language="nb")
        self.enter(self.priya)
        for typed in ("forbruk etter kategori", "spend by category"):
            self.assertContains(self.client.get("/reports/", {"q": typed}), "/reports/spend-by-category/")
        reader = Reader(self.priya)
        stage = next(dim for dim in reports()["spend-by-category"].dims(reader) if dim.key == "stage")
        with translation.override("nb"):
            found = [[part.id for part in stage.find(reader, typed)] for typed in ("bokført", "posted")]
        self.assertEqual((found[0], len(found[0])), (found[1], 1))

    def test_after_a_month_is_closed_and_at_its_end(self):
        self.spend()
        kept = self.keep(self.priya)
        self.send(self.priya, kept, "closed")
        with self.done():
            sending.send_due()
        self.assertFalse(Run.objects.exists())
        month = self.today.replace(day=1) - timedelta(days=1)
        Period.objects.create(firm=self.priya.firm, month=month.replace(day=1), by=self.priya, time=clock.now())
        for _ in range(2):
            with self.done():
                sending.send_due()
        self.assertEqual(Run.objects.filter(kept=kept).count(), 1)
        ends = [
            sending.next_day("month", 0, day)
            for day in (
                self.today.replace(month=1, day=31),
                self.today.replace(month=1, day=30),
                self.today.replace(year=2027, month=2, day=1),
            )
        ]
        self.assertEqual(
            [(day.month, day.day) for day in ends], [(2, 29 if self.today.year % 4 == 0 else 28), (1, 31), (2, 28)]
        )

    def test_what_is_not_there_any_more_is_said_and_nothing_else_is_sent_in_its_place(self):
        self.spend()
        kept = self.keep(self.priya)
        Kept.objects.filter(pk=kept.pk).update(asked=kept.asked | {"of": ["coding.gone:1"]})
        mail.outbox.clear()
        self.send(self.priya, kept, "once", day=str(self.today))
        run = Run.objects.get(kept=kept)
        self.assertEqual(run.state, "Failed")
        self.assertIn("none that the report knows", run.problem)
        self.assertIn("could not be worked out", mail.outbox[0].subject)
        self.assertEqual(mail.outbox[0].attachments, [])
        self.enter(self.priya)
        page = self.client.get("/reports/spend-by-month/file.csv?of=coding.gone:1")
        self.assertContains(page, "none that the report knows", status_code=422)

    def test_what_fails_is_told_once_and_not_tried_for_ever(self):
        kept = self.keep(self.priya)
        mail.outbox.clear()
        with (
            mock.patch.object(sending, "_seen", side_effect=OSError("disk")),
            self.assertLogs("wainwright.reports.sending", "ERROR"),
        ):
            self.send(self.priya, kept, "once", day=str(self.today))
        self.assertEqual([Run.objects.get(kept=kept).state, len(mail.outbox)], ["Failed", 1])
        with clock.at(clock.now() + timedelta(hours=1)), self.done():
            sending.send_due()
        self.assertEqual(len(mail.outbox), 1)

    def on_its_way(self, kept, row, **more):
        """A run of a sending that nobody has ended."""
        return Run.objects.create(
            firm=kept.firm, by=self.priya, report=kept.report, kept=kept, sending=row, title="x", asked=kept.asked, time=clock.now(), **more
        )  # fmt: skip

    def test_a_run_on_its_way_is_called_off_and_one_that_broke_off_goes_on(self):
        kept = self.keep(self.priya)
        row = self.send(self.priya, kept)
        run = self.on_its_way(kept, row, sent=[["Priya Sundqvist", "sent"]])
        mail.outbox.clear()
        with clock.at(clock.now() + timedelta(minutes=20)), self.done():
            sending.send_due()
        run.refresh_from_db()
        # Whoever was sent it before it broke off is not sent it twice.
        self.assertEqual((run.state in ("Done", "Empty"), mail.outbox), (True, []))
        waiting = self.on_its_way(kept, row)
        sending.call_off(self.priya, waiting.pk)
        with self.assertRaisesRegex(Refusal, "ended already"):
            sending.call_off(self.priya, waiting.pk)
        with self.assertRaisesRegex(Refusal, "ended already"):
            sending.call_off(self.maren, waiting.pk)
        self.enter(self.priya)
        self.assertContains(self.client.get(f"/reports/runs/{waiting.pk}/"), "Called off")
        self.client.post(f"/reports/sendings/{row.pk}/off/")
        self.client.post(f"/reports/kept/{kept.pk}/drop/")
        self.assertFalse(Kept.objects.exists())
        self.assertTrue(Run.objects.filter(pk=run.pk).exists())
