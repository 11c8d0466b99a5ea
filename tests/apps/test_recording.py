"""How costs get in: mails, invoices, the issuer's feed, memory, parts, rides, grids, lost receipts, pages, reminders."""

import io
from base64 import b64encode
from datetime import datetime, time, timedelta
from decimal import Decimal
from pathlib import Path
from unittest import mock

from django.conf import settings
from django.db import transaction
from PIL import Image
from pypdf import PdfReader

from demo import papers
from demo.story import proof
from tests.apps.world import WorldTestCase
from tests.codings import coded
from tests.coverage import shows
from tests.formats.samples import cii, flight_page, mail, ubl
from wainwright import clock
from wainwright.accounts.selectors import books
from wainwright.claims import binding
from wainwright.claims.models import Binder, Claim
from wainwright.claims.selectors import load_file
from wainwright.claims.services import books as books_service
from wainwright.claims.services import compose, road
from wainwright.core.money import Money
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.loose import Loose, by_person, loose_charges, personal_open
from wainwright.expenses.models import CardFile, Charge, Expense, HeldMail, MerchantMemory, Receipt, Sender
from wainwright.expenses.selectors import Narrow, tray
from wainwright.expenses.services import cards, editing, feeds, mails, pages, receipts, reminding, rides, taking
from wainwright.expenses.services.editing import PartTyped
from wainwright.formats.places import place, town
from wainwright.news.models import Notice
from wainwright.people.files import KEPT, delete_dropped
from wainwright.people.models import Card, Dropped, Person
from wainwright.profile.services import change_profile
from wainwright.trips.models import Trip
from wainwright.trips.services import details, plan

ADDRESS = f"maren@{settings.MAIL_DOMAIN}"


def eur(text: str) -> Money:
    return Money.of(text, "EUR")


class Tray(WorldTestCase):
    def setUp(self):
        change_profile(self.maren, mail_name="maren")
        self.maren.refresh_from_db()

    def taken(self, name, content, who=None):
        with self.done():
            return mails.take_any(who or self.maren, name, content)

    def arrive(self, content, address=ADDRESS):
        with self.done():
            return mails.arrived(address, content)


