"""A claim over several trips, advances that no claim takes, and money that goes straight to a card's issuer."""

from __future__ import annotations

from datetime import timedelta
from decimal import Decimal
from unittest import mock

from tests.apps.world import OFFICE, WorldTestCase, eur
from tests.coverage import shows
from wainwright.accounts.models import BudgetUse, Payment, Posting
from wainwright.accounts.services import Payable
from wainwright.claims.models import AdvanceTaken, Claim
from wainwright.claims.paying import at_bank, free_advances, owing, parts_of, payable
from wainwright.claims.selectors import load_file
from wainwright.claims.services import books, closing, compose, drafting, issuing, road, several
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.models import Charge
from wainwright.expenses.services import taking
from wainwright.expenses.services.cards import set_issuer
from wainwright.people.models import Card, Issuer
from wainwright.trips.models import Trip
from wainwright.trips.selectors import advance_words
from wainwright.trips.services import plan
from wainwright.trips.services import road as trips

ISSUER_IBAN = "DE89370400440532013000"
CLOSED_IBAN = "IE64IRCE92050112345678"


def sums(claim: Claim):
    fresh = Claim.objects.select_related("firm", "claimant__person", "claimant__firm", "trip__signed", "statement").get(
        pk=claim.pk
    )
    return load_file(fresh.claimant, fresh).figures.settlement.sums


