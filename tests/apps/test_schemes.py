"""Schemes and allowance rates as an administrator keeps them: drafts, in force from a day, tried before; tables of rates."""

from dataclasses import replace
from datetime import timedelta
from decimal import Decimal
from io import BytesIO

import openpyxl
from django.core.files.uploadedfile import SimpleUploadedFile

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright import clock
from wainwright.core.allowance import Rate, Rates, rate_for
from wainwright.core.allowance.reading import SchemeFaults
from wainwright.core.journey import Place
from wainwright.core.money import Money
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.formats.places import best_place
from wainwright.people.models import Firm
from wainwright.rehearsal.earning import Instead, compared, nights_of
from wainwright.rehearsal.models import Rehearsal
from wainwright.rulebook import rate_sheets, schemes
from wainwright.rulebook.models import AllowanceRate, RateSheet, SchemeData
from wainwright.rulebook.selectors import rulebook
from wainwright.trail.models import Entry
from wainwright.trips.figures import MADE
from wainwright.trips.models import Trip
from wainwright.trips.selectors import load_file

HALF = 'code = "HALF"\nname = "half"\nsince = "2026-01-01"\nwindow = "day"\nrows = [{ pays = { share = "0.5" } }]\n'


class DraftsTest(WorldTestCase):
    def fresh(self) -> Firm:
        return Firm.objects.get(pk=self.callum.firm_id)

    @shows("S4.1")
    def test_from_a_draft_to_what_a_traveller_earns(self):
        trip = self.a_trip(starts=20, days=3)
        row = schemes.keep_draft(self.callum, HALF)
        self.assertIsNone(row.since)
        self.assertEqual(rulebook(self.fresh()).scheme.code, "BW-1")
        since = trip.starts + timedelta(days=1)
        row = schemes.put_in_force(self.callum, row.pk, since, schemes.digest(row))
        again = Trip.objects.select_related("firm", "traveller").get(pk=trip.pk)
        found = load_file(self.maren, again).figures.allowance
        self.assertEqual([str(day.amount) for day in found.days], ["43.50", "29.00", "29.00"])
        self.assertIn("(HALF)", found.days[1].workings.lines()[0])
        self.assertEqual(Entry.objects.filter(what="put a scheme in force").count(), 1)
        # It has not begun: it can be taken out, and dropped.
        row = schemes.take_out(self.callum, row.pk, schemes.digest(row))
        schemes.take_out(self.callum, row.pk, schemes.digest(row))
        self.assertFalse(SchemeData.objects.filter(code="HALF").exists())

    def test_what_is_in_force_is_not_rewritten(self):
        row = self.callum.firm.schemes.get()
        seen = schemes.digest(row)
        with self.assertRaisesRegex(Refusal, "Copy it"):
            schemes.keep_draft(self.callum, HALF, row.pk, seen)
        with self.assertRaisesRegex(Refusal, "has begun"):
            schemes.take_out(self.callum, row.pk, seen)
        with self.assertRaisesRegex(Stale, "already"):
            schemes.put_in_force(self.callum, row.pk, self.today, seen)

    def test_two_administrators_on_one_draft_and_days_that_cannot_be(self):
        row = schemes.keep_draft(self.callum, HALF)
        seen = schemes.digest(row)
        schemes.keep_draft(self.callum, HALF.replace("0.5", "0.6"), row.pk, seen)
        with self.assertRaisesRegex(Stale, "Somebody changed it"):
            schemes.keep_draft(self.callum, HALF.replace("0.5", "0.7"), row.pk, seen)
        row.refresh_from_db()
        for since in (None, self.today - timedelta(days=1)):
            with self.assertRaisesRegex(Refusal, "today or later"):
                schemes.put_in_force(self.callum, row.pk, since, schemes.digest(row))
        other = schemes.keep_draft(self.callum, HALF.replace("HALF", "OTHER"))
        schemes.put_in_force(self.callum, row.pk, self.today, schemes.digest(row))
        with self.assertRaisesRegex(Refusal, "HALF begins on that day"):
            schemes.put_in_force(self.callum, other.pk, self.today, schemes.digest(other))
        with self.assertRaisesRegex(Refusal, "There is a scheme HALF already"):
            schemes.keep_draft(self.callum, HALF)
        with self.assertRaises(Stale):
            schemes.take_out(self.callum, 10**9, "")
        for who in (self.maren, self.priya, self.benedikt):
            with self.assertRaises(NotAllowed):
                schemes.keep_draft(who, HALF)

    def test_a_scheme_whose_amounts_no_rate_has_does_not_begin(self):
        row = schemes.keep_draft(self.callum, HALF.replace('share = "0.5"', 'amount = "part"'))
        with self.assertRaisesRegex(Refusal, "has no “part”"):
            schemes.put_in_force(self.callum, row.pk, self.today, schemes.digest(row))
        AllowanceRate.objects.filter(firm=self.callum.firm).update(amounts={"part": 10_00})
        self.callum.firm.rules_version = "x" * 30
        self.callum.firm.save()
        schemes.put_in_force(self.callum, row.pk, self.today, schemes.digest(row))

    def test_only_rates_that_hold_then_must_have_what_it_names(self):
        _, scheme = schemes.read_text(HALF.replace('share = "0.5"', 'amount = "part"'), self.callum.firm)
        full, day = Money(Decimal(1), "EUR"), self.today
        old, new = (
            Rate("Voss", "NO", day - timedelta(days=9), full),
            Rate("voss", "NO", day, full, amounts={"part": full}),
        )
        season = Rate("Voss", "NO", day - timedelta(days=99), full, until=day - timedelta(days=1))
        self.assertEqual(schemes.missing_amounts(scheme, [old, new, season], day), [])
        self.assertEqual(len(schemes.missing_amounts(scheme, [old, new], day - timedelta(days=1))), 1)
        self.assertEqual(len(schemes.missing_amounts(scheme, [replace(season, until=day)], day)), 1)

    @shows("X6.1")
    def test_examples_use_every_part_and_come_back_as_they_were_typed(self):
        used = set()
        for name, data in schemes.examples().items():
            again, scheme = schemes.read_text(schemes.as_text(data), self.callum.firm)
            self.assertEqual((again, len(scheme.rows)), (data, len(data["rows"])), name)
            for row in (*data["rows"], *data.get("supplements", [])):
                used |= {*row, *row["pays"]}
            used |= {
                *data,
                *data["meals"],
                *data.get("places", {}),
                *data.get("nights", {}),
                *data.get("long_stay", {}),
            }
        every = {
            "period", "night", "from", "over", "below", "journey_from", "journey_over", "left_from", "back_until", "away_at", "most", "share", "amount",
            "hourly", "supplements", "unit", "rounding", "shares", "part_day", "floor", "flat", "tax_outside_ceiling", "by", "between", "last_day", "day_out",
            "under_way", "steps", "continues_within", "actual_cost_share",
        }  # fmt: skip
        self.assertEqual(every - used, set())

    def test_text_that_is_no_scheme_says_where(self):
        for text, words in (
            ("rows = [", "cannot be read"),
            ("x" * 30_000, "longer than"),
            ("code = 3", "code"),
            ("[" * 900, "cannot be read"),
        ):
            with self.assertRaises(SchemeFaults) as raised:
                schemes.read_text(text, self.callum.firm)
            self.assertIn(words, str(raised.exception))