class MailsTest(Tray):
    @shows("R1.3")
    def test_a_known_sender_comes_in(self):
        self.assertEqual(self.arrive(mail()), "taken")
        receipt = Receipt.objects.get(owner=self.maren)
        self.assertEqual((receipt.kind, receipt.state, receipt.value("total")), ("mail", "Read", "18.40"))
        self.assertEqual(receipt.pages.count(), 1)

    def test_attachments_come_in_one_by_one_and_a_bad_one_is_told(self):
        files = [
            ("till.jpg", "image/jpeg", papers.till_receipt(self.today - timedelta(days=3))),
            ("x.doc", "application/msword", b"no" * 50),
        ]
        self.assertEqual(self.arrive(mail(files=files)), "taken")
        self.assertEqual([r.name for r in Receipt.objects.filter(owner=self.maren)], ["till.jpg"])
        self.assertIn("x.doc", Notice.objects.filter(member=self.maren).latest("pk").text)

    def test_an_unknown_sender_is_held_and_asked_about(self):
        strange = mail(sender="orders@elsewhere.example")
        self.assertEqual([self.arrive(strange), self.arrive(strange)], ["taken", "taken"])
        held = HeldMail.objects.get(member=self.maren)
        self.assertEqual((held.sender, held.state), ("orders@elsewhere.example", "held"))
        self.assertEqual(Receipt.objects.filter(owner=self.maren).count(), 0)
        with self.assertRaises(Stale):
            mails.let_in(self.aiko, held.pk, True)
        with self.done():
            mails.let_in(self.maren, held.pk, True)
        self.assertEqual((HeldMail.objects.count(), Sender.objects.get().address), (0, "orders@elsewhere.example"))
        self.assertEqual(self.arrive(mail(sender="orders@elsewhere.example", text="Another\nTotal EUR 4.00")), "taken")
        with self.assertRaises(Stale):
            mails.turn_away(self.maren, held.pk)

    def test_a_mail_that_one_sends_in_oneself_is_not_asked_about(self):
        files = [("till.jpg", "image/jpeg", papers.till_receipt(self.today - timedelta(days=3)))]
        strange = mail(sender="orders@elsewhere.example", files=files)
        self.assertTrue(self.taken("a.eml", strange).later)
        self.assertEqual([r.name for r in Receipt.objects.filter(owner=self.maren)], ["till.jpg"])
        self.arrive(mail(sender="x@y.example"))
        self.taken("b.eml", mail(sender="x@y.example"))
        self.assertEqual((HeldMail.objects.count(), Receipt.objects.filter(owner=self.maren).count()), (0, 2))

    def test_a_mail_that_cannot_be_opened_is_kept_says_why_and_can_be_saved_and_deleted(self):
        many = "".join(f"--b\r\nContent-Type: text/plain\r\n\r\n{n}\r\n" for n in range(120))
        bad = f"From: a@b.c\r\nTo: x\r\nSubject: many\r\nContent-Type: multipart/mixed; boundary=b\r\n\r\n{many}--b--".encode()
        self.assertEqual(self.arrive(bad), "taken")
        kept = HeldMail.objects.get(member=self.maren)
        # Of a stranger's nothing but the heads is looked at before it is let in.
        self.assertEqual((kept.state, kept.sender, kept.subject), ("held", "a@b.c", "many"))
        with self.done():
            mails.let_in(self.maren, kept.pk, False)
        kept.refresh_from_db()
        self.assertEqual(kept.state, "unreadable")
        self.assertIn("more than 100 pieces", kept.problem)
        self.assertIn("could not be opened", Notice.objects.filter(member=self.maren).latest("pk").text)
        self.enter(self.maren)
        self.assertContains(self.client.get("/tray/"), "more than 100 pieces")
        path = f"/tray/mails/{kept.pk}/"
        self.assertEqual(b"".join(self.client.get(path).streaming_content), bad)
        self.assertContains(self.client.post(path, {"act": "once"}, follow=True), "is damaged")
        self.assertContains(self.client.post(path, {"act": "away"}, follow=True), "is deleted")
        self.assertEqual(self.client.get(path).status_code, 404)

    def test_an_opening_that_broke_off_is_begun_again(self):
        with mock.patch.object(mails, "open_mail"):
            mails.arrived(ADDRESS, mail())
        HeldMail.objects.update(time=clock.now() - timedelta(minutes=11))
        self.enter(self.maren)
        self.assertContains(self.client.get("/tray/"), "1 mail is being opened")
        with self.done():
            self.assertEqual(mails.open_again_what_broke_off(), 1)
        self.assertEqual((HeldMail.objects.count(), Receipt.objects.count()), (0, 1))

    def test_so_many_are_opened_at_once_and_the_next_comes_again(self):
        with mock.patch.object(mails, "MOST_OPENING", 1), mock.patch.object(mails, "open_mail"):
            self.assertEqual([self.arrive(mail()), self.arrive(mail())], ["taken", "taken"])
            other = mail(text="Another")
            self.assertEqual(self.arrive(other), mails.BUSY)
            self.assertIn("Send it again", self.taken("a.eml", other).problem)
            settings.MAIL_FOLDER.mkdir(exist_ok=True)
            path = settings.MAIL_FOLDER / "maren@9.eml"
            path.write_bytes(other)
            self.assertEqual((mails.take_from_folder(), path.exists()), (0, True))
            path.unlink()

    def test_whoever_floods_a_tray_keeps_nobody_else_out_of_it(self):
        with mock.patch.object(mails, "MOST_HELD", 2):
            for number in range(5):
                self.assertEqual(self.arrive(mail(sender=f"x{number}@flood.example")), "taken")
            self.assertEqual(HeldMail.objects.count(), 2)
            told = Notice.objects.filter(member=self.maren, text__contains="are turned away until you decide")
            self.assertEqual(told.count(), 1)
            self.assertEqual(self.arrive(mail()), "taken")
        self.assertEqual(Receipt.objects.filter(owner=self.maren).count(), 1)

    def test_what_is_for_nobody_or_no_mail(self):
        self.assertIn("nobody", self.arrive(mail(), f"nobody@{settings.MAIL_DOMAIN}"))
        self.assertIn("nobody", self.arrive(mail(), "maren@elsewhere.example"))
        self.assertIn("nobody", self.arrive(mail(), "maren"))
        self.assertIn("20 MB", self.arrive(b"x" * 20_000_001))

    def test_the_folder(self):
        folder = settings.MAIL_FOLDER
        folder.mkdir(exist_ok=True)
        for path in folder.glob("*"):
            path.unlink()
        (folder / "maren@1.eml").write_bytes(mail())
        (folder / "stranger@2.eml").write_bytes(mail())
        with self.done():
            self.assertEqual(mails.take_from_folder(), 1)
        self.assertEqual(sorted(p.name for p in folder.glob("*")), ["stranger@2.refused", "stranger@2.why"])

    @shows("R1.3")
    def test_an_address_is_given_once(self):
        with self.assertRaises(Refusal) as caught:
            change_profile(self.aiko, mail_name="maren")
        self.assertEqual(caught.exception.field, "mail_name")

    def test_bookings_in_a_mail_fill_the_trip(self):
        first = self.today + timedelta(days=20)
        self.arrive(mail(text="", page=flight_page(first)))
        receipt = Receipt.objects.get(owner=self.maren)
        self.assertEqual(len(receipt.invoice["bookings"]), 2)
        trip = self.a_trip(starts=60)
        trip.legs.all().delete()
        trip.nights.all().delete()
        done = pages.put_on_trip(self.maren, receipt.pk, trip.pk)
        self.assertIn("put it there again once the way back is on it", done[1])
        leg = Trip.objects.get(pk=trip.pk).legs.get()
        self.assertEqual((leg.origin["code"], leg.target["code"], leg.estimate_minor), ("ORK", "BGO", 21240))
        at = datetime.combine(first + timedelta(days=2), time(16))
        plan.add_leg(self.maren, trip.pk, "air", place("BGO"), place("ORK"), at, at + timedelta(hours=3), Decimal(90))
        self.assertEqual(pages.put_on_trip(self.maren, receipt.pk, trip.pk), ["Lamp Quay Hotel, 2 nights"])
        nights = Trip.objects.get(pk=trip.pk).nights.all()
        self.assertEqual([(n.name, n.cost_minor) for n in nights], [("Lamp Quay Hotel", 12900)] * 2)
        with self.assertRaises(Refusal):
            pages.put_on_trip(self.maren, receipt.pk, trip.pk)


