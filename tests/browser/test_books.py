"""Finance's half from end to end: masters in, journals out, money paid, the statement reconciled, the month closed."""

from __future__ import annotations

from contextlib import nullcontext
from datetime import datetime, time, timedelta
from decimal import Decimal
from pathlib import Path

from demo.bank import camt
from tests import worlds
from tests.apps.world import World, eur
from tests.browser.base import BrowserTestCase
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.models import Code, FirmAccounts, Payment, PayRun, Period, Posting
from wainwright.bookings.services import ByHand
from wainwright.claims.models import Claim
from wainwright.closing.models import Accrual
from wainwright.journals.models import PostingRun
from wainwright.people.models import Firm, Membership, new_version
from wainwright.reconciling.models import BankAccount, Line
from wainwright.rulebook.models import Category, Policy
from wainwright.standins.ledger.models import LedgerCode, LedgerParty
from wainwright.trips.models import Trip
from wainwright.trips.services import basket, plan
from wainwright.trips.services import road as trips

CLOSED_IBAN = "IE64IRCE92050112345678"


class BooksTest(World, BrowserTestCase):
    seconds = 60

    def setUp(self):
        super().setUp()
        self.meet_the_people()

    def done(self):
        """What waits for the transaction is run as it is kept."""
        return nullcontext()

    def claims(self, *amounts: str) -> list[Claim]:
        return [self.cleared_claim(costs=(amount,)) for amount in amounts]

    @shows("A1.1")
    def test_masters_are_fetched_taken_and_connected_and_a_run_is_mended(self):
        """Fetch, see what changes, take, map the gap; then a run with one refusal, mended, posted, reported."""
        slug = self.priya.firm.slug
        one, other = self.claims("20.00", "21.00")
        account = one.statement.lines.get(kind="cost").coded.first().account
        LedgerCode.objects.create(firm=slug, dimension="account", code="6999", name="Taxi and transfers")
        LedgerCode.objects.filter(firm=slug, dimension="account", code=account).delete()
        self.sign_in("Priya Sundqvist")
        self.open("/ledger/masters/")
        self.press("Fetch now")
        self.see("What would change", "in use", "6999", account)
        self.assertFalse(Code.objects.filter(code="6999").exists())
        self.press("Take")
        self.see("taken", f"account {account} is closed")
        category = Category.objects.get(firm=self.priya.firm, account=account)
        form = f"//form[.//input[@value='{category.code}']]"
        self.do(
            lambda d: d.find_element("xpath", f"{form}//input[@name='code'] | {form}//button[@name='code']") or True
        )
        box = self.driver.find_elements("xpath", f"{form}//input[@name='code']")
        if box:
            box[0].send_keys("6999")
            self.press_at(f"{form}//button")
        else:
            self.press_at(f"{form}//button[@name='code']")
        self.see("It is connected")
        self.press("Make a supplier of")
        self.see("connected with a supplier")
        self.assertEqual(
            LedgerParty.objects.filter(firm=slug, kind="supplier").count(), self.priya.firm.suppliers.count()
        )

        self.open("/ledger/")
        self.press("Post what is ticked")
        self.see("2 refused", "The run stays open")
        run = PostingRun.objects.get()
        LedgerCode.objects.create(firm=slug, dimension="account", code=account, name="Open again")
        self.open("/ledger/")
        for claim in (one, other):
            self.do(
                lambda d, claim=claim: (
                    d.find_element("css selector", f"input[aria-label='Post {claim.code}']").click() or True
                )
            )
        self.press("Post what is ticked")
        self.see("2 entered")
        self.open(f"/ledger/runs/{run.pk}/")
        self.see("What was refused has been mended since", "Done")
        self.press(one.code)
        self.assertEqual(set(Posting.objects.values_list("state", flat=True)), {"Entered"})

    def test_a_run_is_released_and_one_is_paid_by_hand(self):
        """A pay run above the firm's amount waits for a second person; another claim was paid by hand."""
        Policy.objects.filter(firm=self.priya.firm).update(release_above_minor=1000)
        Firm.objects.filter(pk=self.priya.firm_id).update(rules_version=new_version())
        claims = self.claims("20.00", "21.00")
        self.sign_in("Priya Sundqvist")
        self.open("/ledger/")
        self.press("Post what is ticked")
        self.see("2 entered")
        self.open("/ledger/pay/")
        self.press("Paid already, by hand")
        self.fill("#by-hand form", reference="Slip 4711")
        self.press("It was paid", within="#by-hand")
        self.see("Paid by hand: bank transfer")
        self.open("/ledger/pay/")
        self.press("Make the pay run")
        self.see("It waits for a second person", "Take it back")
        run = PayRun.objects.order_by("-number").first()
        self.sign_in("Desmond Kvale")
        self.open(f"/ledger/pay/{run.pk}/")
        self.press("Release")
        self.see("went to the bank", "Released by Desmond Kvale")
        self.assertEqual({Claim.objects.get(pk=claim.pk).state for claim in claims}, {"Settled"})
        self.assertEqual(Payment.objects.filter(state="Paid").count(), 2)

    def test_a_run_is_rejected_in_part_the_rest_is_paid_by_hand_and_an_advance_comes_back(self):
        """The bank refuses one payment of three: it is open again with why, and paid by hand; an advance that is out is owed back."""
        aikos = self.cleared_claim(who=self.aiko, costs=("21.00",))
        Membership.objects.filter(pk=self.aiko.pk).update(iban=CLOSED_IBAN)
        (marens,) = self.claims("20.00")
        trip = self.a_trip(starts=5)
        plan.ask_advance(self.maren, trip.pk, Decimal(60), eur(500), "Hotel asks for cash")
        trip.refresh_from_db()
        trips.send(self.maren, trip.pk, trip.version, "Maren Oyelaran", True)
        self.approve_all("trip", trip.pk)
        self.sign_in("Priya Sundqvist")
        self.open("/ledger/")
        self.press("Post what is ticked")
        self.see("2 entered")
        self.open("/ledger/pay/")
        self.press("Make the pay run")
        self.see("1 failed and can be paid again", "the account is closed")
        self.assertEqual(Claim.objects.get(pk=aikos.pk).state, "Posted")
        self.open("/ledger/pay/")
        self.press("Paid already, by hand")
        self.fill("#by-hand form", reference="Till 7")
        self.press("It was paid", within="#by-hand")
        self.see("Paid by hand: bank transfer")
        self.assertEqual({Claim.objects.get(pk=each.pk).state for each in (aikos, marens)}, {"Settled"})
        self.open("/ledger/pay/#advances-out")
        self.fill("#advances-out form", amount="25.00", reference="Till 8")
        self.press("Take note", within="#advances-out")
        self.see("It is noted and booked", "35.00")
        self.fill("#advances-out form", reference="Till 9")
        self.press("Take note", within="#advances-out")
        # What is said is what was said the first time: only what is kept tells that the second was done.
        self.until(lambda d: Trip.objects.get(pk=trip.pk).advance_settled, "the rest is not noted")
        trip.refresh_from_db()
        self.assertEqual((trip.advance_out, trip.advance_settled), (eur(0), True))

    def test_what_is_billed_before_any_claim_is_told_to_the_ledger(self):
        """A ticket that is billed to the firm and a card's charges: an account is named, both are posted, each once."""
        FirmAccounts.objects.filter(firm=self.priya.firm).update(suppliers="")
        Firm.objects.filter(pk=self.priya.firm_id).update(rules_version=new_version())
        typed = ByHand("fee", "Agent's fee", "Quay Travel", "QT-9", eur("45.00"), "central", clock.now())
        basket.by_hand(self.maren, self.authorised_trip(starts=5).pk, typed)
        self.sign_in("Priya Sundqvist")
        self.open("/ledger/")
        self.press("Billed")
        self.see("Agent's fee", "45.00")
        self.press("Name the account")
        self.fill("#suppliers form", account="2330")
        self.press("Name it", within="#suppliers")
        self.see("Owed to suppliers: 2330")
        self.open("/ledger/billed/")
        self.press("Post it", within="#bookings")
        self.see("1 entered")
        self.press("Billed:")
        self.see("1480", "2330", "45.00")

    @shows("A5.3")
    def test_the_statement_agrees_to_the_last_line_and_the_month_is_closed(self):
        """A statement reconciled to its last line, a period closed; then the month with its accruals."""
        firm, today = self.priya.firm, worlds.today()
        account = BankAccount.objects.create(
            firm=firm, name="Current account", number=firm.iban, ledger_account="1100", currency="EUR"
        )
        self.claims("20.00", "21.00")
        self.sign_in("Priya Sundqvist")
        self.open("/ledger/")
        self.press("Post what is ticked")
        self.see("2 entered")
        self.open("/ledger/pay/")
        self.press("Make the pay run")
        self.see("was answered")
        rows = [
            (today, str(-p.amount.amount), p.member.person.name, p.text, p.end_to_end, f"K{p.pk}")
            for p in Payment.objects.select_related("run", "member__person")
        ]
        rows.append((today, "-4.50", "Tidewater Bank", "Monthly fee", "", "K0"))
        closing = 1000 + sum(float(row[1]) for row in rows)
        path = Path(self.folder.name) / "statement.xml"
        path.write_bytes(camt(firm.iban, rows, "1000.00", f"{closing:.2f}"))
        self.open(f"/ledger/bank/{account.pk}/")
        self.attach("input[type=file]", path)
        self.press("Take the statement in")
        self.see("2 are sure", "Monthly fee")
        self.press("Confirm all 2")
        self.see("2 confirmed")
        self.press("Tidewater Bank")
        self.see("It comes again")
        self.put("#words", "monthly fee")
        self.put("#rule-account", "6490")
        self.press("Make the rule and post")
        self.see("1 line is posted by rule", "100 %")
        self.assertFalse(Line.objects.filter(match=None).exists())
        self.put("#until", today.isoformat())
        self.press("Close it")
        self.see("Reconciled to", f"{closing:,.2f}")

        self.sent_claim(costs=("80.00",))
        self.move_clock(datetime.combine(today + timedelta(days=32), time(9)))
        self.open(f"/ledger/month/?month={today:%Y-%m}")
        self.see("In sign-off", "Spent and not posted")
        self.press("Accrue it")
        self.see("are accrued as")
        self.press("Close ")
        self.see("is closed")
        self.assertEqual((Period.objects.count(), Accrual.objects.get().posting.state), (1, "Entered"))
        self.assertIsNotNone(Accrual.objects.get().reversal)