class SeveralTest(WorldTestCase):
    def two_trips(self) -> tuple[Claim, Trip, Trip]:
        first = self.authorised_trip(starts=-30)
        other = self.authorised_trip(starts=-10)
        self.a_cost(days_ago=29, amount="20.00", merchant="First taxi")
        self.a_cost(days_ago=9, amount="35.00", merchant="Other taxi")
        claim = compose.bare_claim(self.maren, first.pk)
        return claim, first, other

    @shows("C2.2")
    def test_allowance_costs_and_plan_of_both_are_there(self):
        claim, first, other = self.two_trips()
        alone = sums(claim).allowance
        several.add_trip(self.maren, claim.pk, other.pk)
        done = load_file(self.maren, Claim.objects.get(pk=claim.pk))
        self.assertEqual(sums(claim).allowance, alone + alone)
        self.assertEqual(sums(claim).own_money, eur(55))
        keys = {line.key for line in done.figures.lines if line.kind == "allowance"}
        self.assertEqual(keys, {"allowance", f"allowance:{other.pk}"})
        self.assertEqual(Claim.objects.get(pk=claim.pk).planned, first.planned + other.planned)
        several.take_trip_off(self.maren, claim.pk, other.pk)
        self.assertEqual((sums(claim).allowance, sums(claim).own_money), (alone, eur(20)))
        self.assertTrue(self.maren.expenses.filter(claim=None, merchant="Other taxi").exists())

    def test_a_draft_of_it_is_given_up_and_comes_along(self):
        claim, _, other = self.two_trips()
        drafting.draft_what_is_back()
        draft = Claim.objects.get(trip=other)
        several.add_trip(self.maren, claim.pk, other.pk)
        draft.refresh_from_db()
        self.assertEqual((draft.state, draft.expenses.count()), ("Withdrawn", 0))
        self.assertEqual(Trip.objects.get(pk=other.pk).claim, claim)
        self.assertEqual(drafting.draft_what_is_back(), 0)

    def test_what_comes_later_is_a_supplement_with_the_difference_alone(self):
        claim, first, other = self.two_trips()
        several.add_trip(self.maren, claim.pk, other.pk)
        whole = sums(claim).allowance
        self.send_claim(claim)
        claim.refresh_from_db()
        self.assertEqual(claim.statement.also_minor, {str(other.pk): whole.minor // 2})
        for trip in (first, other):
            more = compose.bare_claim(self.maren, trip.pk)
            self.assertEqual((more.supplements_id, sums(more).allowance), (claim.pk, eur(0)))
            closing.withdraw(self.maren, more.pk, more.version)

    def test_posted_it_gives_back_what_both_trips_committed_and_settled_it_closes_both(self):
        claim, first, other = self.two_trips()
        several.add_trip(self.maren, claim.pk, other.pk)
        subjects = [first.subject, other.subject]
        self.post_claim(claim)
        self.assertFalse(BudgetUse.objects.filter(subject__in=subjects).exists())
        with self.done():
            books.pay(self.priya, [claim.pk], self.today)
        self.assertEqual({t.state for t in Trip.objects.filter(pk__in=[first.pk, other.pk])}, {"Closed"})

    def test_turned_down_both_can_be_claimed_again(self):
        claim, first, other = self.two_trips()
        several.add_trip(self.maren, claim.pk, other.pk)
        self.send_claim(claim)
        with self.done():
            self.approve_all("claim", claim.pk)
        version = Claim.objects.get(pk=claim.pk).version
        road.finance_end(self.priya, claim.pk, version, "turn_down", "Not like this")
        for trip in (first, other):
            again = compose.bare_claim(self.maren, trip.pk)
            self.assertEqual((again.trip_id, again.supplements_id), (trip.pk, None))

    def test_what_cannot_be_is_refused(self):
        claim, first, other = self.two_trips()
        theirs, planned = self.authorised_trip(who=self.aiko), self.a_trip(starts=20)
        sent = self.authorised_trip(starts=-20)
        self.a_cost(days_ago=19)
        its = compose.bare_claim(self.maren, sent.pk)
        self.send_claim(its)
        move = plan.start_trip(self.maren, "Move north", "For good", OFFICE, kind="move")
        for words, trip in (
            ("claimed here already", first),
            ("once it is authorised", planned),
            ("is a supplement", sent),
            ("a claim of its own", move),
        ):
            with self.subTest(words), self.assertRaisesMessage(Refusal, words):
                several.add_trip(self.maren, claim.pk, trip.pk)
        with self.assertRaises((Trip.DoesNotExist, NotAllowed)):
            several.add_trip(self.maren, claim.pk, theirs.pk)
        with self.assertRaises(Stale):
            several.take_trip_off(self.maren, claim.pk, other.pk)
        with self.assertRaises(Stale):
            several.add_trip(self.maren, its.pk, other.pk)
        with self.assertRaises(NotAllowed):
            several.add_trip(self.priya, claim.pk, other.pk)

    def test_from_the_page(self):
        claim, _, other = self.two_trips()
        self.enter(self.maren)
        page = self.client.get(f"/claims/{claim.pk}/?trips=1")
        self.assertContains(page, f'<option value="{other.pk}">')
        page = self.client.post(f"/claims/{claim.pk}/trips/", {"trip": other.pk}, follow=True)
        self.assertContains(page, f"Daily allowance, {other.title}")
        page = self.client.get(f"/claims/{claim.pk}/planned/")
        self.assertEqual(page.status_code, 200)


class AdvanceTest(WorldTestCase):
    def owed_advance(self, amount: str = "60.00") -> Trip:
        """A trip that was called off after its advance was paid."""
        trip = self.a_trip(starts=20)
        plan.ask_advance(self.maren, trip.pk, Decimal(amount), eur(1000), "Hotel asks for cash")
        trip.refresh_from_db()
        trips.send(self.maren, trip.pk, trip.version, "Maren Oyelaran", True)
        with self.done():
            self.approve_all("trip", trip.pk)
        with self.done():
            books.pay(self.priya, [], self.today, [trip.pk])
        trips.call_off(self.maren, trip.pk)
        return Trip.objects.get(pk=trip.pk)

    def test_it_is_set_against_another_claim_and_settled_with_it(self):
        trip = self.owed_advance()
        claim = self.a_claim(costs=("300.00",))
        before = load_file(self.maren, claim).figures.settlement.due
        self.assertEqual(list(free_advances(claim.claimant_id, claim.currency)), [trip])
        several.set_advance(self.maren, claim.pk, trip.pk)
        claim = Claim.objects.get(pk=claim.pk)
        self.assertEqual(load_file(self.maren, claim).figures.settlement.due, before - eur(60))
        self.assertFalse(free_advances(claim.claimant_id, claim.currency).exists())
        self.assertEqual(advance_words(Trip.objects.get(pk=trip.pk)), f"paid, and set against {claim.code}")
        with self.assertRaises(Stale):
            several.set_advance(self.maren, claim.pk, trip.pk)
        self.post_claim(claim)
        self.assertTrue(Trip.objects.get(pk=trip.pk).advance_settled)
        journal = load_file(self.maren, Claim.objects.get(pk=claim.pk)).journal
        self.assertEqual(journal.balance("1520"), -eur(60))

    def test_until_it_is_decided_and_its_own_claim_does_not_take_it_twice(self):
        trip = self.owed_advance()
        claim = self.sent_claim(costs=("300.00",))
        due = claim.statement.due_minor
        several.set_advance(self.maren, claim.pk, trip.pk)
        claim.refresh_from_db()
        self.assertEqual((claim.statement.number, claim.statement.due_minor), (2, due - 6000))
        own = compose.bare_claim(self.maren, trip.pk)
        self.assertEqual(sums(own).advance, eur(0))
        closing.withdraw(self.maren, own.pk, own.version)
        with self.done():
            self.approve_all("claim", claim.pk)
        road.clear(self.priya, claim.pk, Claim.objects.get(pk=claim.pk).version)
        AdvanceTaken.objects.all().delete()
        with self.assertRaises(Stale):
            several.set_advance(self.maren, claim.pk, trip.pk)

    def test_finance_does_it_while_it_checks_and_the_claimant_is_told(self):
        trip = self.owed_advance()
        claim = self.checked_claim(costs=("300.00",))
        with self.assertRaises(NotAllowed):
            several.set_advance(self.tobias, claim.pk, trip.pk)
        several.set_advance(self.priya, claim.pk, trip.pk)
        self.assertTrue(self.maren.notices.filter(text__contains="is set against").exists())

    def test_it_is_free_again_when_the_claim_ends_without_it(self):
        trip = self.owed_advance()
        for end in ("off", "withdraw", "turn_down"):
            with self.subTest(end):
                claim = self.a_claim(costs=("300.00",))
                several.set_advance(self.maren, claim.pk, trip.pk)
                claim.refresh_from_db()
                if end == "off":
                    several.take_advance_off(self.maren, claim.pk, trip.pk)
                    self.assertEqual(sums(claim).advance, eur(0))
                elif end == "withdraw":
                    closing.withdraw(self.maren, claim.pk, claim.version)
                else:
                    self.send_claim(claim)
                    with self.done():
                        self.approve_all("claim", claim.pk)
                    road.finance_end(
                        self.priya, claim.pk, Claim.objects.get(pk=claim.pk).version, "turn_down", "Not this time"
                    )
                self.assertEqual(list(free_advances(claim.claimant_id, claim.currency)), [trip])


class IssuerTest(WorldTestCase):
    def setUp(self):
        expires = self.today + timedelta(days=900)
        self.card = Card.objects.create(
            owner=self.maren, last_four="7788", issuer="Harbour Bank", firm_pays=False, expires=expires
        )

    def charged(self, amount: str = "120.00", more: str = "40.00") -> Claim:
        """A claim with a cost on one's own card and one in cash."""
        claim = self.a_claim(costs=(more,))
        charge = Charge.objects.create(
            firm=self.maren.firm, owner=self.maren, card=self.card, bank_id=f"own{Charge.objects.count()}", merchant="SKERRY INN",
            date=self.today - timedelta(days=9), currency="EUR", amount_minor=eur(amount).minor,
        )  # fmt: skip
        cost = taking.take(self.maren, None, charge.pk)
        compose.put_in(self.maren, claim.pk, [cost.pk])
        return Claim.objects.get(pk=claim.pk)

    def posted(self, claim: Claim) -> Claim:
        self.post_claim(claim)
        return Claim.objects.select_related("statement", "claimant__person", "issuer_card").get(pk=claim.pk)

    @shows("C5.2")
    def test_two_payments_settle_one_claim(self):
        set_issuer(self.priya, "Harbour Bank", ISSUER_IBAN)
        claim = self.charged()
        issuing.send_to_issuer(self.maren, claim.pk, self.card.pk, Decimal("100.00"))
        claim = self.posted(claim)
        due = claim.owed
        self.assertEqual([(p.to, p.amount) for p in parts_of([claim])[claim.pk]], [
            ("Maren Oyelaran", due - eur(100)), ("Harbour Bank", eur(100)),
        ])  # fmt: skip
        with self.done():
            run = books.pay(self.priya, [claim.pk], self.today)
        paid = {p.iban: p.amount_minor for p in run.payments.all()}
        self.assertEqual(paid, {self.maren.iban: due.minor - 10000, ISSUER_IBAN: 10000})
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Settled")
        lines = Posting.objects.filter(key__startswith="payment:", state="Entered")
        self.assertEqual(lines.count(), 2)

    def test_what_failed_is_paid_again_alone_and_the_claim_waits_for_it(self):
        set_issuer(self.priya, "Harbour Bank", CLOSED_IBAN)
        claim = self.charged()
        issuing.send_to_issuer(self.maren, claim.pk, self.card.pk, Decimal(120))
        claim = self.posted(claim)
        with self.done():
            books.pay(self.priya, [claim.pk], self.today)
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Posted")
        self.assertEqual([(p.to, p.amount) for p in parts_of([claim])[claim.pk]], [("Harbour Bank", eur(120))])
        self.assertEqual(list(payable(self.priya)), [claim])
        self.assertEqual(owing(self.priya, at_bank(self.priya.firm_id)).minor, 12000)
        set_issuer(self.priya, "harbour bank", ISSUER_IBAN)
        with self.done():
            run = books.pay(self.priya, [claim.pk], self.today)
        self.assertEqual([p.amount_minor for p in run.payments.all()], [12000])
        self.assertEqual(Claim.objects.get(pk=claim.pk).state, "Settled")
        with self.assertRaises(Stale):
            books.pay(self.priya, [claim.pk], self.today)
        self.assertEqual(Payment.objects.filter(state="Paid").count(), 2)

    def test_all_of_it_may_go_there_and_is_never_more_than_is_owed(self):
        set_issuer(self.priya, "Harbour Bank", ISSUER_IBAN)
        claim = self.charged()
        for words, amount in (("120.00 was charged", "120.01"), ("Between nothing", "-1")):
            with self.subTest(amount), self.assertRaisesMessage(Refusal, words):
                issuing.send_to_issuer(self.maren, claim.pk, self.card.pk, Decimal(amount))
        issuing.send_to_issuer(self.maren, claim.pk, self.card.pk, Decimal(120))
        # What is taken off the claim afterwards cannot go there any more.
        gone = claim.expenses.get(amount_minor=12000)
        compose.move(self.maren, claim.pk, [gone.pk])
        done = load_file(self.maren, Claim.objects.get(pk=claim.pk)).figures.settlement
        self.assertEqual((done.to_issuer, done.to_traveller), (eur(0), done.due))

    def test_only_where_finance_knows_the_account_and_to_a_card_of_ones_own(self):
        claim = self.charged()
        self.enter(self.maren)
        self.assertContains(self.client.get(f"/claims/{claim.pk}/"), "Finance does not know where Harbour Bank is paid")
        with self.assertRaisesMessage(Refusal, "does not know yet"):
            issuing.send_to_issuer(self.maren, claim.pk, self.card.pk, Decimal(10))
        with self.assertRaisesMessage(Refusal, "card of your own"):
            issuing.send_to_issuer(self.maren, claim.pk, self.aiko.cards.first().pk, Decimal(10))
        with self.assertRaises(NotAllowed):
            set_issuer(self.maren, "Harbour Bank", ISSUER_IBAN)
        for name, account in (("", ISSUER_IBAN), ("Harbour Bank", "DE00 1234"), ("Harbour Bank", "")):
            with self.subTest(account), self.assertRaises(Refusal):
                set_issuer(self.priya, name, account)
        self.assertFalse(Issuer.objects.exists())

    def test_taken_off_the_list_it_is_not_paid_and_said_so(self):
        set_issuer(self.priya, "Harbour Bank", ISSUER_IBAN)
        claim = self.charged()
        issuing.send_to_issuer(self.maren, claim.pk, self.card.pk, Decimal(120))
        claim = self.posted(claim)
        set_issuer(self.priya, "Harbour Bank", "")
        with self.done():
            paid = books.pay_what_can_be_paid(self.priya, [claim.pk], self.today)
        self.assertEqual(paid.run.payments.count(), 1)
        self.assertIn("card issuer Harbour Bank", " ".join(paid.left))
        self.enter(self.priya)
        self.assertContains(self.client.get("/ledger/pay/"), "no account known")

    def test_typed_on_the_page_what_is_wrong_stays(self):
        set_issuer(self.priya, "Harbour Bank", ISSUER_IBAN)
        claim = self.charged()
        self.enter(self.maren)
        address = f"/claims/{claim.pk}/to-issuer/"
        for typed in ("a lot", "999", "1e99", "-5"):
            answer = self.client.post(address, {"card": self.card.pk, "amount": typed})
            self.assertContains(answer, f'value="{typed}"', status_code=422)
        self.client.post(address, {"card": self.card.pk, "amount": "1,00"})
        self.assertEqual(Claim.objects.get(pk=claim.pk).to_issuer_minor, 100)
        self.client.post(address, {"card": self.card.pk, "amount": ""})
        self.assertEqual(Claim.objects.get(pk=claim.pk).to_issuer_minor, 0)

    def test_a_payable_says_to_whom_and_where(self):
        member = mock.Mock(iban="X", account_from=None)
        member.person.name = "Maren"
        own = Payable("claim:1", member, eur(1), "x")
        other = Payable("issuer:1", member, eur(1), "x", "Harbour Bank", "")
        self.assertEqual([(p.payee, p.account) for p in (own, other)], [("Maren", "X"), ("Harbour Bank", "")])