class InvoicesTest(Tray):
    def invoice(self, content, name="invoice.xml", who=None):
        done = self.taken(name, content, who)
        return Receipt.objects.get(pk=done.receipt.pk)

    @shows("R10.1", "X9.1")
    def test_an_invoice_becomes_a_cost_with_its_tax_lines(self):
        receipt = self.invoice(ubl(day=self.today - timedelta(days=3)))
        self.assertEqual(
            (receipt.kind, receipt.number, receipt.value("total"), receipt.problem),
            ("invoice", "R-2026-118", "143.80", ""),
        )
        expense = taking.take(self.maren, receipt.pk, None)
        self.assertEqual((expense.amount, expense.tax, expense.reference), (eur("143.80"), eur("23.80"), "R-2026-118"))
        self.assertEqual(
            [(p.label, p.amount_minor, p.tax_minor) for p in expense.parts.all()],
            [("At 23 %", 9840, 1840), ("At 13.5 %", 4540, 540)],
        )
        self.assertFalse(expense.tax_odd)

    def test_an_invoice_whose_tax_is_not_what_one_of_its_rates_gives_is_odd(self):
        taxes = [("23", "80.00", "18.40"), ("13.5", "40.00", "6.40")]
        receipt = self.invoice(ubl(taxes=taxes, day=self.today - timedelta(days=3)))
        self.assertTrue(taking.take(self.maren, receipt.pk, None).tax_odd)

    def test_what_is_attached_to_an_invoice_is_looked_at(self):
        slip = b64encode(papers.till_receipt(self.today))
        content = ubl(day=self.today - timedelta(days=3)).replace(b"aGVsbG8=", slip).replace(b"slip.txt", b"slip.jpg")
        receipt = self.invoice(content)
        self.assertEqual((receipt.pages.count(), receipt.value("total"), receipt.problem), (2, "143.80", ""))

    def test_the_same_number_of_one_supplier_is_a_duplicate(self):
        day = self.today - timedelta(days=3)
        taking.take(self.maren, self.invoice(ubl(day=day)).pk, None)
        again = self.invoice(ubl(day=day).replace(b"Charts", b"Maps"), who=self.aiko)
        self.assertEqual(again.like.number, "R-2026-118")
        with self.assertRaises(Refusal) as caught:
            taking.take(self.aiko, again.pk, None)
        self.assertIn("recorded already, by Maren Oyelaran", caught.exception.message)
        other = self.invoice(ubl(day=day, supplier="Somebody Else"), who=self.aiko)
        self.assertIsNone(other.like)

    def test_sums_that_do_not_add_up_are_said_beside_it(self):
        self.assertIn("do not come to 150.00", self.invoice(ubl(gross="150.00", day=self.today)).problem)

    def test_a_damaged_one_is_kept_and_says_its_line(self):
        receipt = self.invoice(b"<?xml version='1.0'?>\n<Invoice>\n<", "x.xml")
        self.assertEqual(receipt.state, "Unreadable")
        self.assertIn("line 3", receipt.problem)

    def test_originals_are_never_shown_as_pages(self):
        receipt = self.invoice(cii(day=self.today - timedelta(days=2)))
        self.enter(self.maren)
        response = self.client.get(f"/receipts/{receipt.pk}/original/")
        self.assertEqual(response["Content-Type"], "application/octet-stream")
        self.assertIn("attachment", response["Content-Disposition"])
        b"".join(response.streaming_content)

    def test_the_same_picture_sent_anew_is_told(self):
        picture = papers.till_receipt(self.today - timedelta(days=3))
        self.taken("a.jpg", picture)
        out = io.BytesIO()
        Image.open(io.BytesIO(picture)).save(out, "JPEG", quality=60)
        self.taken("b.jpg", out.getvalue())
        second = Receipt.objects.get(owner=self.maren, name="b.jpg")
        self.assertEqual(second.like.name, "a.jpg")
        self.assertTrue(second.thumb)
        self.assertFalse([row for row in tray(self.maren).fitting if row.paper == second])


@shows("R11.1")
class MemoryTest(Tray):
    def test_a_correction_is_proposed_the_next_time(self):
        day = self.today - timedelta(days=3)
        self.taken("a.jpg", papers.till_receipt(day))
        first = Receipt.objects.get(owner=self.maren)
        values = {
            "day": day, "merchant": "Kvalheim quay", "category": "parking", "amount": eur("102.00"), "paid_by": "self", "tax_rate": Decimal("0.25"),
            "tax": None, "description": "", "guests": "", "heads": 1,
        }  # fmt: skip
        taking.type_from_receipt(self.maren, first.pk, **values)
        self.taken("b.jpg", papers.till_receipt(day + timedelta(days=1)))
        second = Receipt.objects.get(owner=self.maren, name="b.jpg")
        self.assertEqual(second.value("merchant"), "Kvalheim quay")
        expense = taking.take(self.maren, second.pk, None)
        self.assertEqual(expense.category, "parking")
        editing.change_cost(
            self.maren, expense.pk, expense.version, **values | {"category": "fuel", "day": expense.date}
        )
        self.assertTrue(MerchantMemory.objects.filter(member=self.maren, category="fuel").exists())

    def test_the_cards_code_speaks_where_nobody_chose(self):
        charge = Charge.objects.create(
            firm=self.maren.firm, owner=self.maren, card=self.maren.cards.first(), bank_id="m1", date=self.today, merchant="XYZZY 77", currency="EUR",
            amount_minor=900, merchant_code="5812",
        )  # fmt: skip
        self.assertEqual(str(tray(self.maren).rows[0].becomes), "Meals with others")
        self.assertEqual(taking.take(self.maren, None, charge.pk).category, "meals")


class FeedTest(Tray):
    @shows("R3.1")
    def test_asked_shown_taken_and_asked_again(self):
        card = self.maren.cards.first()
        file = feeds.ask_issuer(self.maren, card.pk)
        self.assertEqual((file.state, {row["what"] for row in file.rows}), ("Shown", {"new"}))
        CardFile.objects.filter(pk=file.pk).update(state="Shown")
        count = feeds.take_file(self.maren, file.pk).taken
        self.assertEqual(Charge.objects.filter(owner=self.maren).count(), count)
        again = feeds.ask_issuer(self.maren, card.pk)
        self.assertEqual({row["what"] for row in again.rows} - {"known"}, set())
        self.assertEqual(feeds.take_file(self.maren, again.pk).taken, 0)

    def test_pending_is_booked_later(self):
        card = self.maren.cards.first()
        for ago in range(40, 0, -1):
            with clock.at(clock.now() - timedelta(days=ago)):
                feeds.take_file(self.maren, feeds.ask_issuer(self.maren, card.pk).pk)
        before = Charge.objects.filter(owner=self.maren, pending=True).count()
        feeds.take_file(self.maren, feeds.ask_issuer(self.maren, card.pk).pk)
        days = list(Charge.objects.filter(owner=self.maren).values_list("date", flat=True))
        self.assertEqual(len(days), len(set(days)), "a charge was taken twice")
        self.assertLessEqual(Charge.objects.filter(owner=self.maren, pending=True).count(), max(before, 2))

    def test_every_night_for_all_cards(self):
        taken = feeds.ask_for_all()
        self.assertEqual(Charge.objects.count(), taken)
        self.assertGreater(taken, 0)

    def test_an_issuer_that_does_not_answer(self):
        card = Card.objects.create(
            owner=self.maren, last_four="9999", issuer="Silent Bank", expires=self.today + timedelta(days=90)
        )
        with self.assertRaises(Refusal) as caught:
            feeds.ask_issuer(self.maren, card.pk)
        self.assertIn("Nothing is lost", caught.exception.message)
        with self.assertRaises(Refusal):
            feeds.ask_issuer(self.aiko, card.pk)