@shows("X6.1")
class LongStayTest(WorldTestCase):
    def test_a_stay_goes_on_over_several_journeys(self):
        """Whoever is back within the days that the scheme says goes on with the stay before, on the plan and when it is tried."""
        self.authorised_trip(starts=-20, days=3)
        later = self.a_trip(starts=5, days=3)
        row = self.maren.firm.schemes.get()
        plain = row.data
        for within, wanted in ((30, ["21.75", "29.00", "21.75"]), (10, ["43.50", "58.00", "43.50"])):
            row.data = {
                **plain,
                "long_stay": {"steps": [{"after": "4 days", "share": "0.5"}], "continues_within": within},
            }
            row.save()
            Firm.objects.filter(pk=row.firm_id).update(rules_version=f"within {within}")
            again = Trip.objects.select_related("firm", "traveller").get(pk=later.pk)
            days = load_file(self.maren, again).figures.allowance.days
            self.assertEqual([str(day.amount) for day in days], wanted)
        # Back to no long stay: what is tried has its own.
        row.data = plain
        row.save()
        Firm.objects.filter(pk=row.firm_id).update(rules_version="plain")
        self.callum.firm.refresh_from_db()
        self.authorised_trip(starts=-10, days=3)
        text = schemes.as_text(
            {
                **plain,
                "code": "L",
                "long_stay": {"steps": [{"after": "4 days", "share": "0.5"}], "continues_within": 30},
            }
        )
        _, tried = schemes.read_text(text, self.callum.firm)
        book = rulebook(Firm.objects.get(pk=self.callum.firm_id))
        instead = Instead.by_scheme(book, tried)
        trips = Trip.objects.filter(traveller=self.maren, state__in=MADE)
        since = self.today - timedelta(days=365)
        rows = compared(trips, instead, nights_of(book.firm.pk, since))
        mine = sorted((row.trip.starts, str(row.was), str(row.would)) for row in rows)
        self.assertEqual([each[1:] for each in mine][-2:], [("145.00", "145.00"), ("145.00", "72.50")])


