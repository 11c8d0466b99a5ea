"""What is billed to the firm before any claim: told to the ledger once, taken out again by claims, to the cent."""

from __future__ import annotations

import contextlib
from datetime import timedelta
from unittest import mock

from demo.story import proof
from tests.apps.world import WorldTestCase, eur
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.models import FirmAccounts, Posting, PostingLine
from wainwright.bookings.services import ByHand
from wainwright.claims.models import Claim
from wainwright.claims.services import books, closing, compose, correcting, drafting
from wainwright.closing.selectors import movements
from wainwright.core.money import Money
from wainwright.errors import NotAllowed, Refusal
from wainwright.expenses.models import Charge
from wainwright.expenses.services import taking
from wainwright.journals import billed
from wainwright.journals.models import Billed, Difference, PostingRun
from wainwright.journals.services import go_on
from wainwright.masters.models import MerchantSupplier, Supplier
from wainwright.masters.services import connecting, posting_to
from wainwright.people.models import Firm, new_version
from wainwright.reports.following import look_again
from wainwright.reports.models import SpendLine, Stage
from wainwright.standins.ledger.models import LedgerCode, LedgerEntry, LedgerParty
from wainwright.trail.selectors import check_chain
from wainwright.trips.models import Trip
from wainwright.trips.services import basket
from wainwright.trips.services.road import move_along


class BilledCase(WorldTestCase):
    def setUp(self):
        super().setUp()
        self.firm = self.priya.firm
        self.ledger = FirmAccounts.objects.get(firm=self.firm)

    def post(self, kind: str):
        with self.done():
            run = billed.post_billed(self.priya, kind)
        run.refresh_from_db()
        return run

    def standing(self, account: str) -> Money:
        """What stands on an account of the ledger, in all."""
        return movements(self.firm, account, self.today.replace(day=1) + timedelta(days=62)).opening

    def bought(self, trip: Trip, number: str = "QT-1", amount: str = "45.00", supplier: str = "Quay Travel"):
        typed = ByHand("fee", "Agent's fee", supplier, number, Money.of(amount, "EUR"), "central", clock.now())
        return basket.by_hand(self.maren, trip.pk, typed)

    def charge(self, amount: str = "30.00", who=None, key: str = "K1", days_ago: int = 9, **more) -> Charge:
        who = who or self.maren
        card = who.cards.filter(firm_pays=True).first()
        values = {"merchant": "PIER TAXI BERGEN", "currency": "EUR", "pending": False} | more
        return Charge.objects.create(
            firm=who.firm, owner=who, card=card, bank_id=key, date=self.today - timedelta(days=days_ago),
            amount_minor=eur(amount).minor, **values,
        )  # fmt: skip

    def supplier(self, code: str, name: str) -> Supplier:
        LedgerParty.objects.create(firm=self.firm.slug, kind="supplier", code=code, name=name)
        return Supplier.objects.create(firm=self.firm, code=code, name=name)