class PartsTest(Tray):
    def hotel(self, amount="316.00"):
        return self.a_cost(
            self.maren,
            amount,
            merchant="Lamp Quay Hotel",
            category="lodging",
            paid_by="firm",
            tax_rate=Decimal("0.135"),
        )

    def test_taxes_typed_and_shared_out_add_up(self):
        expense = self.hotel("100.00")
        parts = [
            PartTyped("lodging", "Night", eur("60.00"), tax=eur("10.00")),
            PartTyped("parking", "Parking", eur("40.00")),
        ]
        done = editing.set_parts(self.maren, expense.pk, expense.version, parts)
        self.assertEqual(sum(p.tax_minor for p in done.parts.all()), expense.tax_minor)
        wrong = [
            PartTyped("lodging", "Night", eur("60.00"), tax=eur("50.00")),
            PartTyped("parking", "Parking", eur("40.00")),
        ]
        with self.assertRaises(Refusal):
            editing.set_parts(self.maren, expense.pk, done.version, wrong)

    def test_a_part_with_a_coding_of_its_own_posts_there(self):
        claim = self.a_claim(costs=())
        expense = self.hotel("100.00")
        compose.put_in(self.maren, claim.pk, [expense.pk])
        parts = [
            PartTyped("lodging", "Night", eur("60.00")),
            PartTyped("parking", "Parking", eur("40.00"), coding=coded("3140")),
        ]
        expense.refresh_from_db()
        editing.set_parts(self.maren, expense.pk, expense.version, parts)
        file = load_file(self.maren, Claim.objects.get(pk=claim.pk))
        boats = [e for e in file.journal.entries if e.coding.get("cost_centre") == "3140"]
        self.assertEqual(sum(e.debit.minor - e.credit.minor for e in boats), 4000)
        with self.assertRaises(Refusal):
            editing.set_parts(
                self.maren,
                expense.pk,
                expense.version + 1,
                [PartTyped("lodging", "x", eur("100.00"), coding=coded("nowhere"))],
            )

    @shows("R6.3")
    def test_a_meal_on_the_bill_is_off_the_allowance(self):
        claim = self.a_claim(costs=())
        before = load_file(self.maren, claim).allowance
        expense = self.hotel("100.00")
        compose.put_in(self.maren, claim.pk, [expense.pk])
        expense.refresh_from_db()
        day = claim.trip.starts + timedelta(days=1)
        parts = [
            PartTyped("lodging", "Night", eur("84.00")),
            PartTyped("meals", "Breakfast", eur("16.00"), meal="breakfast", day=day),
        ]
        editing.set_parts(self.maren, expense.pk, expense.version, parts)
        claim = Claim.objects.get(pk=claim.pk)
        after = load_file(self.maren, claim).allowance
        self.assertEqual(before - after, eur("11.60"))
        self.assertEqual(claim.trip.billed, [f"{day}:breakfast"])
        compose.move(self.maren, claim.pk, [expense.pk])
        self.assertEqual(load_file(self.maren, Claim.objects.get(pk=claim.pk)).allowance, before)

    @shows("R6.1")
    def test_half_of_it_personal(self):
        expense = self.a_cost(self.maren, "30.01", category="parking")
        for typed, own in [("50 %", 1501), ("15.00", 1500), ("15,00", 1500), ("33.3%", 999)]:
            with self.subTest(typed):
                done = editing.set_personal(self.maren, expense.pk, Expense.objects.get(pk=expense.pk).version, typed)
                self.assertEqual(
                    [(p.amount_minor, p.personal) for p in done.parts.all()], [(3001 - own, False), (own, True)]
                )
        version = Expense.objects.get(pk=expense.pk).version
        for wrong in ("half", "0", "31", "-1", "1e9 %", "NaN", "100 %"):
            with self.subTest(wrong), self.assertRaises(Refusal):
                editing.set_personal(self.maren, expense.pk, version, wrong)
        self.assertFalse(editing.set_personal(self.maren, expense.pk, version, "").parts.exists())

    def test_a_lost_receipt_is_declared(self):
        claim = self.a_claim(costs=("60.00", "90.00"))
        small, large = claim.expenses.order_by("amount_minor")
        self.assertEqual(
            {f.finding.target for f in load_file(self.maren, claim).findings if f.finding.rule == "receipt"},
            {small.key, large.key},
        )
        with self.assertRaises(Refusal):
            editing.declare_lost(self.maren, small.pk, small.version, "It blew into the harbour.", "Somebody Else")
        with self.assertRaises(Refusal):
            editing.declare_lost(self.maren, small.pk, small.version, "Lost", "Maren Oyelaran")
        for each in (small, large):
            editing.declare_lost(self.maren, each.pk, each.version, "It blew into the harbour.", "maren  oyelaran")
        found = [
            f.finding
            for f in load_file(self.maren, Claim.objects.get(pk=claim.pk)).findings
            if f.finding.rule == "receipt"
        ]
        self.assertEqual([f.target for f in found], [large.key])
        self.assertIn("at most 75.00", found[0].text)
        done = editing.declare_lost(self.maren, small.pk, small.version + 1, "", "")
        self.assertEqual(done.lost, {})


