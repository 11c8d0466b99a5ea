"""One journey from the first plan to the paid and posted claim, walked by four people in the browser."""

from __future__ import annotations

import re
from datetime import datetime, time, timedelta
from decimal import Decimal
from email import message_from_bytes
from io import StringIO
from pathlib import Path

from django.core.management import call_command
from selenium.webdriver.common.by import By

from demo import load, papers
from tests import worlds
from tests.browser.base import BrowserTestCase
from wainwright import clock
from wainwright.accounts.models import BudgetUse, Payment, PayRun, Posting
from wainwright.bookings.models import Booking
from wainwright.claims.models import Claim
from wainwright.core.money import Money
from wainwright.expenses.models import Charge, Expense, Receipt
from wainwright.formats.pain001 import check_schema
from wainwright.standins.ledger.models import LedgerCode, LedgerEntry
from wainwright.standins.mailbox.models import Mail
from wainwright.trips.models import Trip
from wainwright.trips.services.road import move_along


class WalkTest(BrowserTestCase):
    """Each step goes on from the one before, so it is one test."""

    def test_one_journey(self):
        self.first, _ = load.tour_days()
        self.maren_plans_and_sends()
        self.tobias_authorises()
        self.maren_records()
        self.maren_claims()
        self.two_sign_and_one_sends_back()
        self.priya_checks_posts_and_pays()
        out = StringIO()
        call_command("verify_trail", stdout=out)
        self.assertIn("The trail holds", out.getvalue())
        self.assertEqual(self.console(), [])

    def maren_plans_and_sends(self):
        self.sign_in("Maren Oyelaran")
        self.press("Start a trip")
        last = self.first + timedelta(days=4)
        where = f"bergen {self.first} to {last}, flight"
        self.fill(title="Tide gauge at the north quay", purpose="Recalibrating the gauge", line=where)
        self.press("Start the trip")
        self.see("Nothing is held yet", "Cork → Bergen", "Bergen → Cork", "4 nights")
        self.press("Find ways")
        self.see("choose one to see its yardstick", "Other days")
        # By price; as it stands what the firm has a contract for comes first, there with one carrier and back with another.
        self.fill(within=".narrowing", order="price")
        self.press("Narrow")
        self._choose_way()
        self.see("Bergen to Cork")
        self._choose_way()
        self.see("Hold this fare", "What it does to the trip")
        if self.driver.find_elements(By.CSS_SELECTOR, "#chosen [name='words']"):
            self.fill(within="#chosen", words="In time for the tide")
        self.press("Hold this fare")
        self.see("is held under", "Lodging", "What it comes to")
        trip = Trip.objects.get()
        self.assertEqual(trip.nights.count(), 4)
        self.assertEqual(Booking.objects.get().state, "Held")
        # Two legs typed in one line between the two flights, and a dearer hotel: a finding with the figure.
        day, before = self.first + timedelta(days=2), last - timedelta(days=1)
        legs = f"ferry bergen to florø {day} 7:30 14:15; hire car bergen {before} 8:00 12:30"
        self.fill(within=".line-entry", line=legs)
        self.press("Add", within=".line-entry")
        self.until(lambda d: Trip.objects.get().legs.count() == 4)
        self.line_of("no house yet")
        self.fill(within=".journey .panel", name="Lamp Quay Hotel", cost="170")
        self.press("Keep the night", within=".journey .panel")
        self.see("20.00 a night over the 150.00 ceiling for Bergen")
        self.press("+ a cost", ".door")
        self.fill(within="#slot-doors", category="taxi", label="Taxis", amount="60")
        self.press("Add", within="#slot-doors")
        self.see("Taxis")
        self.press("Lunch", within=".ribbon")
        self.see("is supplied by others now")
        self.explain_all("The only rooms with a quay for the boat")
        self.press("Advance", ".door")
        self.fill(within="#slot-doors", advance="100")
        self.press("Ask for it")
        self.see("Say what the advance is for")
        self.fill(within="#slot-doors", why="The boatman takes cash only")
        self.press("Ask for it")
        self.until(lambda d: Trip.objects.get().advance_minor == 100_00)
        self.assert_accessible("the trip")
        self.press("Look it over and sign")
        self.see("What you sign", "Lamp Quay Hotel", "I ask for the advance of 100.00", "The boatman takes cash only")
        self.assert_accessible("the page before signing")
        self.press("I ask for the advance", "label.check")
        self.fill(within="#certify", name="Somebody Else")
        self.press("Certify and send", within="#certify")
        self.see("Type your name as it stands here")
        self.press("I ask for the advance", "label.check")
        self.fill(within="#certify", name="Maren Oyelaran")
        self.press("Certify and send", within="#certify")
        self.see("Awaiting sign-off", "Who signs next Tobias")

    def _choose_way(self):
        """Take the first of the list that lands the same day."""
        another_day = re.compile(r"– (Mon|Tue|Wed|Thu|Fri|Sat|Sun) ")
        self.follow(".ways-list a.way", lambda row: not another_day.search(row.text))

    def tobias_authorises(self):
        self.sign_in("Tobias Achterberg")
        self.press("Bench")
        self.see("Maren Oyelaran, Tide gauge", "left before", "The only rooms with a quay")
        self.assert_accessible("the bench with a trip")
        self.press("Approve")
        self.see("it is authorised now")
        trip = Trip.objects.get()
        self.assertEqual(trip.state, "Authorised")
        uses = {u.budget.code: u.committed_minor for u in BudgetUse.objects.all()}
        self.assertEqual(uses, {"3120": trip.planned.minor, "P-0417": trip.planned.minor})
        booking = Booking.objects.get()
        self.assertEqual(booking.state, "Ticketed")
        self.assertRegex(booking.ticket_number, r"^704-\d{10}$")
        mail = Mail.objects.filter(to="maren.oyelaran@brackwater.example").latest("time")
        self.assertIn("itinerary.ics", mail.attachments)
        self.assertGreaterEqual(self._calendar(mail).count("BEGIN:VEVENT"), 6)

    def _calendar(self, mail: Mail) -> str:
        part = next(p for p in message_from_bytes(bytes(mail.raw)).walk() if p.get_filename() == "itinerary.ics")
        return part.get_payload(decode=True).decode()

    def maren_records(self):
        self.move_clock(datetime.combine(self.first + timedelta(days=6), time(9)))
        move_along(clock.now())
        self.assertEqual(Trip.objects.get().state, "Back")
        self.sign_in("Maren Oyelaran")
        files = load.write_papers(Path(self.folder.name) / "tour", papers.of_tour(self.first))
        photographed = [str(path) for path in files if path.suffix != ".ofx"]
        self.press("Tray")
        self.attach("[data-drop] input[type=file]", *photographed)
        self.see("3 papers taken in")
        self.until(lambda d: Receipt.objects.filter(state="Read").count() == 3)
        self.attach("form[action='/tray/card-file/'] input[type=file]", files[-1])
        self.see("nothing is taken yet", "KVALHEIM MARINE AS BERGEN")
        self.press("Take the 6")
        self.see("6 taken, 0 known already", "KVALHEIM MARINE AS BERGEN")
        self.see("102.00", "88.20", "fit without doubt")
        self.assert_accessible("the tray")
        self.press("Take the")
        self.see("taken.")
        self.assertEqual(Charge.objects.filter(state="In an expense").count(), 3)
        till = Receipt.objects.get(name="till-receipt.jpg")
        self.assertEqual((till.value("total"), till.value("tax"), till.value("currency")), ("102.00", "20.40", "EUR"))
        self.assertEqual(till.expense.amount, Money.of("102.00", "EUR"))
        # One charge is personal, two have no paper yet.
        row = "//div[contains(@class,'board-row')][contains(., '{}')]//button[contains(., '{}')]"
        self.press_at(row.format("GAMLE KINO", "Personal"))
        self.see("is personal; you will owe 16.00 back")
        for name in ("LAB OG LODD", "LEESIDE PARKING"):
            self.press_at(row.format(name, "Take"))
            self.until(lambda d, n=name: n not in d.find_element(By.ID, "board").text)
        self.press("Type a cost")
        self.fill(
            date=(self.first + timedelta(days=2)).isoformat(), merchant="Pier taxi", category="taxi", amount="228.05",
            currency="NOK", paid_by="self",
        )  # fmt: skip
        self.press("Keep the cost")
        self.see("paid 228.05 NOK")
        self.open("/expenses/ride/")
        self.fill(date=self.first.isoformat(), origin="Cork", target="Cobh")
        self.press_at("//*[@name='there_and_back']")
        self.press("Keep the ride")
        self.see("Cork – Cobh, 48 km", "20.16")
        self._break_down_the_hotel()

    def _break_down_the_hotel(self):
        hotel = Receipt.objects.get(name="hotel-bill.pdf")
        self.assertEqual((hotel.pages.count(), hotel.value("total")), (2, load.papers.hotel_total()))
        self.open(f"/expenses/{hotel.expense_id}/")
        parts = [("lodging", f"Night {n + 1}", "142.00", self.first + timedelta(days=n)) for n in range(4)]
        parts += [("citytax", "City tax", "14.00", None), ("lodging", "Breakfast", "15.00", None)]
        self._type_parts(parts)
        self.see("1.00 is left to place")
        parts[-1] = ("lodging", "Breakfast", "16.00", None)
        self._type_parts(parts)
        self.see("the parts come to 598.00")
        self.assertEqual(len(Expense.objects.get(pk=hotel.expense_id).nights), 4)
        ferry = Receipt.objects.get(name="ferry-ticket.png").expense_id
        self.open(f"/expenses/{ferry}/")
        self.press("Split over codings")
        for row, centre in enumerate(("3120", "3140")):
            self.put("[name='split-coding']", centre, row)
        self.put("[name='split-share']", "40", 1)
        self.press_at("//*[@name='split-by'][@value='amount']")
        self.until(
            lambda d: (
                sum(self._shares())
                == Decimal(d.find_element(By.CSS_SELECTOR, "[data-whole]").get_attribute("data-whole"))
            ),
            "of two lines the other does not bear the rest",
        )
        self.press_at("//*[@name='split-by'][@value='share']")
        self.until(lambda d: sum(self._shares()) == 100 and round(self._shares()[0]) == 60)
        self.press("Split it")
        self.until(lambda d: Expense.objects.get(pk=ferry).shares.count() == 2)

    def _shares(self) -> list[Decimal]:
        found = self.driver.find_elements(By.NAME, "split-share")
        return [Decimal(value) for each in found if (value := each.get_attribute("value"))]

    def _type_parts(self, parts):
        names = ("category", "label", "amount", "night")
        rows = [{name: str(value or "") for name, value in zip(names, part, strict=True)} for part in parts]
        self.do(
            lambda d: d.execute_script(
                "arguments[0].forEach((row, n) => Object.entries(row).forEach(([name, value]) => {"
                " document.querySelectorAll(`[name='part-${name}']`)[n].value = value; })); return true", rows,
            )
        )  # fmt: skip
        self.press("Keep the parts")

    def maren_claims(self):
        trip = Trip.objects.get()
        self.open(f"/trips/{trip.pk}/")
        self.press("Make the claim")
        self.see("Still asked", "Leeside Parking", "has no receipt")
        claim = Claim.objects.get()
        self.assertEqual(claim.expenses.count(), 8)
        self.assert_accessible("the claim")
        self.fill(within="#certify", name="Maren Oyelaran")
        self.press("Certify and send", within="#certify")
        self.see("still to put right or explain")
        self.open(f"/claims/{claim.pk}/")
        self.answer_all("The machines gave no paper")
        self.see("Nothing is asked any more")
        self.fill(within="#certify", name="Maren Oyelaran")
        self.press("Certify and send", within="#certify")
        self.see("In sign-off", "owner of 3140 Boats")
        self.press("Take it back")
        self.see("Certify and send")
        self.fill(within="#certify", name="Maren Oyelaran")
        self.press("Certify and send", within="#certify")
        self.see("In sign-off")
        claim.refresh_from_db()
        sums = {e.label: e.amount_minor for e in claim.expenses.all()}
        # One night of the bill is one whose quarters are supplied on the trip: it is not paid without the permission.
        self.assertEqual(sum(sums.values()) - 16_00 - 142_00 + claim.statement.allowance_minor, claim.total.minor)

    def two_sign_and_one_sends_back(self):
        claim = Claim.objects.get()
        self.sign_in("Tobias Achterberg")
        self.press("Bench")
        self.see("Says", "Shows", "Allows", "How it will post", "Maren Oyelaran, Tide gauge")
        self.assert_accessible("the bench with a claim")
        hotel = Receipt.objects.get(name="hotel-bill.pdf").expense
        self.open(f"/bench/claim/{claim.pk}/?line={hotel.key}")
        self.see("142.00 is over the ceiling and is not paid")
        self.fill(comment="The bunkhouse had no heating", within="#evidence")
        self.press("Permit to pay 142.00 more")
        self.see("What is over the ceiling is paid", "Statement 3", "permitted what is over the ceiling")
        self.press("Approve")
        self.see("the next on the route are asked")
        self.sign_in("Ottilie Marsh")
        self.press("Bench")
        ferry = Receipt.objects.get(name="ferry-ticket.png").expense
        self.open(f"/bench/claim/{claim.pk}/?line={ferry.key}")
        self.press("Send back")
        self.fill(within="#send-back", comment="One question", **{f"line-{ferry.key}": "Which boat was this for?"})
        self.press("Send back", within="#send-back form")
        self.see("Sent back with your comment")
        self.sign_in("Maren Oyelaran")
        self.press("Claims")
        self.see("Sent back")
        self.open(f"/claims/{claim.pk}/")
        self.see("One question", "Ottilie Marsh: Which boat was this for?")
        self.open(f"/expenses/{ferry.pk}/")
        self.press("Change the cost")
        self.fill(within="#change", **{"change-description": "Ferry with the work boat Kittiwake"})
        self.press("Keep the change")
        self.see("Kittiwake")
        self.open(f"/claims/{claim.pk}/")
        self.fill(within="#certify", name="Maren Oyelaran")
        self.press("Certify and send", within="#certify")
        # No amount and no coding changed: Tobias's sign-off stands, only Ottilie is asked again.
        self.see("In sign-off", "signed before, unchanged")
        self.sign_in("Tobias Achterberg")
        self.open("/bench/")
        self.see("Nothing waits for you")
        self.sign_in("Ottilie Marsh")
        self.press("Bench")
        self.press("Approve")
        self.see("it is with finance now")
        claim.refresh_from_db()
        self.assertEqual(claim.state, "In finance check")

    def priya_checks_posts_and_pays(self):
        claim = Claim.objects.get()
        LedgerCode.objects.filter(firm="ltd", code="P-0417").update(open_until=worlds.today() - timedelta(days=1))
        self.sign_in("Priya Sundqvist")
        self.press("Bench")
        self.press("Clear and post")
        self.see("The ledger refused it", "The ledger has closed project P-0417")
        self.assertEqual(Claim.objects.get().state, "Posting refused")
        codes = {"code-cost_centre": "3120", "code-project": "P-0431", "code-task": "field"}
        self.fill(within="#recode", old="project:P-0417", **codes)
        self.press("Correct", within="#recode")
        self.see("The coding was corrected")
        self.press("Post again")
        self.see("is posted")
        claim.refresh_from_db()
        self.assertEqual(claim.state, "Posted")
        self.assertEqual(LedgerEntry.objects.filter(key__startswith="claim:").count(), 1)
        self.press("Ledger")
        self.see("Entered")
        self.assert_accessible("the ledger")
        self.press("Pay", within=".head")
        self.see("posted claim is owed")
        self.press("Make the pay run")
        self.see("went to the bank and was answered", "Paid")
        run = PayRun.objects.get()
        check_schema(bytes(run.file))
        claim.refresh_from_db()
        self.assertEqual(claim.state, "Settled")
        self.assertEqual(Payment.objects.get().amount, claim.owed)
        self.assertEqual(Posting.objects.filter(state="Entered").count(), 2)
        self.assertTrue(
            Mail.objects.filter(to="maren.oyelaran@brackwater.example", subject__contains="is on its way").exists()
        )
