"""Recording, claiming, deciding, posting, paying."""

from datetime import date, timedelta
from decimal import Decimal
from html import unescape
from io import BytesIO

from django.core import mail
from PIL import Image
from pillow_heif import register_heif_opener

from demo import papers
from demo.story import proof
from tests.apps.world import FIELD, WorldTestCase, eur
from tests.codings import coded
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts import services as accounts
from wainwright.accounts.models import BudgetUse, Code, Payment, PayRun, Posting, PostingLine
from wainwright.bench import services as bench
from wainwright.claims.models import Claim
from wainwright.claims.paying import payable
from wainwright.claims.selectors import load_file
from wainwright.claims.services import books, compose, correcting, drafting, road
from wainwright.core.money import Money
from wainwright.core.splits import SplitPart
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.models import CardFile, Charge, Expense, Receipt
from wainwright.expenses.selectors import tray
from wainwright.expenses.services import editing, receipts, rides, taking
from wainwright.expenses.services.editing import PartTyped
from wainwright.formats.pain001 import check_schema
from wainwright.formats.places import best_place
from wainwright.people.models import Membership, new_version
from wainwright.profile.services import change_profile
from wainwright.rulebook.models import RuleSetting
from wainwright.signoff.models import SignOff
from wainwright.standins.ledger.models import ClosedPeriod, LedgerCode, LedgerEntry
from wainwright.trips.models import Trip
from wainwright.trips.services import details, plan
from wainwright.trips.services import road as trips

register_heif_opener()