class BookingsTest(BilledCase):
    def test_of_a_trip_of_which_nothing_is_claimed_it_is_spent_all_the_same(self):
        trip = self.authorised_trip(starts=-10)
        booking = self.bought(trip)
        move_along(clock.now() + timedelta(days=30))
        closing.nothing_to_claim(self.maren, trip.pk)
        look_again(self.firm)
        line = SpendLine.objects.get(firm=self.firm, trip=trip)
        said = (line.key, line.stage, line.net_minor, line.category, line.member_id)
        self.assertEqual(said, (f"booking:{booking.pk}", Stage.COMMITTED, 45_00, "fee", self.maren.pk))
        self.post(billed.BOOKINGS)
        look_again(self.firm)
        line = SpendLine.objects.get(firm=self.firm, trip=trip)
        self.assertEqual((line.stage, line.net_minor), (Stage.POSTED, 45_00))

    def test_a_booking_is_billed_once_names_its_supplier_and_its_claim_takes_it_out(self):
        trip = self.authorised_trip()
        self.bought(trip)
        supplier = self.supplier("L1", "Quay Travel")
        MerchantSupplier.objects.create(firm=self.firm, merchant="quay travel", supplier=supplier)
        run = self.post(billed.BOOKINGS)
        self.assertEqual([item.state for item in run.items.all()], ["Entered"])
        self.assertEqual(self.standing(self.ledger.prepaid_travel), eur("45.00"))
        self.assertEqual(self.standing(self.ledger.suppliers), eur("-45.00"))
        line = PostingLine.objects.get(account=self.ledger.suppliers)
        self.assertEqual((line.party, line.credit_minor), ("L1", 45_00))
        with self.assertRaisesMessage(Refusal, "Nothing of it is left"):
            self.post(billed.BOOKINGS)
        claim = Claim.objects.filter(trip=trip).first() or drafting.claim_trip(self.maren, trip.pk)
        self.post_claim(Claim.objects.get(pk=claim.pk))
        self.assertEqual(self.standing(self.ledger.prepaid_travel), eur(0))

    def test_what_is_given_up_taken_off_or_bought_anew_follows(self):
        trip = self.authorised_trip(starts=5)
        booking = self.bought(trip)
        self.post(billed.BOOKINGS)
        # Cancelled with a part kept: the rest comes back from the supplier.
        booking.state, booking.lost_minor = "Cancelled", 10_00
        booking.save()
        self.post(billed.BOOKINGS)
        self.assertEqual(self.standing(self.ledger.suppliers), eur("-10.00"))
        other = self.bought(trip, "QT-2", "60.00")
        self.post(billed.BOOKINGS)
        basket.cancel(self.maren, trip.pk, other.pk)
        self.enter(self.priya)
        self.assertContains(self.client.get("/ledger/billed/"), "taken off its trip since")
        self.post(billed.BOOKINGS)
        self.assertEqual(self.standing(self.ledger.suppliers), eur("-10.00"))
        self.assertEqual(list(billed.bookings_billed(self.firm)), [])
        self.assertEqual(list(billed.bookings_taken_off(self.firm)), [])
        self.assertEqual(sum(Billed.objects.values_list("amount_minor", flat=True)), 10_00)

    def test_no_account_named_says_where_and_the_page_is_there(self):
        self.bought(self.authorised_trip())
        FirmAccounts.objects.filter(firm=self.firm).update(suppliers="")
        Firm.objects.filter(pk=self.firm.pk).update(rules_version=new_version())
        self.priya.firm.refresh_from_db()
        with self.assertRaisesMessage(Refusal, "on which suppliers are owed"):
            billed.post_billed(self.priya, billed.BOOKINGS)
        self.enter(self.priya)
        self.assertContains(self.client.get("/ledger/billed/"), "/ledger/masters/accounts/")
        page = self.client.post(
            "/ledger/masters/accounts/name/", {"which": "suppliers", "account": "2330"}, follow=True
        )
        self.assertContains(page, "Owed to suppliers: 2330")
        self.priya.firm.refresh_from_db()
        self.post(billed.BOOKINGS)

    def test_a_refused_one_is_mended_and_sent_again_with_the_account_and_supplier_of_now(self):
        self.bought(self.authorised_trip())
        code = LedgerCode.objects.filter(firm=self.firm.slug, dimension="account", code=self.ledger.suppliers)
        code.update(open_until=self.today - timedelta(days=1))
        run = self.post(billed.BOOKINGS)
        self.enter(self.priya)
        self.assertContains(self.client.get(f"/ledger/runs/{run.pk}/"), "stays open")
        LedgerCode.objects.create(firm=self.firm.slug, dimension="account", code="2331", name="Other suppliers")
        self.firm.codes.create(dimension="account", code="2331", name="Other suppliers")
        posting_to.name_account(self.priya, "suppliers", "2331")
        posting = Posting.objects.get(key__startswith="booking:")
        books.post_again(self.priya, posting.pk)
        posting.refresh_from_db()
        self.assertEqual(
            (posting.state, set(posting.lines.values_list("account", flat=True))), ("Entered", {"1480", "2331"})
        )
        self.assertContains(self.client.get(f"/ledger/runs/{run.pk}/"), "has been mended since")

    def test_a_refused_one_is_put_on_another_account_and_sent_again(self):
        self.bought(self.authorised_trip())
        LedgerCode.objects.filter(firm=self.firm.slug, dimension="account", code=self.ledger.suppliers).delete()
        self.post(billed.BOOKINGS)
        posting = Posting.objects.get(key__startswith="booking:")
        self.enter(self.priya)
        self.assertContains(self.client.get("/ledger/"), "Refused, and no claim")
        for typed in ("nowhere", "2330 x y"):
            page = self.client.post(
                f"/ledger/{posting.pk}/again/", {"instead_of": "2330", "account": typed}, follow=True
            )
            self.assertNotEqual(page.status_code, 500)
        self.client.post(f"/ledger/{posting.pk}/again/", {"instead_of": "2330", "account": "2320"})
        posting.refresh_from_db()
        self.assertEqual(
            (posting.state, set(posting.lines.values_list("account", flat=True))), ("Entered", {"1480", "2320"})
        )

    def test_a_supplier_that_the_ledger_closed_is_connected_anew(self):
        self.bought(self.authorised_trip())
        old, new = self.supplier("L1", "Quay Travel"), self.supplier("L2", "Quay Travel (new)")
        MerchantSupplier.objects.create(firm=self.firm, merchant="quay travel", supplier=old)
        LedgerParty.objects.filter(code="L1").update(open_until=self.today - timedelta(days=1))
        self.post(billed.BOOKINGS)
        posting = Posting.objects.get(key__startswith="booking:")
        self.assertEqual((posting.state, posting.refusal_code), ("Refused", "LB-501"))
        Supplier.objects.filter(pk=old.pk).update(open_until=self.today - timedelta(days=1))
        self.enter(self.priya)
        self.assertContains(self.client.get("/ledger/masters/"), "its supplier is closed")
        connecting.close_gap(self.priya, "merchant", "quay travel", new.code)
        books.post_again(self.priya, posting.pk)
        posting.refresh_from_db()
        self.assertEqual((posting.state, posting.lines.get(party="L2").account), ("Entered", self.ledger.suppliers))

    def test_only_finance_and_hostile_kinds(self):
        for who in (self.maren, self.tobias):
            with self.assertRaises(NotAllowed):
                billed.post_billed(who, billed.BOOKINGS)
        self.enter(self.priya)
        for kind in ("", "claims", "x" * 500):
            self.assertNotEqual(
                self.client.post("/ledger/billed/post/", {"kind": kind, "on": "31.31.2026"}).status_code, 500
            )