class PagesTest(WorldTestCase):
    def test_the_editor_keeps_what_was_typed_and_shows_the_days(self):
        self.enter(self.callum)
        page = self.client.get("/rules/schemes/new/?from=BW-1")
        self.assertContains(page, "BW-1-2")
        self.assertContains(page, "three quarters of")
        example = {
            "leaves_on": "2026-10-12", "leaves_at": "09:20", "back_on": "2026-10-16", "back_at": "18:05", "place": "bergen", "meals": ["breakfast"],
        }  # fmt: skip
        tried = self.client.post(
            "/rules/schemes/try/", {"text": schemes.as_text(self.callum.firm.schemes.get().data), **example}
        )
        # 43.50, 58 less breakfast three times, 43.50 less breakfast.
        self.assertContains(tried, "43.50")
        self.assertEqual(tried.context["allowance"].amount, Money(Decimal("214.60"), "EUR"))
        self.assertEqual([day.next_row for day in tried.context["days"]], [2, 0, 0, 0, 2])
        for odd, words in (
            ({"back_on": "2026-10-11"}, "back before it leaves"), ({"place": "Atlantis"}, "No rate names"), ({"leaves_at": "x"}, "at:"), ({"back_on": "2099-01-01"}, "more than 400"),
        ):  # fmt: skip
            self.assertContains(self.client.post("/rules/schemes/try/", {"text": HALF, **example, **odd}), words)
        wrong = self.client.post("/rules/schemes/new/", {"text": HALF.replace('"0.5"', "75"), "seen": ""})
        self.assertContains(wrong, "75 is no share", status_code=422)
        self.assertContains(wrong, "share = 75", status_code=422)
        made = self.client.post("/rules/schemes/new/", {"text": HALF, "seen": ""})
        row = SchemeData.objects.get(code="HALF")
        self.assertRedirects(made, f"/rules/schemes/{row.pk}/")
        late = self.client.post(
            f"/rules/schemes/{row.pk}/", {"text": HALF.replace("half", "typed late"), "seen": "old"}
        )
        self.assertContains(late, "Somebody changed it meanwhile", status_code=422)
        self.assertContains(late, "typed late", status_code=422)
        self.assertContains(
            self.client.post(f"/rules/schemes/{row.pk}/force/", {"since": "x", "seen": schemes.digest(row)}),
            "valid date",
            status_code=422,
        )
        done = self.client.post(
            f"/rules/schemes/{row.pk}/force/", {"since": str(self.today), "seen": schemes.digest(row)}, follow=True
        )
        self.assertContains(done, "In force from")
        self.assertContains(self.client.get("/rules/schemes/"), "was in force")

    def test_tried_on_trips_that_were_made_and_nothing_is_kept(self):
        trip = self.authorised_trip(starts=-10, days=3)
        row = schemes.keep_draft(self.callum, HALF)
        _, scheme = schemes.read_text(HALF, self.callum.firm)
        book = rulebook(Firm.objects.get(pk=self.callum.firm_id))
        with self.assertNumQueries(3):
            (mine,) = compared(Trip.objects.filter(pk=trip.pk), Instead.by_scheme(book, scheme), {})
        self.assertEqual((str(mine.was), str(mine.would), str(mine.more)), ("145.00", "87.00", "-58.00"))
        self.enter(self.callum)
        before = Entry.objects.count()
        span = {"since": str(self.today - timedelta(days=365)), "until": str(self.today), "whose": "Maren Oyelaran"}
        with self.done():
            made = self.client.post(f"/rules/schemes/{row.pk}/rehearse/", span)
        done = Rehearsal.objects.get()
        self.assertRedirects(made, f"/rules/rehearsals/{done.pk}/")
        self.assertEqual(
            [(h.change, h.thing, h.amount_minor) for h in done.heard.filter(thing=trip.pk)], [("gone", trip.pk, 5800)]
        )
        page = self.client.get(f"/rules/rehearsals/{done.pk}/")
        self.assertContains(page, "145.00 would be 87.00")
        self.assertContains(page, "would earn less")
        self.assertContains(page, "−58.00")
        self.assertEqual(Entry.objects.count(), before)
        self.assertContains(
            self.client.post(f"/rules/schemes/{row.pk}/rehearse/", {**span, "whose": "Nobody"}),
            "is no role",
            status_code=422,
        )

    def test_a_table_of_rates_is_rehearsed_before_it_is_taken(self):
        trip = self.authorised_trip(starts=-10, days=3)
        self.enter(self.callum)
        soon = self.today + timedelta(days=30)
        table = f"country,town,from,until,full\nNO,Bergen,{soon},,80\nNO,Bergen,{soon},{soon + timedelta(days=9)},90\n"
        sheet = rate_sheets.read_sheet(self.callum, "rates.csv", table.encode())
        span = {"since": str(self.today - timedelta(days=365)), "until": str(self.today), "whose": ""}
        with self.done():
            self.client.post(f"/rules/allowances/{sheet.pk}/rehearse/", span)
        done = Rehearsal.objects.get()
        self.assertEqual(done.state, Rehearsal.State.DONE)
        # As if it had held already; the season is as far from today as it was a year ago.
        self.assertEqual(
            [(h.change, h.text) for h in done.heard.filter(thing=trip.pk)], [("new", "145.00 would be 200.00")]
        )
        self.assertContains(self.client.get(f"/rules/rehearsals/{done.pk}/"), "would earn more")
        self.assertFalse(AllowanceRate.objects.filter(full_minor=8000).exists())
        self.assertEqual(load_file(self.maren, trip).figures.allowance.amount, Money(Decimal("145.00"), "EUR"))