class TrayTest(WorldTestCase):
    def card_file(self, ago=20):
        return papers.card_file(self.today - timedelta(days=ago))

    @shows("R4.2")
    def test_the_same_card_file_twice_changes_nothing(self):
        first = self.take_file(self.maren, "card.ofx", self.card_file())
        again = self.take_file(self.maren, "card.ofx", self.card_file())
        self.assertEqual((first.taken, again.taken, again.known, Charge.objects.count()), (6, 0, 6, 6))
        self.assertEqual(CardFile.objects.get(pk=first.pk).entries, 6)

    def test_somebody_elses_card_is_left_out_by_name(self):
        done = self.take_file(self.aiko, "card.ofx", self.card_file())
        self.assertEqual((done.taken, done.left[0][0]), (0, "card 4410"))

    def test_a_broken_entry_does_not_lose_the_good_ones(self):
        content = (
            self.card_file()
            .replace(b"<TRNAMT>-88.20", b"<TRNAMT>-eighty")
            .replace(b"<NAME>LAB OG LODD 2231", b"<NAME>LAB", 1)
        )
        day = f"{self.today - timedelta(days=20):%Y%m%d}".encode()
        content = content.replace(b"<DTPOSTED>" + day + b"120000", b"<DTPOSTED>20269999", 1)
        done = self.take_file(self.maren, "card.ofx", content)
        self.assertEqual((done.taken, len(done.left)), (4, 2))

    @shows("R1.1", "R2.1")
    def test_receipts_are_read_matched_and_taken(self):
        first = self.today - timedelta(days=20)
        self.take_file(self.maren, "card.ofx", self.card_file())
        with self.done():
            receipts.take_in(self.maren, "till.jpg", papers.till_receipt(first + timedelta(days=3)))
            receipts.take_in(self.maren, "ferry.png", papers.ferry_ticket(first + timedelta(days=2)))
        board = tray(self.maren)
        self.assertEqual(len(board.fitting), 2)
        till, ferry = sorted(board.fitting, key=lambda row: row.paper.name, reverse=True)
        expense = taking.take(self.maren, till.paper.pk, till.charge.pk)
        self.assertEqual((expense.amount, expense.tax, expense.paid_by), (eur("102.00"), eur("20.40"), "firm"))
        with self.assertRaises(Stale):
            taking.take(self.maren, till.paper.pk, till.charge.pk)
        with self.assertRaises(Stale):
            taking.take(self.aiko, ferry.paper.pk, None)

    @shows("R1.1")
    def test_a_photograph_of_a_phone_and_a_paper_of_many_pages(self):
        with Image.open(BytesIO(papers.till_receipt(self.today))) as till, BytesIO() as heic, BytesIO() as pdf:
            till.convert("RGB").save(heic, "HEIF")
            till.convert("RGB").save(pdf, "PDF", save_all=True, append_images=[till.convert("RGB").rotate(180)] * 2)
            with self.done():
                done = [
                    receipts.take_in(self.maren, name, file.getvalue())
                    for name, file in (("IMG_1.HEIC", heic), ("bill.pdf", pdf))
                ]
        photo, bill = (Receipt.objects.get(pk=each.receipt.pk) for each in done)
        self.assertEqual((photo.media_type, photo.state, photo.pages.count()), ("image/heic", "Read", 1))
        self.assertEqual((bill.media_type, bill.state, bill.pages.count()), ("application/pdf", "Read", 3))
        self.assertEqual(Decimal(photo.value("total")), Decimal("102.00"))

    @shows("R2.3")
    def test_what_is_no_receipt_is_not_taken_and_says_why(self):
        for name, content, words in [
            ("bill.pdf", b"", "empty"),
            ("photo.jpg", b"MZ\x90\x00" + b"\0" * 500, "neither a picture nor a PDF"),
            (
                "x.gif",
                b"GIF89a\x01\x00\x01\x00\x80\x00\x00\x00\x00\x00\xff\xff\xff!\xf9\x04\x01\x00\x00\x00\x00,\x00\x00\x00\x00\x01\x00\x01\x00\x00\x02\x02D\x01\x00;",
                "not taken",
            ),
        ]:
            with self.subTest(name):
                done = receipts.take_in(self.maren, name, content)
                self.assertIsNone(done.receipt)
                self.assertIn(words, done.problem)

    @shows("R2.3")
    def test_a_damaged_pdf_is_kept_and_says_why(self):
        with self.done():
            done = receipts.take_in(self.maren, "../../bill.pdf", b"%PDF-1.7 and then nothing")
        receipt = Receipt.objects.get(pk=done.receipt.pk)
        self.assertEqual((receipt.state, receipt.name), ("Unreadable", "bill.pdf"))
        self.assertIn("damaged", receipt.problem)

    @shows("R4.2")
    def test_the_same_file_is_taken_once(self):
        content = papers.ferry_ticket(self.today)
        first, second = (receipts.take_in(self.maren, "ferry.png", content) for _ in range(2))
        self.assertEqual(first.receipt.pk, second.receipt.pk)
        self.assertIn("here already", second.problem)

    @shows("R3.4")
    def test_personal_and_back_to_the_tray(self):
        self.take_file(self.maren, "card.ofx", self.card_file())
        charge = Charge.objects.get(merchant="GAMLE KINO BERGEN")
        expense = taking.mark_personal(self.maren, charge.pk)
        charge.refresh_from_db()
        self.assertEqual((charge.state, expense.personal), ("Personal", True))
        editing.remove(self.maren, expense.pk)
        charge.refresh_from_db()
        self.assertEqual((charge.state, charge.expense), ("Loose", None))