class RidesTest(Tray):
    def ride(self, **more):
        fields = {
            "day": self.today - timedelta(days=1),
            "origin": town("Cork", "IE"),
            "target": town("Cobh", "IE"),
            "vehicle": "car",
        } | more
        return rides.type_ride(self.maren, rides.Ride(**fields))

    @shows("R7.1")
    def test_by_way_of(self):
        straight = self.ride()
        round_ = self.ride(via=(town("Waterford", "IE"),))
        self.assertGreater(round_.km, straight.km)
        self.assertIn("by way of Waterford", round_.workings[0])

    def test_longer_than_the_road_asks_why(self):
        road = self.ride().km
        with self.assertRaises(Refusal) as caught:
            self.ride(km=road * 2)
        self.assertEqual(caught.exception.field, "reason")
        self.assertEqual(self.ride(km=road * 2, reason="Bridge closed").km_reason, "Bridge closed")
        self.assertEqual(self.ride(km=road).km_reason, "")

    @shows("R7.1")
    def test_odometers(self):
        road = self.ride().km
        self.assertEqual(self.ride(odometer=(Decimal(1000), 1000 + road)).km, road)
        for readings in ((Decimal(1000 + 5), 1005 + road), (Decimal(2000), Decimal(1900))):
            with self.subTest(readings), self.assertRaises(Refusal) as caught:
                self.ride(odometer=readings)
            self.assertEqual(caught.exception.field, "odometer_end")

    def test_a_month_is_kept_as_a_whole_or_not_at_all(self):
        day = self.today - timedelta(days=2)
        good = rides.Ride(day, town("Cork", "IE"), town("Cobh", "IE"), "car")
        with self.assertRaises(taking.RowRefusal) as caught:
            rides.type_rides(
                self.maren, [good, rides.Ride(self.today + timedelta(days=3), good.origin, good.target, "car")]
            )
        self.assertEqual((caught.exception.row, Expense.objects.filter(owner=self.maren).count()), (1, 0))
        self.assertEqual(len(rides.type_rides(self.maren, [good, good])), 2)


