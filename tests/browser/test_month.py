"""A month of costs: many receipts and charges at once, by keyboard; a hotel bill; recording on a phone."""

from __future__ import annotations

import json
import os
import time
from datetime import datetime, timedelta
from datetime import time as wall
from decimal import Decimal
from pathlib import Path

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from demo import papers
from tests import worlds
from tests.browser.base import BrowserTestCase
from tests.codings import coded
from tests.coverage import shows
from wainwright.claims.models import Claim
from wainwright.claims.selectors import load_file
from wainwright.expenses.models import Charge, Expense, Receipt
from wainwright.formats.places import place
from wainwright.trips.models import Trip
from wainwright.trips.services import plan

SHOPS = [
    "Pier Taxi",
    "Lab og Lodd",
    "Havnekroa",
    "Leeside Parking",
    "Fjordlink Ferry",
    "Cork Tram",
    "Harbour Chandler",
    "Kvalheim Marine",
]
PASTE = "Day\tPaid to\tAmount\tWhat for\n" + "".join("{day}\tPier taxi\t" + f"{12 + n},40\tTaxi\n" for n in range(5))


class MonthTest(BrowserTestCase):
    def papers_and_charges(self, today):
        """Forty receipts, of which 37 have their charge; sixty charges. Returns the files and the card file."""
        folder = Path(self.folder.name) / "month"
        folder.mkdir()
        files, rows = [], []
        for n in range(60):
            shop, day, amount = SHOPS[n % len(SHOPS)], today - timedelta(days=1 + n // 2), Decimal(1137 + n * 211) / 100
            rows.append(f"{day:%d.%m.%Y};{shop.upper()} {2000 + n};{str(amount).replace('.', ',')};M{n}")
            if n < 37:
                files.append(self._paper(folder, n, shop, day, amount))
        # Three that no charge belongs to, two of them without a word for their total.
        files.append(self._paper(folder, 90, "Quay Cafe", today - timedelta(days=4), Decimal("8.15")))
        files += [
            self._paper(folder, n, "Quay Cafe", today - timedelta(days=5), Decimal(n), word="Paid") for n in (91, 92)
        ]
        card = folder / "card.csv"
        card.write_text("Date;Merchant;Amount;Reference\n" + "\n".join(rows) + "\n")
        return files, card

    def _paper(self, folder, n, shop, day, amount, word="TOTAL EUR"):
        lines = (shop.upper(), f"{day:%d.%m.%Y} 12:00", (word, f"{amount:.2f}"), "Card **** 4410")
        path = folder / f"r{n:02d}.png"
        path.write_bytes(papers.clean_png(papers.Printed(lines)))
        return path

    def key(self, *keys):
        """Press keys and count them."""
        self.acts += len(keys)
        self.driver.switch_to.active_element.send_keys(*keys)

    def by_keys_alone(self):
        """Go down two lines, take that one, undo it; not counted, since nobody has to."""
        before = self.acts
        self.key("j")
        self.key("j")
        name = self.do(
            lambda d: (
                d.find_elements(By.CSS_SELECTOR, ".board [data-line]")[1].find_element(By.CSS_SELECTOR, ".card b").text
            )
        )
        self.key("t")
        self.until(
            lambda d: (
                d.find_elements(By.CSS_SELECTOR, ".board [data-line]")[1]
                .find_element(By.CSS_SELECTOR, "input[name=row]")
                .is_selected()
            )
        )
        self.key("a")
        self.see("is an expense now")
        self.assertIn(Expense.objects.get().merchant.casefold(), name.casefold())
        self.key("u")
        self.see("lie loose again")
        self.assertEqual(Expense.objects.count(), 0)
        self.acts = before

    def click(self, text, **options):
        self.acts += 1
        self.press(text, **options)

    def choose(self, css, files):
        self.acts += 2
        self.attach(css, *files)

    def test_the_month(self):
        self.acts, begun, today = 0, time.monotonic(), worlds.today()
        files, card = self.papers_and_charges(today)
        self.sign_in("Maren Oyelaran")
        self.open("/tray/")
        self.choose("[data-drop] input[type=file]", files)
        self.until(lambda d: Receipt.objects.filter(state="Read").count() == 40, "forty were not read", 900)
        self.choose("form[action='/tray/card-file/'] input[type=file]", [card])
        self.see("60 new")
        self.click("Take the 60")
        self.see("60 taken", "fit without doubt")
        self.assertEqual(Charge.objects.count(), 60)
        self.assert_accessible("the tray of a month")
        # What fits is taken at one press; undone and taken again by a key each.
        self.click("Take the")
        self.see("taken.")
        taken = Expense.objects.count()
        self.assertGreaterEqual(taken, 35)
        self.press_at("//h1")
        self.key("u")
        self.see("undone; papers and charges lie loose again")
        self.assertEqual(Expense.objects.count(), 0)
        self.by_keys_alone()
        self.key("A")
        self.see("taken.")
        # One charge is personal; two papers could not be read and are typed.
        self.acts += 1
        self.press_at("//div[contains(@class,'board-row')]//button[contains(., 'Personal')]")
        self.see("is personal; you will owe")
        for n in (91, 92):
            receipt = Receipt.objects.get(name=f"r{n}.png")
            self.assertEqual(receipt.value("total"), "", "a total was invented")
            self.open(f"/receipts/{receipt.pk}/")
            self.acts += 1
            self.put("[name=amount]", f"{n},00")
            self.acts += 5
            self.click("Make the expense")
            self.see(f"{n}.00")
        # Five are pasted into the grid.
        self.open("/expenses/grid/")
        self.acts += 2
        text = PASTE.replace("{day}", f"{today - timedelta(days=2):%d.%m.%Y}")
        self.driver.execute_script(
            "const box = document.querySelector('[name=r0-merchant]'), data = new DataTransfer(); data.setData('text/plain', arguments[0]);"
            "box.focus(); box.dispatchEvent(new ClipboardEvent('paste', {clipboardData: data, bubbles: true, cancelable: true}))", text,
        )  # fmt: skip
        self.until(lambda d: d.find_element(By.NAME, "r4-amount").get_attribute("value") == "16,40")
        self.assert_accessible("the grid")
        self.click("Keep all rows")
        self.see("5 kept")
        # The rest of the board is taken with everything ticked, page by page.
        while Charge.objects.filter(state="Loose").exists():
            self.open("/tray/")
            self.acts += 2
            self.driver.execute_script(
                "document.querySelectorAll('.tick input').forEach((box) => { if (box.offsetParent) box.checked = true; })"
            )
            self.driver.execute_script(
                "document.querySelector('.tick input').dispatchEvent(new Event('change', {bubbles: true}))"
            )
            self.click("Take", within="#sort")
            self.see("expenses now")
        self.open("/tray/")
        self.put("#claim-title", "October costs")
        self.acts += 14
        self.click("Make the claim")
        self.see("C-0001")
        claim = Claim.objects.get()
        expenses = list(claim.expenses.all())
        self.assertEqual(Expense.objects.filter(claim__isnull=True).count(), 0)
        self.assertEqual(sum(e.personal for e in expenses), 1)
        self.assertFalse(Charge.objects.filter(state="Loose").exists())
        wrong = sum(self._wrong(e) for e in expenses)
        seconds = time.monotonic() - begun
        if told_to := os.environ.get("WAINWRIGHT_MONTH"):
            Path(told_to).write_text(json.dumps({"acts": self.acts, "seconds": seconds, "wrong": wrong}))
        self.assertEqual(wrong, 0)
        self.assertLess(self.acts, 80)

    def _wrong(self, expense) -> bool:
        """Whether a cost has another amount than its charge, or a paper of another charge."""
        charge = getattr(expense, "charge", None)
        totals = [r.value("total") for r in expense.receipts.all() if r.value("total")]
        return charge is not None and any(Decimal(t) != expense.amount.amount for t in totals)

    @shows("R6.1", "X8.1")
    def test_a_hotel_bill_from_pdf_to_parts(self):
        today = worlds.today()
        maren = self.people["maren"]
        first = today - timedelta(days=8)
        trip = plan.start_trip(maren, "Gauges in Bergen", "Recalibrate", coded("3120"))

        out, back = datetime.combine(first, wall(8)), datetime.combine(first + timedelta(days=4), wall(15))
        plan.add_leg(maren, trip.pk, "air", place("ORK"), place("BGO"), out, out + timedelta(hours=4), Decimal(200))
        plan.add_leg(maren, trip.pk, "air", place("BGO"), place("ORK"), back, back + timedelta(hours=4), Decimal(200))
        Trip.objects.filter(pk=trip.pk).update(state="Back")
        bill = Path(self.folder.name) / "hotel.pdf"
        bill.write_bytes(papers.hotel_bill(first))
        self.sign_in("Maren Oyelaran")
        self.open("/tray/")
        self.attach("[data-drop] input[type=file]", bill)
        self.until(lambda d: Receipt.objects.filter(state="Read").exists())
        self.open("/tray/")
        self.press("Take", css="button", within="#board")
        self.see("is an expense now")
        expense = Expense.objects.get()
        self.assertEqual(expense.category, "lodging")
        self.open(f"/trips/{trip.pk}/")
        self.press("Make the claim")
        self.see("C-0001")
        claim = Claim.objects.get()
        before = load_file(maren, claim).allowance
        self.open(f"/expenses/{expense.pk}/")
        self.see("proposed from what was read", "Left to place: 0.00")
        self.assert_accessible("the break-down")
        values = [box.get_attribute("value") for box in self.driver.find_elements(By.NAME, "part-meal")]
        self.assertEqual(values.count("breakfast"), 1)
        box = "[name=part-amount]"
        self.do(lambda d: d.find_element(By.CSS_SELECTOR, box).send_keys(Keys.END, Keys.BACKSPACE, "5") or True)
        self.until(lambda d: d.find_element(By.CSS_SELECTOR, "[data-left]").text == "-0.05")
        self.do(lambda d: d.find_element(By.CSS_SELECTOR, box).send_keys(Keys.END, Keys.BACKSPACE, "0") or True)
        self.press("Keep the parts")
        self.see("the parts come to 598.00", "The daily allowance was")
        after = load_file(maren, Claim.objects.get()).allowance
        self.assertEqual(str(before - after), "11.60")
        self.assertEqual(len(Expense.objects.get().nights), 4)


class PhoneTest(BrowserTestCase):
    width, height = 390, 800

    @shows("R1.2")
    def test_recording_on_a_phone(self):
        self.sign_in("Maren Oyelaran")
        self.open("/tray/")
        folder = Path(self.folder.name)
        shots = []
        for n in (1, 2):
            shots.append(folder / f"shot{n}.jpg")
            shots[-1].write_bytes(
                papers.photo(
                    papers.Printed(
                        ("PIER TAXI", f"{worlds.today() - timedelta(days=n):%d.%m.%Y}", ("TOTAL EUR", f"1{n}.40"))
                    ),
                    seed=n,
                )
            )
        self.assertEqual(
            self.do(lambda d: d.find_element(By.CSS_SELECTOR, "[data-camera]").get_attribute("capture")), "environment"
        )
        # No signal: the first picture is kept on the device and says so; it goes when the signal is back.
        self.driver.set_network_conditions(offline=True, latency=0, throughput=0)
        self.attach("[data-camera]", shots[0])
        self.see("waits for the signal; it is kept on this device")
        self.assertEqual(Receipt.objects.count(), 0)
        self.driver.delete_network_conditions()
        self.driver.execute_script("window.dispatchEvent(new Event('online'))")
        self.see("1 paper taken in")
        self.attach("[data-camera]", shots[1])
        self.until(lambda d: Receipt.objects.filter(state="Read").count() == 2)
        self.open("/tray/")
        self.assertLessEqual(self.driver.execute_script("return document.documentElement.scrollWidth"), 390)
        self.press("Take", css="button", within="#board")
        self.see("is an expense now")
        self.open("/expenses/new/")
        self.assertLessEqual(self.driver.execute_script("return document.documentElement.scrollWidth"), 390)
        self.fill(merchant="Lab og Lodd", amount="9,90")
        self.press("Field supplies?")
        self.press("Keep the cost")
        self.see("9.90")
        self.assertEqual(Expense.objects.get(merchant="Lab og Lodd").category, "supplies")