class ExpenseTest(WorldTestCase):
    @shows("R12.1")
    def test_foreign_money_by_the_rate_of_the_day(self):
        expense = taking.type_cost(
            self.maren,
            self.today - timedelta(days=4),
            "Pier taxi",
            "taxi",
            Money.of("540.00", "NOK"),
            "self",
            Decimal(0),
            None,
            "",
            "",
            1,
        )
        self.assertEqual((expense.amount, str(expense.rate.normalize())), (eur("46.41"), "11.635"))
        self.assertIn("540.00 NOK ÷ 11.6350", expense.workings[0])

    @shows("R7.2")
    def test_a_ride_by_looked_up_distance_and_bands(self):
        cork, cobh = best_place("Cork"), best_place("Cobh")
        ride = rides.type_ride(self.maren, rides.Ride(self.today, cork, cobh, "car", True, 1, None))
        self.assertEqual((ride.km, ride.amount), (Decimal(48), eur("22.08")))
        self.assertIn("24 km one way, looked up", ride.workings[0])
        far = rides.type_ride(
            self.maren, rides.Ride(self.today, cork, cobh, "car", False, 0, Decimal("4952"), reason="Road closed")
        )
        self.assertEqual(rides.km_so_far(self.maren, self.today, "car"), 5000)
        after = rides.type_ride(self.maren, rides.Ride(self.today, cork, cobh, "car", False, 0, None))
        self.assertEqual((far.amount, after.amount), (eur("2079.84"), eur("6.72")))

    def test_wrong_input_is_said_at_its_field(self):
        for more, field in [
            ({"days_ago": -3}, "date"),
            ({"category": "nonsense"}, "category"),
            ({"amount": "0"}, "amount"),
            ({"merchant": " "}, "merchant"),
            ({"tax": eur("30.00")}, "tax"),
        ]:
            with self.subTest(field), self.assertRaises(Refusal) as caught:
                self.a_cost(**more)
            self.assertEqual(caught.exception.field, field)

    @shows("R6.2")
    def test_parts_add_up_or_nothing_is_kept(self):
        expense = self.a_cost(amount="598.00", category="lodging")
        nights = editing.nightly_parts(expense.date, 4, eur("142.00"), "lodging", eur("3.50"), "citytax")
        with self.assertRaisesRegex(Refusal, "16.00 is left to place"):
            editing.set_parts(self.maren, expense.pk, expense.version, nights)
        self.assertEqual(expense.parts.count(), 0)
        done = editing.set_parts(
            self.maren, expense.pk, expense.version, [*nights, PartTyped("lodging", "Breakfast", eur("16.00"))]
        )
        self.assertEqual((done.parts.count(), len(done.nights)), (6, 4))
        nights = [expense.date + timedelta(days=n) for n in range(4)]
        self.assertEqual(
            [part.label for part in done.parts.filter(category="lodging")][:4],
            [f"Night of {night:%a} {night.day} {night:%b}" for night in nights],
        )
        with self.assertRaisesRegex(Stale, "another page"):
            editing.set_parts(self.maren, expense.pk, expense.version, [])

    def test_a_cost_is_changed_but_not_what_the_card_was_charged(self):
        values = {
            "merchant": "Kroa",
            "category": "meals",
            "paid_by": "self",
            "tax_rate": Decimal(0),
            "tax": None,
            "description": "",
            "guests": "Two from the port",
            "heads": 3,
        }
        typed = self.a_cost(amount="20.00")
        done = editing.change_cost(self.maren, typed.pk, typed.version, day=typed.date, amount=eur("30.00"), **values)
        self.assertEqual((done.amount, done.heads), (eur("30.00"), 3))
        self.take_file(self.maren, "card.ofx", papers.card_file(self.today - timedelta(days=20)))
        carded = taking.take(self.maren, None, Charge.objects.get(merchant="GAMLE KINO BERGEN").pk)
        done = editing.change_cost(
            self.maren, carded.pk, carded.version, day=carded.date, amount=eur("99.00"), **values
        )
        self.assertEqual((done.amount, done.paid_by, done.merchant), (eur("16.00"), "firm", "Kroa"))
        hotel = self.a_cost(amount="142.00")
        editing.set_parts(self.maren, hotel.pk, hotel.version, [PartTyped("lodging", "Night", eur("142.00"))])
        with self.assertRaisesRegex(Refusal, "broken down"):
            editing.change_cost(self.maren, hotel.pk, hotel.version + 1, day=hotel.date, amount=eur("150.00"), **values)

    def test_a_split_is_checked(self):
        expense = self.a_cost(amount="102.00")
        for shares, words in [
            ([SplitPart(coded("3120"), Decimal(60)), SplitPart(coded("3140"), Decimal(30))], "add up to 90 %"),
            ([SplitPart(coded("3120", "P-0417"), Decimal(100))], "asks for a task"),
        ]:
            with self.subTest(words), self.assertRaisesRegex(Refusal, words):
                editing.set_split(self.maren, expense.pk, expense.version, shares)