class ChargesTest(BilledCase):
    def test_each_card_and_month_once_and_a_claim_takes_them_out(self):
        charge = self.charge("30.00")
        self.charge("12.50", key="K2", days_ago=60)
        self.charge("-5.00", key="K3")
        self.charge("99.00", key="K4", pending=True)
        run = self.post(billed.CHARGES)
        self.assertEqual({item.state for item in run.items.all()}, {"Entered"})
        self.assertEqual(self.standing(self.ledger.card_clearing), eur("37.50"))
        self.assertEqual(self.standing(self.ledger.card_issuers), eur("-37.50"))
        months = {row.date.strftime("%Y-%m") for row in Posting.objects.filter(key__startswith="charges:")}
        self.assertEqual(months, {row.date.strftime("%Y-%m") for row in Charge.objects.filter(pending=False)})
        with self.assertRaisesMessage(Refusal, "Nothing of it is left"):
            self.post(billed.CHARGES)
        trip = self.authorised_trip()
        expense = taking.take(self.maren, None, charge.pk)
        proof(expense, 1)
        claim = compose.bare_claim(self.maren, trip.pk)
        self.post_claim(claim)
        self.assertEqual(self.standing(self.ledger.card_clearing), eur("7.50"))

    def test_five_hundred_in_a_few_queries_and_several_journals(self):
        for n in range(450):
            self.charge("1.00", key=f"N{n}")
        run = self.post(billed.CHARGES)
        self.assertEqual(run.items.count(), 3)
        self.assertEqual(self.standing(self.ledger.card_clearing), eur("450.00"))
        self.enter(self.priya)
        with self.assertNumQueries(4):
            billed.open_of(self.firm)
        with self.assertNumQueries(10):
            self.client.get("/ledger/billed/")


