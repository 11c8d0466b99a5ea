"""Lodging over its ceiling: paid as far as the ceiling, and in full only with the permission."""

from __future__ import annotations

from datetime import timedelta
from decimal import Decimal

from demo.story import proof
from tests.apps.world import WorldTestCase, eur
from tests.coverage import shows
from wainwright.accounts.models import PostingLine
from wainwright.bench import services as bench
from wainwright.claims.models import Claim
from wainwright.claims.selectors import load_file
from wainwright.claims.services import books, compose, correcting, road
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.expenses.services import editing
from wainwright.expenses.services.editing import PartTyped
from wainwright.signoff.models import SignOff
from wainwright.trips.models import Night


class LodgingTest(WorldTestCase):
    """Two nights in Bergen at a ceiling of 150.00 each."""

    def a_bill(self, amount="380.00", paid_by="self", broken=False, **more) -> tuple[Claim, object]:
        claim = self.a_claim(costs=())
        bill = self.a_cost(
            amount=amount, category="lodging", merchant="Fjord inn", days_ago=8, paid_by=paid_by,
            tax_rate=Decimal("0.12"), **more,
        )  # fmt: skip
        proof(bill, 1)
        if broken:
            nights = list(Night.objects.filter(trip=claim.trip).order_by("date"))
            parts = [PartTyped("lodging", "Night", eur(180), night=night.date) for night in nights]
            parts.append(PartTyped("meals", "Dinner", eur("20.00")))
            editing.set_parts(self.maren, bill.pk, bill.version, parts)
        compose.put_in(self.maren, claim.pk, [bill.pk])
        return self.fresh(claim), bill

    def fresh(self, claim):
        return Claim.objects.select_related(
            "firm", "trip__signed", "statement", "claimant__person", "claimant__firm"
        ).get(pk=claim.pk)

    @shows("X3.1")
    def test_unbroken_or_broken_down_the_nights_are_measured(self):
        for broken, over, allows in ((False, "80.00", "300.00"), (True, "60.00", "320.00")):
            with self.subTest(broken=broken):
                claim, bill = self.a_bill(broken=broken)
                file = load_file(self.maren, claim)
                line = next(each for each in file.figures.lines if each.key == bill.key)
                self.assertEqual((str(line.over), str(line.allows)), (over, allows))
                self.assertIn(
                    f"Without the permission {over} is not paid", " ".join(f.finding.text for f in file.findings)
                )
                self.assertEqual(file.figures.settlement.sums.own_money, eur(380) - line.over)
                self.assertEqual(file.figures.torn, [])
                claim.expenses.all().delete()
                Claim.objects.all().delete()

    def test_words_alone_do_not_pay_it_and_the_deciders_act_does(self):
        claim, bill = self.a_bill()
        self.send_claim(claim)
        claim = self.fresh(claim)
        due = claim.owed
        self.enter(self.tobias)
        page = self.client.get(f"/bench/claim/{claim.pk}/?line={bill.key}").content.decode()
        self.assertIn("80.00 is over the ceiling and is not paid", page)
        for member, refusal in ((self.maren, NotAllowed), (self.ottilie, Claim.DoesNotExist), (self.priya, NotAllowed)):
            with self.assertRaises(refusal):
                correcting.allow_over(member, claim.pk, claim.version, bill.key, "It had to be")
        with self.assertRaises(Refusal):
            correcting.allow_over(self.tobias, claim.pk, claim.version, bill.key, " ")
        with self.assertRaises(Stale):
            correcting.allow_over(self.tobias, claim.pk, claim.version, "allowance", "It had to be")
        with self.done():
            self.client.post(
                f"/bench/claim/{claim.pk}/allow/",
                {"version": claim.version, "line": bill.key, "comment": "The fair was on"},
            )
        claim = self.fresh(claim)
        self.assertEqual((claim.owed, claim.statement.number), (due + eur(80), 2))
        # Sent back and sent again, the permission stands; what is more over than it covers is cut again.
        bench.end(self.tobias, "claim", claim.pk, "send_back", "Say which fair")
        self.send_claim(claim)
        claim = self.fresh(claim)
        self.assertEqual((claim.owed, claim.statement.number), (due + eur(80), 3))
        self.assertEqual(
            SignOff.objects.get(object_id=claim.pk, kind="claim", state="Waiting").amount_minor, claim.total.minor
        )
        with self.done():
            self.approve_all("claim", claim.pk)
        road.clear(self.priya, claim.pk, self.fresh(claim).version)
        books.post(self.priya, claim.pk, self.fresh(claim).version)
        owed = PostingLine.objects.filter(account=claim.firm.accounts.owed_to_staff, posting__subject=claim.subject)
        self.assertEqual(sum(x.credit_minor - x.debit_minor for x in owed), claim.owed.minor)

    def test_what_the_firms_card_paid_over_it_is_owed_back(self):
        claim, _bill = self.a_bill(paid_by="firm")
        sums = load_file(self.maren, claim).figures.settlement.sums
        self.assertEqual((str(sums.firm_paid), str(sums.personal_on_firm_card)), ("300.00", "80.00"))

    @shows("P4.3")
    def test_the_permission_on_the_trip_pays_it(self):
        claim, bill = self.a_bill()
        Night.objects.filter(trip=claim.trip).update(lifted=True)
        line = next(each for each in load_file(self.maren, self.fresh(claim)).figures.lines if each.key == bill.key)
        share = load_file(self.maren, claim).book.scheme.actual_cost_share
        most = eur(150).times(share).amount * 2 if share else Decimal(380)
        self.assertEqual(line.over, eur(max(Decimal(0), Decimal(380) - most)))

    def test_more_than_the_route_may_sign_is_not_permitted_without_it(self):
        claim, bill = self.a_bill(amount="2400.00")
        self.send_claim(claim)
        claim = self.fresh(claim)
        self.tobias.limit_minor = claim.total.minor + 100
        self.tobias.save()
        with self.assertRaisesRegex(Refusal, "must sign: send it back"):
            correcting.allow_over(self.tobias, claim.pk, claim.version, bill.key, "It had to be")

    def test_a_bill_far_from_every_night_is_no_lodging_of_the_trip(self):
        claim = self.a_claim(costs=())
        bill = self.a_cost(amount="900.00", category="lodging", merchant="Elsewhere", days_ago=40)
        compose.put_in(self.maren, claim.pk, [bill.pk])
        self.assertEqual(claim.trip.starts - bill.date, timedelta(days=30))
        line = next(each for each in load_file(self.maren, self.fresh(claim)).figures.lines if each.key == bill.key)
        self.assertEqual(line.over.minor, 0)