class ClaimTest(WorldTestCase):
    @shows("C6.2")
    def test_the_firms_terms_stand_where_it_is_certified(self):
        claim = self.a_claim()
        terms = load_file(self.maren, claim).book.policy.terms
        self.assertTrue(terms)
        self.enter(self.maren)
        page = self.client.get(f"/claims/{claim.pk}/").content.decode()
        form = page[page.index('id="certify"') :]
        self.assertIn(terms, unescape(form[: form.index("</form>")]))

    @shows("C1.2", "C5.1", "A3.1", "A3.2")
    def test_what_a_claim_comes_to_and_how_it_will_post(self):
        claim = self.a_claim(costs=["20.00"])
        dinner = self.a_cost(
            amount="102.00",
            category="taxi",
            tax_rate=Decimal("0.25"),
            tax=eur("20.40"),
            merchant="Dinner",
            country="IE",
        )
        proof(dinner, 3)
        editing.set_split(
            self.maren,
            dinner.pk,
            dinner.version,
            [SplitPart(coded("3120"), Decimal(60)), SplitPart(coded("3140"), Decimal(40))],
        )
        compose.put_in(self.maren, claim.pk, [dinner.pk])
        file = load_file(self.maren, Claim.objects.select_related("firm", "trip").get(pk=claim.pk))
        allowance = file.allowance
        self.assertEqual(allowance, eur("145.00"))
        self.assertEqual(file.figures.settlement.due, eur("122.00") + allowance)
        rows = [
            (e.coding.account, e.coding.get("cost_centre"), str(e.debit), str(e.credit))
            for e in file.journal.entries
            if e.text.endswith("Dinner")
        ]
        self.assertEqual(
            rows,
            [
                ("6445", "3120", "48.96", "0.00"),
                ("1410", "3120", "12.24", "0.00"),
                ("6445", "3140", "32.64", "0.00"),
                ("1410", "3140", "8.16", "0.00"),
            ],
        )

    @shows("C1.1")
    def test_the_claim_of_a_trip_is_made_once_and_takes_what_is_loose(self):
        claim = self.a_claim(costs=["20.00", "30.00"])
        self.assertEqual(claim.expenses.count(), 2)
        self.assertEqual(drafting.claim_trip(self.maren, claim.trip_id).pk, claim.pk)
        with self.assertRaises(Trip.DoesNotExist):
            drafting.claim_trip(self.aiko, claim.trip_id)

    @shows("P7.3", "C3.1")
    def test_findings_name_the_figure_and_go_with_their_cause(self):
        claim = self.a_claim(costs=["80.00"])
        texts = [f.finding.text for f in load_file(self.maren, claim).findings]
        self.assertIn("Pier taxi 0, 80.00, has no receipt. Over 25.00 one is needed.", texts)
        proof(claim.expenses.get(), 2)
        self.assertNotIn("has no receipt", " ".join(f.finding.text for f in load_file(self.maren, claim).findings))

    @shows("R4.3")
    def test_the_same_cost_by_two_people_is_explained(self):
        self.a_cost(self.aiko, "44.00", merchant="Two of us")
        claim = self.a_claim()
        self.a_cost(self.maren, "44.00", merchant="two of US")
        compose.put_in(
            self.maren,
            claim.pk,
            list(Expense.objects.filter(owner=self.maren, claim=None).values_list("pk", flat=True)),
        )
        found = [f for f in load_file(self.maren, claim).findings if f.finding.rule == "alike"]
        self.assertIn("the tray of Aiko Brandt", found[0].finding.text)
        self.assertTrue(found[0].open)

    def test_the_same_cost_is_found_however_many_others_share_its_day_and_amount(self):
        claim = self.a_claim(costs=["44.00"])
        mine = claim.expenses.get()
        other = self.a_cost(self.aiko, "44.00", merchant="Another")
        names = [f"Another {n}" for n in range(230)] + [mine.merchant]
        Expense.objects.bulk_create(
            Expense(
                firm=mine.firm, owner=self.aiko, date=mine.date, merchant=name, category=other.category, currency="EUR", amount_minor=4400,
                paid_by="self", codes=other.codes, created=other.created,
            )
            for name in names
        )  # fmt: skip
        found = [f for f in load_file(self.maren, claim).findings if f.finding.rule == "alike"]
        self.assertEqual([each.open for each in found], [True])

    @shows("C7.1")
    def test_take_back_only_while_nobody_has_decided(self):
        claim = self.sent_claim()
        road.take_back(self.maren, claim.pk)
        self.send_claim(claim)
        bench.approve(self.tobias, "claim", claim.pk)
        with self.assertRaises(Stale):
            road.take_back(self.maren, claim.pk)
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "In finance check")

    def split_claim(self):
        claim = self.a_claim(costs=["24.00"])
        expense = claim.expenses.get()
        editing.set_split(
            self.maren,
            expense.pk,
            expense.version,
            [SplitPart(coded("3120"), Decimal(60)), SplitPart(coded("3140"), Decimal(40))],
        )
        self.send_claim(claim)
        return claim, expense

    @shows("C4.4")
    def test_owners_join_the_route_and_only_what_changed_is_asked_again(self):
        claim, expense = self.split_claim()
        bench.approve(self.tobias, "claim", claim.pk)
        bench.end(self.ottilie, "claim", claim.pk, "send_back", "Please name the boat", {expense.key: "Which boat?"})
        # Only a remark was asked for: nothing that Tobias signed has changed, so only Ottilie is asked.
        self.send_claim(claim)
        waiting = SignOff.objects.filter(object_id=claim.pk, kind="claim", state="Waiting")
        self.assertEqual([s.signer for s in waiting], [self.ottilie])
        self.assertTrue(
            SignOff.objects.filter(object_id=claim.pk, kind="claim", state="Kept", signer=self.tobias).exists()
        )

    def test_a_change_of_amount_asks_those_whom_it_concerns(self):
        claim, expense = self.split_claim()
        self.assertEqual(self.approve_all("claim", claim.pk), ["Tobias Achterberg", "Ottilie Marsh"])
        road.finance_end(self.priya, claim.pk, Claim.objects.get(pk=claim.pk).version, "send_back", "Wrong day")
        expense.refresh_from_db()
        shares = [SplitPart(coded("3120"), Decimal(70)), SplitPart(coded("3140"), Decimal(30))]
        editing.set_split(self.maren, expense.pk, expense.version, shares)
        self.send_claim(claim)
        self.assertEqual(self.approve_all("claim", claim.pk), ["Tobias Achterberg", "Ottilie Marsh"])

    def test_what_was_certified_stays_as_it_was(self):
        claim = self.sent_claim()
        RuleSetting.objects.filter(firm=claim.firm).update(
            params={"over": "1.00"}, kind="missing_evidence", level="stop"
        )
        claim.firm.rules_version = new_version()
        claim.firm.save()
        claim.refresh_from_db()
        self.assertEqual(load_file(self.tobias, claim).in_the_way, 0)

    def test_nothing_changes_on_a_claim_that_was_sent(self):
        claim = self.sent_claim()
        expense = claim.expenses.first()
        for act in (
            lambda: editing.remove(self.maren, expense.pk),
            lambda: compose.move(self.maren, claim.pk, [expense.pk]),
            lambda: editing.set_parts(self.maren, expense.pk, expense.version, []),
            lambda: road.send(self.maren, claim.pk, claim.version, "Maren Oyelaran"),
        ):
            with self.assertRaises(Stale):
                act()