class GridTest(Tray):
    def setUp(self):
        super().setUp()
        self.enter(self.maren)

    def post(self, path="/expenses/grid/", **data):
        return self.client.post(path, {"rows": 6, **data})

    @shows("R9.1", "X10.2")
    def test_a_paste_is_laid_out_and_kept(self):
        day = self.today - timedelta(days=2)
        text = f"Day\tPaid to\tAmount\n{day:%d.%m.%Y}\tPier taxi\t18,40\n{day:%d.%m.%Y}\tHavnekroa\t1.204,00\n"
        page = self.post(paste=text, more="1")
        self.assertContains(page, 'value="Taxi"')
        self.assertEqual(Expense.objects.filter(owner=self.maren).count(), 0)
        rows = {f"r{n}-{name}": value for n, (merchant, amount) in enumerate([("Pier taxi", "18,40"), ("Havnekroa", "1.204,00")])
                for name, value in (("date", day.isoformat()), ("merchant", merchant), ("amount", amount), ("category", "Taxi"), ("currency", "EUR"))}  # fmt: skip
        self.assertRedirects(self.post(**rows), "/tray/")
        self.assertEqual(
            sorted(Expense.objects.filter(owner=self.maren).values_list("amount_minor", flat=True)), [1840, 120400]
        )

    def test_a_table_in_the_words_of_its_reader(self):
        for code, head, rows in (
            ("de", "Datum\tBezahlt an\tWofür\tBetrag\tWährung\tWer bezahlt hat\tBeschreibung", ("Die Firmenkarte", "Rechnung an die Firma", "ich selbst")),
            ("nb", "Dato\tBetalt til\tHva det gjelder\tBeløp\tValuta\tHvem betalte\tBeskrivelse", ("Firmaets kort", "Fakturert firmaet", "den reisende")),
        ):  # fmt: skip
            with self.subTest(code):
                Person.objects.filter(pk=self.maren.person_id).update(language=code)
                self.enter(self.maren)
                text = "\n".join([head, *(f"1.9.2026\tPier taxi\tTaxi\t18,40\tEUR\t{who}\tKai" for who in rows)])
                cells = self.post(paste=text, more="1").context["rows"]
                shown = [{cell["name"]: cell["value"] for cell in row} for row in cells[:3]]
                self.assertEqual([row["paid_by"] for row in shown], ["firm", "central", "self"])
                self.assertEqual(
                    {name: shown[0][name] for name in ("date", "merchant", "category", "amount", "description")},
                    {"date": "2026-09-01", "merchant": "Pier taxi", "category": "Taxi", "amount": "18,40", "description": "Kai"},
                )  # fmt: skip
        head = "Datum\tVon\tNach\tKilometer\tHin und zurück\tZweck"
        cells = self.post(
            "/expenses/rides/", paste=f"{head}\n1.9.2026\tCork\tKopenhagen\t12,5\tja\tPegel", more="1"
        ).context["rows"][0]
        self.assertEqual(
            {cell["name"]: cell["value"] for cell in cells if cell["value"]} | {"vehicle": ""},
            {"date": "2026-09-01", "origin": "Cork", "target": "Kopenhagen", "km": "12,5", "there_and_back": "on", "description": "Pegel", "vehicle": ""},
        )  # fmt: skip

    def test_what_a_paste_leaves_out_is_said(self):
        row = "1.9.2026\tPier taxi\tTaxi\t18.40\tEUR\t\tsomebody else"
        page = self.post(
            paste="Date\tPaid to\tWhat for\tAmount\tCurrency\tTax %\tWho paid\n" + f"{row}\n" * 63, more="1"
        )
        self.assertContains(page, "3 rows had no place: 60 at once.")
        self.assertContains(page, "Who paid is not understood from “somebody else”")
        page = self.post(paste=f"{row}\n", more="1", **{"r0-merchant": "Lab"})
        self.assertNotContains(page, "no place")

    @shows("R9.1")
    def test_errors_stand_at_their_cells_and_nothing_is_kept(self):
        good = {"r0-date": str(self.today), "r0-merchant": "Lab", "r0-amount": "9.00", "r0-category": "supplies"}
        wrong = {"r1-date": "yesterday", "r1-merchant": "Lab", "r1-amount": "nine", "r1-category": "e"}
        page = self.post(**good, **wrong)
        self.assertEqual(page.status_code, 422)
        self.assertContains(page, 'id="r1-amount-error"', status_code=422)
        self.assertContains(page, "fits several", status_code=422)
        self.assertContains(page, 'value="yesterday"', status_code=422)
        self.assertEqual(Expense.objects.filter(owner=self.maren).count(), 0)

    def test_what_the_service_refuses_stands_at_its_cell(self):
        later = (self.today + timedelta(days=5)).isoformat()
        page = self.post(**{"r0-date": later, "r0-merchant": "Lab", "r0-amount": "9.00", "r0-category": "supplies"})
        self.assertContains(page, "has not come yet", status_code=422)

    def test_nothing_and_nonsense(self):
        self.assertContains(self.post(), "Fill at least one row", status_code=422)
        for data in (
            {"rows": "x"},
            {"rows": "99999", "r0-date": "1"},
            {"paste": "\x00\t\x00\n" * 5, "more": "1"},
            {"rows": "-1"},
        ):
            with self.subTest(data):
                self.assertIn(self.client.post("/expenses/grid/", data).status_code, (200, 422))

    def test_a_ride_says_what_it_earns_while_it_is_typed(self):
        self.enter(self.maren)
        ride = {
            "date": self.today - timedelta(days=3),
            "origin": "Cork",
            "target": "Cobh",
            "vehicle": "car",
            "passengers": "0",
        }
        before = Expense.objects.count()
        said = self.post("/expenses/ride/check/", **ride)
        self.assertContains(said, "km one way, looked up")
        self.assertContains(said, "EUR")
        self.assertContains(said, "the rate changes at 5000 km")
        for more, says in [
            ({"km": "900"}, "Say why"), ({"target": "Nowhereville-upon-x"}, "No place is known"), ({"target": ""}, ""), ({"km": "1e9"}, "Kilometres one way"),
            ({"odometer_start": "20", "odometer_end": "10"}, "Check the readings"), ({"date": self.today + timedelta(days=9)}, "error"), ({"vehicle": "sledge"}, "Vehicle"),
        ]:  # fmt: skip
            with self.subTest(more):
                answer = self.post("/expenses/ride/check/", **{**ride, **more})
                self.assertEqual(answer.status_code, 200)
                self.assertIn(says, answer.content.decode())
        self.assertEqual(Expense.objects.count(), before)
        kept = self.post("/expenses/ride/", **ride)
        self.assertContains(said, str(Expense.objects.get(pk=int(kept.url.strip("/").split("/")[-1])).amount))

    def test_a_ride_is_changed_and_worked_out_anew(self):
        self.enter(self.maren)
        day = self.today - timedelta(days=3)
        typed = {"date": day, "origin": "Cork", "target": "Cobh", "vehicle": "car", "passengers": "0", "km": "20"}
        self.post("/expenses/ride/", **typed)
        ride = Expense.objects.get(owner=self.maren, kind="mileage")
        path = f"/expenses/{ride.pk}/ride/"
        self.assertContains(self.client.get(f"/expenses/{ride.pk}/"), path)
        page = self.client.get(path)
        for value in (f'value="{day:%Y-%m-%d}"', 'value="Cork"', 'value="Cobh"', 'value="20.0"'):
            self.assertContains(page, value)
        again = typed | {"there_and_back": "on", "passengers": "1", "version": ride.version, "ride": ride.pk}
        said = self.post("/expenses/ride/check/", **again)
        self.assertContains(self.post(path, **again | {"km": "900"}), "Say why", status_code=422)
        self.assertRedirects(self.post(path, **again), f"/expenses/{ride.pk}/")
        before, ride = ride, Expense.objects.get(pk=ride.pk)
        self.assertEqual(
            (ride.km, ride.version, Expense.objects.filter(kind="mileage").count()), (40, before.version + 1, 1)
        )
        self.assertEqual(ride.amount_minor, before.amount_minor * 2 + 40 * 4)
        self.assertContains(said, str(ride.amount))
        # From another page, of somebody else, or once it is sent: nothing is changed.
        self.assertContains(self.client.post(path, again, follow=True), "changed on another page")
        self.enter(self.aiko)
        self.assertEqual((self.client.get(path).status_code, self.client.post(path, again).status_code), (404, 404))
        with self.assertRaises(Refusal):
            rides.change_ride(self.maren, self.a_cost().pk, 1, None)

    def test_rides(self):
        day = (self.today - timedelta(days=1)).isoformat()
        page = self.post("/expenses/rides/", paste=f"Date\tFrom\tTo\tReturn\n{day}\tCork\tCobh\tyes\n", more="1")
        self.assertContains(page, 'value="Cobh"')
        row = {
            "r0-date": day,
            "r0-origin": "Cork",
            "r0-target": "Cobh",
            "r0-there_and_back": "on",
            "r0-vehicle": "car",
            "r0-passengers": "0",
        }
        self.assertRedirects(self.post("/expenses/rides/", **row), "/tray/")
        self.assertEqual(Expense.objects.get(owner=self.maren).kind, "mileage")
        self.assertContains(
            self.post("/expenses/rides/", **row | {"r0-target": "Nowhere at all"}), "No place is known", status_code=422
        )


