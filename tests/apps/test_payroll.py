"""What of a daily allowance is above what is free of tax: from the rate to the claim, and out as a table for payroll."""

from datetime import timedelta
from decimal import Decimal

from tests.apps.world import WorldTestCase
from wainwright.claims.models import Claim, StatementLine
from wainwright.claims.selectors import live_file
from wainwright.claims.services import compose, road
from wainwright.closing import exports
from wainwright.people.models import new_version
from wainwright.rulebook.models import AllowanceRate


class PayrollTest(WorldTestCase):
    def free(self, share: int) -> None:
        for row in AllowanceRate.objects.filter(firm=self.maren.firm):
            row.free = {"full": row.full_minor * share // 100}
            row.save()
        type(self.maren.firm).objects.filter(pk=self.maren.firm_id).update(rules_version=new_version())
        self.maren.firm.refresh_from_db()

    def rows(self) -> list[dict[str, object]]:
        kind = exports.KINDS["payroll"]
        days = str(self.today - timedelta(days=60)), str(self.today + timedelta(days=60))
        return [dict(zip(kind.columns, row, strict=True)) for row in exports.wanted("payroll", list(kind.columns), *days).rows(self.maren.firm)]  # fmt: skip

    def test_the_part_above_stands_with_the_claim_and_goes_out(self):
        self.free(60)
        claim = self.a_claim()
        live = next(
            line for line in live_file(Claim.objects.get(pk=claim.pk)).figures.lines if line.kind == "allowance"
        )
        self.assertTrue(0 < live.taxed.minor < live.says.minor)
        self.assertIn("above what is free of tax", " ".join(live.workings))
        self.assertEqual(self.rows(), [])
        self.send_claim(claim)
        with self.done():
            self.approve_all("claim", claim.pk)
        self.assertEqual(self.rows(), [])
        # What was certified stays, whatever rates say later.
        self.free(10)
        road.clear(self.priya, claim.pk, Claim.objects.get(pk=claim.pk).version)
        (row,) = self.rows()
        self.assertEqual((row["Paid"], row["Above, for payroll"]), (live.says.amount, live.taxed.amount))
        self.assertEqual(row["Free of tax"], live.says.amount - live.taxed.amount)
        self.assertEqual((row["Claimant"], row["Stands at"]), (self.maren.person.name, "Cleared"))

    def test_a_later_claim_of_the_trip_has_the_rest_alone(self):
        self.free(60)
        claim = self.a_claim()
        self.post_claim(claim)
        first = StatementLine.objects.get(statement__claim=claim, kind="allowance")
        for row in AllowanceRate.objects.filter(firm=self.maren.firm):
            row.full_minor *= 2
            row.save()
        type(self.maren.firm).objects.filter(pk=self.maren.firm_id).update(rules_version=new_version())
        self.maren.firm.refresh_from_db()
        more = compose.bare_claim(self.maren, claim.trip_id)
        again = Claim.objects.select_related("firm", "claimant__person", "claimant__firm", "trip").get(pk=more.pk)
        line = next(each for each in live_file(again).figures.lines if each.kind == "allowance")
        # The free part is the same: all of what is more is above it.
        self.assertEqual((line.taxed, line.taxed.minor > 0), (line.says, True))
        self.assertGreater(first.taxed_minor, 0)

    def test_nothing_is_above_where_rates_name_no_free_part(self):
        claim = self.a_claim()
        self.post_claim(claim)
        (row,) = self.rows()
        self.assertEqual((row["Above, for payroll"], row["Free of tax"]), (Decimal(0), row["Paid"]))

    def test_what_was_not_approved_comes_off_what_is_above_first(self):
        claim = self.a_claim()
        self.post_claim(claim)
        line = StatementLine.objects.select_related("statement__claim").get(statement__claim=claim, kind="allowance")
        for says, taxed, refused, wanted in (
            (10_000, 3_000, 2_000, ("80.00", "70.00", "10.00")), (10_000, 3_000, 5_000, ("50.00", "50.00", "0.00")),
            (10_000, 0, 0, ("100.00", "100.00", "0.00")), (-2_000, -500, 0, ("-20.00", "-15.00", "-5.00")), (0, 0, 0, ("0.00", "0.00", "0.00")),
        ):  # fmt: skip
            line.says_minor, line.taxed_minor, line.refused = says, taxed, refused
            self.assertEqual(tuple(str(each) for each in exports._allowance(line)), wanted)