class SheetsTest(WorldTestCase):
    def sheet(self, *lines: str) -> RateSheet:
        return rate_sheets.read_sheet(self.callum, "rates.csv", "\n".join(lines).encode())

    @shows("S4.2")
    def test_three_bad_rows_in_five_thousand_stay_behind(self):
        head = "country;town;from;until;currency;full;breakfast;part;full free of tax;lunch and dinner;ceiling"
        schemes.keep_draft(self.callum, HALF.replace('share = "0.5"', 'amount = "part"'))
        later = self.today + timedelta(days=30)
        lines = [f"NO;Town {n};{later};;NOK;{n % 900 + 100},50;10;50;60;40;1500" for n in range(4_997)]
        lines[7:7] = [
            "XX;Nowhere;2026-12-01;;EUR;50;;;;;",
            "NO;Cut;2026-12-01;2026-11-01;EUR;5;;;;;",
            "NO;Bad;soon;;EUR;lots;;;;;",
        ]
        sheet = self.sheet(head, *lines)
        with self.assertNumQueries(1):
            rows = rate_sheets.checked(sheet)
        wrong = [row for row in rows if row.what == rate_sheets.WRONG]
        self.assertEqual([row.number for row in wrong], [9, 10, 11])
        self.assertEqual([[column for column, _ in row.faults] for row in wrong], [["country"], ["until"], ["from"]])
        done = rate_sheets.take_sheet(self.callum, sheet.pk, 4_997)
        self.assertEqual(done.kept, 4_997)
        rate = AllowanceRate.objects.get(town="Town 5")
        self.assertEqual(
            (rate.currency, rate.full_minor, rate.amounts, rate.free, rate.sets, rate.ceiling_minor),
            ("NOK", 105_50, {"part": 50_00}, {"full": 60_00}, {"lunch+dinner": 40_00}, 1500_00),
        )
        self.assertEqual(Entry.objects.filter(what="took allowance rates in").count(), 1)
        with self.assertRaisesRegex(Stale, "already"):
            rate_sheets.take_sheet(self.callum, sheet.pk, 4_997)
        # All of them are a table again, which changes nothing when it is sent in.
        header, all_rows = rate_sheets.as_rows(self.callum.firm)
        again = self.sheet(";".join(header), *(";".join(row) for row in all_rows))
        self.assertEqual({row.what for row in rate_sheets.checked(again)}, {rate_sheets.SAME})

    def test_what_a_row_changes_and_what_holds_already(self):
        old = AllowanceRate.objects.get(firm=self.callum.firm, town="Bergen")
        later = self.today + timedelta(days=30)
        AllowanceRate.objects.create(firm=self.callum.firm, town="Bergen", country="NO", since=later, full_minor=60_00)
        sheet = self.sheet(
            "country,town,from,full", f"Norway,BERGEN,{later},61", f"NO,Bergen,{old.since},99", f"NO,Bergen,{later},62", "NO,Voss,2026-13-01,5", ",Voss,2027-01-01,5",
            "NO,Voss,2027-01-01,-5", "NO,Voss,2027-02-01,5.005", "NO,Voss,2027-03-01,", f",,{later},45",
        )  # fmt: skip
        rows = rate_sheets.checked(sheet)
        self.assertEqual([row.what for row in rows], ["changed", *["wrong"] * 7, "new"])
        self.assertEqual(rows[0].changes, ["full 60.00 → 61.00"])
        said = [words for row in rows for _, words in row.faults]
        for words in (
            "holds since",
            "Row 2 has the same place and days",
            "is no day",
            "needs its country",
            "no amount of EUR",
            "what a full day earns",
        ):
            self.assertTrue(any(words in each for each in said), (words, said))
        with self.assertRaisesRegex(Stale, "2 rates would change by now, not 3"):
            rate_sheets.take_sheet(self.callum, sheet.pk, 3)
        rate_sheets.take_sheet(self.callum, sheet.pk, 2)
        self.assertEqual(AllowanceRate.objects.get(town__iexact="Bergen", since=later).full_minor, 61_00)
        self.assertEqual(AllowanceRate.objects.get(pk=old.pk).full_minor, old.full_minor)

    def test_from_the_page_with_a_workbook(self):
        book = openpyxl.Workbook()
        book.active.append(["Country", "City", "Valid from", "Daily rate"])
        book.active.append(["NO", "Voss", clock.today("Europe/Dublin") + timedelta(days=9), 51.5])
        content = BytesIO()
        book.save(content)
        self.enter(self.callum)
        sent = self.client.post("/rules/allowances/", {"file": SimpleUploadedFile("r.xlsx", content.getvalue())})
        page = self.client.get(sent["Location"])
        self.assertContains(page, "1 new")
        sheet = RateSheet.objects.get()
        self.client.post(f"/rules/allowances/{sheet.pk}/take/", {"said": "1"})
        self.assertEqual(AllowanceRate.objects.get(town="Voss").full_minor, 51_50)
        self.assertContains(self.client.get("/rules/"), "Voss")
        for odd, words in ((b"", "Choose a file"), (b"a,b\n1,2\n", "does not name the columns"), (b"\x00\xff\xfe", "")):
            answer = self.client.post("/rules/allowances/", {"file": SimpleUploadedFile("r.csv", odd)} if odd else {})
            self.assertContains(answer, words, status_code=422)
        self.assertIn(b"Voss", b"".join(self.client.get("/rules/allowances.csv").streaming_content))

    def test_many_rates_are_found_as_few_are(self):
        every = [
            Rate(town, country, self.today, Money(Decimal(n), "EUR"))
            for n, (town, country) in enumerate(
                (("Bergen", "NO"), ("", "NO"), ("", ""), ("BERGEN", ""), ("Voss", "NO")), 1
            )
        ]
        for place in (
            Place("", "", "bergen", "NO", "UTC"),
            Place("", "", "Oslo", "NO", "UTC"),
            Place("", "", "Bergen", "SE", "UTC"),
            Place("", "", "x", "", "UTC"),
        ):
            self.assertIs(rate_for(Rates(every), place, self.today), rate_for(every, place, self.today))

    def test_a_rate_ends_and_what_holds_after_it_is_said(self):
        rate = AllowanceRate.objects.get(firm=self.callum.firm, town="Bergen")
        self.enter(self.callum)
        page = self.client.get(f"/rules/allowances/rate/{rate.pk}/")
        self.assertContains(page, "After it holds")
        seen = page.context["seen"]
        for day in ("2001-01-01", "soon", ""):
            answer = self.client.post(f"/rules/allowances/rate/{rate.pk}/end/", {"seen": seen, "end-on": day})
            self.assertEqual(answer.status_code, 422, day)
        self.client.post(f"/rules/allowances/rate/{rate.pk}/end/", {"seen": seen, "end-on": str(self.today)})
        rate.refresh_from_db()
        self.assertEqual(rate.until, self.today)
        self.assertEqual(Entry.objects.filter(what="ended an allowance rate").count(), 1)
        with self.assertRaisesRegex(Stale, "meanwhile"):
            rate_sheets.end_rate(self.callum, rate.pk, self.today, seen)
        with self.assertRaises(NotAllowed):
            rate_sheets.end_rate(self.priya, rate.pk, self.today, rate_sheets.digest(rate))
        book = rulebook(type(self.callum.firm).objects.get(pk=self.callum.firm_id))
        self.assertNotEqual(rate_for(book.rates, best_place("Bergen"), self.today + timedelta(days=1)).town, "Bergen")
        self.assertEqual(rate_for(book.rates, best_place("Bergen"), self.today).town, "Bergen")