class TypingTest(Tray):
    def check(self, **data):
        self.enter(self.maren)
        return self.client.post(
            "/expenses/check/", {"date": str(self.today), "currency": "EUR", **data}
        ).content.decode()

    @shows("R5.1")
    def test_findings_and_proposals_while_typing(self):
        self.assertIn("Taxi?", self.check(merchant="Pier taxi"))
        self.assertIn("who was there", self.check(merchant="Havnekroa", category="meals", amount="40.00"))
        self.assertIn("13.5 % tax, usual for lodging", self.check(merchant="Inn", category="lodging", amount="40.00"))
        self.assertIn(
            "EUR</b>, rate 11.", self.check(merchant="Pier taxi", category="taxi", amount="540.00", currency="NOK")
        )
        self.assertIn(
            "has not come yet",
            self.check(merchant="x", category="taxi", amount="5", date=str(self.today + timedelta(days=9))),
        )

    def test_a_cost_known_already_is_said_at_once(self):
        cost = self.a_cost(self.maren, "20.00", merchant="Pier taxi")
        said = self.check(merchant="Pier taxi", category="taxi", amount="20.00", date=str(cost.date))
        self.assertIn("Pier taxi", said)
        self.assertIn("checked-explain", said)
        self.assertNotIn(
            "looks the same",
            self.check(merchant="Pier taxi", category="taxi", amount="20.00", date=str(cost.date), expense=cost.pk),
        )

    def test_nonsense_is_quiet(self):
        for data in (
            {},
            {"amount": "1e999", "category": "taxi"},
            {"merchant": "x" * 5000},
            {"currency": "???"},
            {"date": "0001-01-01", "amount": "1", "category": "taxi"},
        ):
            with self.subTest(data):
                self.assertNotIn("Traceback", self.check(**data))

    @shows("R5.1", "R5.2")
    def test_a_box_finds_by_any_part(self):
        self.enter(self.maren)
        row = {
            "date": str(self.today),
            "merchant": "Lab",
            "amount": "9.00",
            "currency": "EUR",
            "paid_by": "self",
            "category": "field sup",
            "customer": "munster",
            "code-project": "P-0417",
            "code-task": "lab",
        }
        response = self.client.post("/expenses/new/", row)
        self.assertEqual(response.status_code, 302)
        expense = Expense.objects.get(owner=self.maren)
        self.assertEqual(
            (expense.category, expense.customer, expense.coding), ("supplies", "K-118", coded("3120", "P-0417", "lab"))
        )
        page = self.client.post("/expenses/new/", row | {"code-task": ""})
        self.assertContains(page, "task", status_code=422)
        self.assertContains(
            self.client.post("/expenses/new/", row | {"customer": "nobody"}), "Nothing here is called", status_code=422
        )


class PagesTest(Tray):
    def paper(self, name="a.jpg", seed=1):
        self.taken(
            name,
            papers.photo(papers.Printed(("PIER TAXI", f"{self.today:%d.%m.%Y}", ("TOTAL EUR", "18.40"))), seed=seed),
        )
        return Receipt.objects.get(owner=self.maren, name=name)

    @shows("R1.4")
    def test_cut_in_two(self):
        page = self.paper().pages.get()
        for at in (0, 95):
            with self.assertRaises(Refusal):
                pages.cut(self.maren, page.pk, True, at)
        with self.assertRaises(Stale):
            pages.cut(self.aiko, page.pk, True, 50)
        with self.done():
            halves = pages.cut(self.maren, page.pk, True, 40)
        widths = [Receipt.objects.get(pk=half.pk).pages.get().width for half in halves]
        self.assertEqual(sum(widths), page.width)
        self.assertEqual(Receipt.objects.get(pk=page.receipt_id).aside, "Cut in two")
        self.assertEqual(len(tray(self.maren, Narrow(kind="papers")).rows), 2)

    @shows("R1.4")
    def test_joined_taken_off_and_put_back(self):
        one, other = self.paper(), self.paper("b.jpg", 2)
        pages.join(self.maren, one.pk, other.pk)
        self.assertEqual(one.pages.count(), 2)
        first, second = one.pages.all()
        pages.take_page_off(self.maren, first.pk, True)
        with self.assertRaises(Refusal):
            pages.take_page_off(self.maren, second.pk, True)
        pages.take_page_off(self.maren, first.pk, False)
        self.assertEqual(one.pages.filter(off=False).count(), 2)
        with self.assertRaises(Stale):
            pages.join(self.maren, one.pk, 99999)

    @shows("R1.5")
    def test_papers_of_a_cost_in_order_and_bound(self):
        claim = self.a_claim(costs=("18.40",))
        expense = claim.expenses.get()
        for receipt in (self.paper(), self.paper("b.jpg", 2)):
            receipts.attach(self.maren, receipt.pk, expense)
        names = list(expense.receipts.order_by("place", "received", "pk").values_list("name", flat=True))
        pages.order(self.maren, expense.pk, expense.receipts.get(name=names[1]).pk, True)
        self.assertEqual(list(expense.receipts.order_by("place").values_list("name", flat=True)), names[::-1])
        self.enter(self.maren)
        details.add_paper(self.maren, claim.trip_id, "agenda", "no.pdf", b"%PDF-1.7 and nothing")
        path = f"/claims/{claim.pk}/papers.pdf"
        self.assertContains(self.client.get(path), "0 of 2 papers bound")
        for where, count, words in ((path, 3, "b.jpg"), (f"/trips/{claim.trip_id}/papers.pdf", 3, "cannot be opened")):
            Binder.objects.all().delete()
            with self.done():
                self.client.get(where)
            self.assertContains(self.client.get(where, headers={"HX-Request": "true"}), "Save the PDF")
            response = self.client.get(where)
            self.assertEqual(response["Content-Type"], "application/pdf")
            pdf = PdfReader(io.BytesIO(b"".join(response.streaming_content)))
            self.assertEqual(len(pdf.pages), count)
            self.assertIn(words, pdf.pages[0].extract_text())

    def test_a_binder_is_bound_once_tried_again_and_forgotten(self):
        claim = self.a_claim(costs=("18.40",))
        receipt = self.paper()
        receipts.attach(self.maren, receipt.pk, claim.expenses.get())
        self.enter(self.maren)
        path = f"/claims/{claim.pk}/papers.pdf"
        with (
            mock.patch.object(binding, "bind", side_effect=OSError("full")),
            self.assertLogs("wainwright"),
            self.done(),
        ):
            self.client.get(path)
        self.assertContains(self.client.get(path), "could not be bound")
        with mock.patch.object(binding, "bind", wraps=binding.bind) as bound:
            with self.done():
                self.client.post(path)
            with self.done():
                binding.put_together.call_local(Binder.objects.get().pk)
                b"".join(self.client.get(path).streaming_content)
        self.assertEqual((bound.call_count, Binder.objects.count()), (1, 1))
        file = Path(Binder.objects.get().file.path)
        # A page that is gone from the disk is named, and the rest is bound.
        pages.take_page_off(self.maren, receipt.pages.first().pk, False)
        Path(receipt.pages.first().picture.path).unlink()
        Binder.objects.update(key="x")
        with self.done():
            self.client.get(path)
        binder = Binder.objects.get()
        self.assertIn("its file is missing", PdfReader(binder.file.path).pages[0].extract_text())
        # The one before it is let go, and deleted some days later: a backup may still look for it.
        self.assertTrue(file.exists())
        Dropped.objects.update(time=clock.now() - KEPT - timedelta(minutes=1))
        self.assertEqual((delete_dropped(), file.exists()), (1, False))
        Binder.objects.update(time=clock.now() - timedelta(days=8))
        with self.done():
            binding.forget_old()
        self.assertEqual((Binder.objects.count(), Dropped.objects.get().name), (0, binder.file.name))