@shows("R4.3")
class TwiceTest(WorldTestCase):
    def test_the_same_paper_by_two_people_is_seen_though_one_renamed_the_merchant(self):
        theirs = self.a_cost(self.aiko, "20.00", merchant="Pier taxi 0")
        self.a_receipt(theirs)
        Expense.objects.filter(pk=theirs.pk).update(merchant="Ride to the harbour")
        claim = self.a_claim(costs=("20.00",))
        twice = [e.finding for e in load_file(self.maren, claim).findings if "looks the same" in e.finding.text]
        self.assertEqual(len(twice), 1)
        self.assertIn("tray of Aiko Brandt", twice[0].text)
        Receipt.objects.all().delete()
        self.assertFalse([e for e in load_file(self.maren, claim).findings if "looks the same" in e.finding.text])


class ProfileTest(WorldTestCase):
    def rows(self, claim, who):
        self.enter(who)
        page = self.client.get(f"/claims/{claim.pk}/?profile=1")
        return {row.name: row for row in page.context["profile_rows"] or ()}

    @shows("U2.7")
    def test_a_claim_keeps_what_it_used_and_shows_it_beside_the_profile(self):
        self.a_cost()
        claim = compose.claim_loose(self.maren, "Loose ends")
        change_profile(self.maren, phone="+353 21 555 0100")
        self.assertTrue(self.rows(claim, self.maren)["phone"].differs)
        self.send_claim(claim)
        claim.refresh_from_db()
        self.assertEqual(claim.profile["phone"], "+353 21 555 0100")
        change_profile(self.maren, phone="+353 21 555 0199", iban="IE64IRCE92050112345678")
        rows = self.rows(claim, self.priya)
        self.assertEqual({name for name, row in rows.items() if row.differs}, {"phone", "iban"})
        self.assertEqual(rows["phone"].here, "+353 21 555 0100")
        self.assertNotIn("92050112", rows["iban"].there)
        self.assertFalse(self.rows(claim, self.benedikt))

    @shows("U2.8")
    def test_what_was_changed_for_its_trip_alone_is_what_it_uses(self):
        trip = self.authorised_trip(starts=-10)
        details.change_copy(self.maren, trip.pk, "phone", "+47 55 00 00", False)
        claim = drafting.claim_trip(self.maren, trip.pk)
        self.assertEqual(claim.profile["phone"], "+47 55 00 00")
        self.send_claim(claim)
        self.assertEqual(Claim.objects.get(pk=claim.pk).profile["phone"], "+47 55 00 00")