class KilledTest(BilledCase):
    """Killed at every point of telling the ledger: nothing lost, nothing double, the trail proves itself."""

    POINTS = (
        "wainwright.journals.billed.accounts.prepare_posting",
        "wainwright.journals.billed.record",
        "wainwright.accounts.services.ask",
        "wainwright.accounts.services.record",
        "wainwright.journals.services._finish",
    )

    def test_a_run_goes_on_where_it_broke_off(self):
        self.assertEqual(len(self.POINTS), 5)
        trip = self.authorised_trip()
        for number, point in enumerate(self.POINTS):
            with self.subTest(point):
                self.bought(trip, f"QT-{number}", "10.00")
                self.charge("7.00", key=f"K{number}")
                for kind in (billed.BOOKINGS, billed.CHARGES):
                    with mock.patch(point, side_effect=RuntimeError("killed")), self.assertRaises(RuntimeError):
                        go_on(billed.post_billed(self.priya, kind).pk)
                    for run in PostingRun.objects.filter(finished__isnull=True):
                        go_on(run.pk)
                    with contextlib.suppress(Refusal):
                        self.post(kind)
                count = number + 1
                self.assertEqual(self.standing(self.ledger.suppliers), eur(-10 * count))
                self.assertEqual(self.standing(self.ledger.card_issuers), eur(-7 * count))
        keys = list(LedgerEntry.objects.values_list("key", flat=True))
        self.assertEqual(len(keys), len(set(keys)))
        self.assertFalse(PostingRun.objects.filter(finished__isnull=True).exists())
        self.assertIsNone(check_chain())


class DifferencesTest(BilledCase):
    def posted_with_pending(self):
        trip = self.authorised_trip()
        charge = self.charge("30.00", pending=True, original_minor=330_00, original_currency="NOK")
        proof(taking.take(self.maren, None, charge.pk), 1)
        claim = compose.bare_claim(self.maren, trip.pk)
        return claim, charge

    def booked_at(self, charge: Charge, amount: str) -> None:
        card = charge.card
        day = charge.date + timedelta(days=1)
        content = f"!Type:CCard\nD{day:%d/%m/%Y}\nT-{amount}\nPPIER TAXI BERGEN\n^\n".encode()
        with self.done():
            from wainwright.expenses.services import charges  # noqa: PLC0415 - beside what it is about

            file = charges.look_at(self.maren, "c.qif", content, card.last_four)
        file.refresh_from_db()
        self.assertEqual([row["what"] for row in file.rows], ["booked"])
        charges.take_file(self.maren, file.pk)
        charge.refresh_from_db()

    def test_an_open_cost_follows_its_charge(self):
        claim, charge = self.posted_with_pending()
        self.booked_at(charge, "31.20")
        self.assertEqual(claim.expenses.get().amount, eur("31.20"))

    def test_what_was_posted_stays_and_the_difference_goes_to_its_own_account_once(self):
        claim, charge = self.posted_with_pending()
        self.post_claim(claim)
        self.booked_at(charge, "31.20")
        self.assertEqual(claim.expenses.get().amount, eur("30.00"))
        self.post(billed.CHARGES)
        self.assertEqual(self.standing(self.ledger.card_clearing), eur("1.20"))
        self.enter(self.priya)
        page = self.client.get("/ledger/billed/")
        self.assertContains(page, "claimed 30.00, charged 31.20")
        self.post(billed.DIFFERENCES)
        self.assertEqual(self.standing(self.ledger.card_clearing), eur(0))
        self.assertEqual(self.standing(self.ledger.differences), eur("1.20"))
        with self.assertRaisesMessage(Refusal, "Nothing of it is left"):
            self.post(billed.DIFFERENCES)
        self.assertEqual(Difference.objects.count(), 1)