class FinanceTest(Tray):
    def charge(self, who, ago, minor=1000):
        return Charge.objects.create(
            firm=who.firm, owner=who, card=Card.objects.filter(owner=who).first(), bank_id=f"f{Charge.objects.count()}", date=self.today - timedelta(days=ago),
            merchant="Pier taxi", currency="EUR", amount_minor=minor,
        )  # fmt: skip

    @shows("R3.5")
    def test_whose_charges_lie_loose_and_a_reminder_a_day(self):
        old, new, hers = self.charge(self.maren, 40), self.charge(self.maren, 2), self.charge(self.aiko, 10)
        self.assertEqual(
            [(row.name, row.count, row.oldest) for row in by_person(self.priya)],
            [("Maren Oyelaran", 2, 40), ("Aiko Brandt", 1, 10)],
        )
        for narrow, wanted in [
            (Loose(), [old, hers, new]),
            (Loose(person=self.aiko.pk), [hers]),
            (Loose(age=30), [old]),
            (Loose(card="0000"), []),
        ]:
            with self.subTest(narrow):
                self.assertEqual(list(loose_charges(self.priya, narrow)), wanted)
        self.assertEqual(list(loose_charges(self.liv, Loose())), [])
        with self.assertRaises(NotAllowed):
            reminding.remind(self.benedikt, [old.pk])
        self.assertEqual(reminding.remind(self.priya, [old.pk, new.pk, hers.pk]), 2)
        self.assertIn("2 charges lie loose", Notice.objects.filter(member=self.maren).latest("pk").text)
        with self.assertRaises(Refusal):
            reminding.remind(self.priya, [old.pk])

    @shows("R3.3", "A2.2")
    def test_a_card_has_an_account_of_its_own(self):
        card = self.maren.cards.first()
        with self.assertRaises(NotAllowed):
            cards.change_card(self.maren, card.pk, "", "", "")
        for since, closed, account in [("x", "", ""), ("2026-05-01", "2026-04-01", ""), ("", "", "nowhere")]:
            with self.subTest(since=since, account=account), self.assertRaises(Refusal):
                cards.change_card(self.priya, card.pk, since, closed, account)
        with self.assertRaises(Card.DoesNotExist):
            cards.change_card(self.liv, card.pk, "", "", "")
        offered = books(self.priya.firm).picks("account").words("6445")
        self.assertNotEqual(offered, "6445")
        self.assertEqual(cards.change_card(self.priya, card.pk, "2026-01-01", "", offered).account, "6445")
        cards.change_card(self.priya, card.pk, "2026-01-01", "", "6445")
        claim = self.a_claim(costs=())
        expense = taking.take(self.maren, None, self.charge(self.maren, 9, 5000).pk)
        compose.put_in(self.maren, claim.pk, [expense.pk])
        journal = load_file(self.maren, Claim.objects.get(pk=claim.pk)).journal
        self.assertEqual(sum(e.credit.minor for e in journal.entries if e.coding.account == "6445"), 5000)

    @shows("R3.4")
    def test_personal_costs_are_followed_until_paid_back(self):
        expense = taking.mark_personal(self.maren, self.charge(self.maren, 9).pk)
        self.assertEqual([each.left for each in personal_open(self.priya)[0]], [expense.amount])
        self.enter(self.priya)
        self.assertContains(self.client.get("/ledger/loose/"), "on no claim")

    def test_what_a_posted_claim_set_off_is_open_no_more(self):
        for own, left in (("200.00", None), ("30.00", "60.00")):
            with self.subTest(own), transaction.atomic():
                big = taking.mark_personal(self.maren, self.charge(self.maren, 9, 9000).pk)
                cost = self.a_cost(amount=own, merchant=f"Rope shop {own}")
                proof(cost, 1)
                claim = compose.claim_loose(self.maren, f"Ropes {own}")
                self.assertEqual(claim.expenses.count(), 2)
                self.assertEqual([e.left for e in personal_open(self.priya)[0]][-1:], [big.amount])
                self.send_claim(claim)
                with self.done():
                    self.approve_all("claim", claim.pk)
                road.clear(self.priya, claim.pk, Claim.objects.get(pk=claim.pk).version)
                books_service.post(self.priya, claim.pk, Claim.objects.get(pk=claim.pk).version)
                found = [e for e in personal_open(self.priya)[0] if claim.code in e.where]
                self.assertEqual([str(e.left) for e in found], [left] if left else [])
                transaction.set_rollback(True)