class FinanceTest(WorldTestCase):
    def test_only_finance_and_never_ones_own(self):
        claim = self.checked_claim()
        for member in (self.tobias, self.maren, self.benedikt):
            with self.subTest(member.person.name), self.assertRaises(NotAllowed):
                road.clear(member, claim.pk, claim.version)
        own = self.checked_claim(who=self.desmond, costs=("21.00",), coding=coded("3900"))
        with self.assertRaisesRegex(NotAllowed, "Somebody else in finance"):
            road.clear(self.desmond, own.pk, own.version)

    def test_turning_down_gives_the_budget_and_the_distance_back(self):
        cork, cobh = best_place("Cork"), best_place("Cobh")
        trip, day = self.authorised_trip(coding=FIELD), self.today - timedelta(days=9)
        rides.type_ride(self.maren, rides.Ride(day, cork, cobh, "car", False, 0, None))
        claim = drafting.claim_trip(self.maren, trip.pk)
        self.send_claim(claim)
        self.assertEqual((BudgetUse.objects.count(), rides.km_so_far(self.maren, day, "car")), (2, 24))
        bench.end(self.tobias, "claim", claim.pk, "turn_down", "Not on the firm's business")
        self.assertEqual((BudgetUse.objects.count(), rides.km_so_far(self.maren, day, "car")), (0, 0))
        self.assertEqual(Claim.objects.get().state, "Turned down")

    def test_posting_turns_commitment_into_actual(self):
        claim = self.cleared_claim(coding=FIELD)
        books.post(self.priya, claim.pk, claim.version)
        claim.refresh_from_db()
        self.assertEqual(claim.state, "Posted")
        uses = {
            (u.budget.code, u.subject): (u.committed_minor, u.actual_minor)
            for u in BudgetUse.objects.select_related("budget")
        }
        self.assertEqual(
            uses, {("3120", claim.subject): (0, claim.total.minor), ("P-0417", claim.subject): (0, claim.total.minor)}
        )
        lines = PostingLine.objects.all()
        self.assertEqual(sum(x.debit_minor for x in lines), sum(x.credit_minor for x in lines))

    @shows("A3.6")
    def test_posting_twice_is_told_why_not(self):
        claim = self.cleared_claim()
        books.post(self.priya, claim.pk, claim.version)
        with self.assertRaises(Stale):
            books.post(self.priya, claim.pk, claim.version)
        self.assertEqual(LedgerEntry.objects.count(), 1)

    @shows("A3.4")
    def test_refusals_in_plain_words_mended_and_posted_again(self):
        month = f"{self.today:%Y-%m}"
        for setup, mend, words in [
            (
                lambda: LedgerCode.objects.filter(code="P-0417").update(open_until=self.today - timedelta(days=1)),
                "recode",
                "has closed project P-0417",
            ),
            (lambda: LedgerCode.objects.filter(code="3120").delete(), "new", "does not know cost centre 3120"),
            (lambda: ClosedPeriod.objects.create(firm="ltd", month=month), "open", f"closed the month {month}"),
        ]:
            with self.subTest(words):
                self.setUpFresh()
                claim = self.cleared_claim(coding=FIELD)
                setup()
                with self.done():
                    claim = books.post(self.priya, claim.pk, claim.version)
                self.assertEqual(claim.state, "Posting refused")
                told = {m.to[0] for m in mail.outbox if "refused" in m.subject and words in m.body}
                # All three are for finance to mend; the claimant is not troubled with them.
                self.assertEqual(told, {"priya.sundqvist@brackwater.example"})
                if mend == "recode":
                    self.assertEqual(
                        correcting.recode(
                            self.priya,
                            claim.pk,
                            claim.version,
                            "project",
                            "P-0417",
                            coded("3120", "P-0431", "field"),
                        ),
                        2,
                    )
                elif mend == "new":
                    LedgerCode.objects.create(firm="ltd", dimension="cost_centre", code="3120")
                else:
                    ClosedPeriod.objects.all().delete()
                claim.refresh_from_db()
                claim = books.post(self.priya, claim.pk, claim.version)
                self.assertEqual(
                    (claim.state, LedgerEntry.objects.filter(key__startswith="claim").count()), ("Posted", 1)
                )

    def setUpFresh(self):
        LedgerEntry.objects.all().delete()
        LedgerCode.objects.update(open_until=None)
        Expense.objects.all().delete()
        mail.outbox.clear()

    @shows("A3.3", "X4.1")
    def test_the_ledgers_own_codes_stop_a_claim_before_it_is_sent(self):
        claim = self.a_claim(coding=FIELD)
        Code.objects.filter(code="P-0417").update(open_until=self.today - timedelta(days=1))
        claim.firm.rules_version = new_version()
        claim.firm.save()
        claim = Claim.objects.select_related("firm", "trip", "claimant__person").get(pk=claim.pk)
        self.assertIn(
            "Project P-0417 Northern gauges is closed",
            " ".join(f.finding.text for f in load_file(self.maren, claim).findings if f.open),
        )

    @shows("A4.2")
    def test_pay_run_is_valid_answered_and_settles(self):
        claim = self.cleared_claim()
        books.post(self.priya, claim.pk, claim.version)
        with self.assertRaises(NotAllowed):
            books.pay(self.tobias, [claim.pk], self.today)
        with self.done():
            run = books.pay(self.priya, [claim.pk], self.today)
        check_schema(bytes(PayRun.objects.get(pk=run.pk).file))
        claim.refresh_from_db()
        self.assertEqual(
            (claim.state, Payment.objects.get().state, Payment.objects.get().amount), ("Settled", "Paid", claim.owed)
        )
        self.assertEqual(Trip.objects.get().state, "Closed")
        self.assertEqual(Posting.objects.get(key__startswith="payment").state, "Entered")
        self.assertTrue([m for m in mail.outbox if "is on its way to your account" in m.subject])
        with self.assertRaises(Stale):
            books.pay(self.priya, [claim.pk], self.today)

    @shows("A4.3")
    def test_a_failed_payment_is_open_again(self):
        claim = self.cleared_claim()
        books.post(self.priya, claim.pk, claim.version)
        Membership.objects.filter(pk=self.maren.pk).update(iban="IE64IRCE92050112345678")
        with self.done():
            books.pay(self.priya, [claim.pk], self.today)
        payment = Payment.objects.get()
        self.assertEqual((payment.state, payment.failure), ("Failed", "the account is closed"))
        Membership.objects.filter(pk=self.maren.pk).update(iban="IE29AIBK93115212345678")
        with self.done():
            books.pay(self.priya, list(payable(self.priya).values_list("pk", flat=True)), self.today)
        claim.refresh_from_db()
        self.assertEqual(claim.state, "Settled")

    @shows("A3.1")
    def test_an_advance_is_paid_once_and_set_off_by_the_claim(self):
        trip = self.a_trip()
        plan.ask_advance(self.maren, trip.pk, Decimal(60), eur(100), "Hotel asks for cash")
        trip.refresh_from_db()
        trips.send(self.maren, trip.pk, trip.version, "Maren Oyelaran", True)
        with self.done():
            self.approve_all("trip", trip.pk)
            books.pay(self.priya, [], self.today, [trip.pk])
        trip.refresh_from_db()
        self.assertTrue(trip.advance_paid)
        self.assertEqual(Posting.objects.get().state, "Entered")
        with self.assertRaises(Stale):
            books.pay(self.priya, [], self.today, [trip.pk])
        trips.move_along(clock.now())
        self.a_cost(amount="20.00")
        claim = drafting.claim_trip(self.maren, trip.pk)
        file = load_file(self.maren, Claim.objects.select_related("firm", "trip", "claimant__person").get(pk=claim.pk))
        self.assertEqual(file.figures.settlement.due, eur("20.00") + file.allowance - eur("60.00"))
        self.assertEqual(file.journal.balance("1520"), eur("-60.00"))

    def test_nothing_to_pay_and_no_account_are_said(self):
        with self.assertRaisesRegex(Refusal, "Nothing is chosen"):
            books.pay(self.priya, [], self.today)
        claim = self.cleared_claim()
        books.post(self.priya, claim.pk, claim.version)
        Membership.objects.filter(pk=self.maren.pk).update(iban="")
        with self.assertRaisesRegex(Refusal, "No bank account is known for Maren"):
            books.pay(self.priya, [claim.pk], self.today)

    @shows("U6.3")
    def test_other_firms_claims_are_not_there(self):
        claim = self.cleared_claim()
        with self.assertRaises(Claim.DoesNotExist):
            road.clear(self.liv, claim.pk, claim.version)
        self.assertEqual(list(payable(self.liv)), [])

    def test_once_keys_hold_in_the_database(self):
        claim = self.cleared_claim()
        books.post(self.priya, claim.pk, claim.version)
        claim.refresh_from_db()
        payables = [accounts.Payable(claim.subject, claim.claimant, claim.owed, "x")]
        accounts.prepare_pay_run(self.priya, payables, date(2026, 11, 1))
        with self.assertRaisesRegex(Stale, "another pay run"):
            accounts.prepare_pay_run(self.priya, payables, date(2026, 11, 1))