class AheadTest(BilledCase):
    @shows("X4.1")
    def test_a_closed_account_is_said_before_it_is_cleared_and_mended_on_the_claim(self):
        claim = self.checked_claim()
        account = next(e.coding.account for e in self._journal(claim).entries if e.coding.codes)
        self.firm.codes.filter(dimension="account", code=account).update(open_until=self.today - timedelta(days=1))
        Firm.objects.filter(pk=self.firm.pk).update(rules_version=new_version())
        self.enter(self.priya)
        page = self.client.get(f"/bench/claim/{claim.pk}/")
        self.assertContains(page, "The ledger would refuse it as it stands")
        answer = self.client.post(f"/bench/claim/{claim.pk}/clear/", {"version": claim.version}, follow=True)
        self.assertContains(answer, f"Account {account}")
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "In finance check")
        data = {"version": claim.version, "old": account, "account": "6430" if account != "6430" else "6410"}
        page = self.client.post(f"/bench/claim/{claim.pk}/account/", data, follow=True)
        self.assertContains(page, "on account")
        self.assertNotContains(page, "would refuse")
        claim.refresh_from_db()
        self.client.post(f"/bench/claim/{claim.pk}/clear/", {"version": claim.version})
        claim.refresh_from_db()
        self.assertEqual(claim.state, "Cleared")
        with self.done():
            books.post(self.priya, claim.pk, claim.version)
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Posted")

    def _journal(self, claim, who=None):
        from wainwright.claims.selectors import claim_for, load_file  # noqa: PLC0415 - beside what it is about

        return load_file(who or self.priya, claim_for(who or self.priya, claim.pk)).journal

    @shows("A3.3")
    def test_it_is_known_from_the_first_draft_on(self):
        claim = self.a_claim()
        account = next(e.coding.account for e in self._journal(claim, self.maren).entries if e.coding.codes)
        self.firm.codes.filter(dimension="account", code=account).update(open_until=self.today - timedelta(days=1))
        Firm.objects.filter(pk=self.firm.pk).update(rules_version=new_version())
        self.enter(self.maren)
        self.assertContains(self.client.get(f"/claims/{claim.pk}/"), f"account {account}, which the ledger has closed")

    def test_hostile_accounts_are_refused(self):
        claim = self.checked_claim()
        for old, account in (("", "6430"), ("6430", ""), ("6430", "nowhere"), ("nowhere", "6430")):
            with self.assertRaises(Refusal):
                correcting.reaccount(self.priya, claim.pk, claim.version, old, account)
        with self.assertRaises(NotAllowed):
            correcting.reaccount(self.tobias, claim.pk, claim.version, "6430", "6410")


class PartyTest(BilledCase):
    def test_a_persons_supplier_stands_on_what_they_are_owed_and_paid(self):
        supplier = self.supplier("L7", "Maren Oyelaran")
        Supplier.objects.filter(pk=supplier.pk).update(member=self.maren)
        claim = self.cleared_claim()
        with self.done():
            books.post(self.priya, claim.pk, claim.version)
        with self.done():
            books.pay(self.priya, [claim.pk], self.today)
        lines = PostingLine.objects.filter(account=self.ledger.owed_to_staff)
        self.assertEqual(set(lines.values_list("party", flat=True)), {"L7"})
        self.assertEqual(
            set(PostingLine.objects.exclude(account=self.ledger.owed_to_staff).values_list("party", flat=True)), {""}
        )

    def test_a_supplier_closed_in_the_ledger_is_said_and_sent_again_under_the_new_one(self):
        old, new = self.supplier("L7", "Maren Oyelaran"), self.supplier("L8", "Maren Oyelaran")
        Supplier.objects.filter(pk=old.pk).update(member=self.maren)
        claim = self.cleared_claim()
        with self.done():
            books.post(self.priya, claim.pk, claim.version)
        LedgerParty.objects.filter(code="L7").update(open_until=self.today - timedelta(days=1))
        with self.done():
            books.pay(self.priya, [claim.pk], self.today)
        posting = Posting.objects.get(key__startswith="payment:")
        self.assertEqual((posting.state, posting.refusal_about), ("Refused", "L7"))
        Supplier.objects.filter(pk=old.pk).update(open_until=self.today - timedelta(days=1))
        self.enter(self.priya)
        self.assertContains(self.client.get("/ledger/masters/"), "the ledger has closed L7")
        connecting.close_gap(self.priya, "person", str(self.maren.pk), new.code)
        books.post_again(self.priya, posting.pk)
        posting.refresh_from_db()
        self.assertEqual(posting.state, "Entered")
