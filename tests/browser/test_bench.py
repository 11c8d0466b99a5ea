"""A morning at the bench by keys alone; finance corrects and the claimant objects; an approver away and one retired."""

from __future__ import annotations

import sys
import time
from datetime import timedelta
from decimal import Decimal

from selenium.webdriver.common.by import By
from selenium.webdriver.common.keys import Keys

from demo.story import proof
from tests import worlds
from tests.browser.base import BrowserTestCase
from tests.coverage import shows
from wainwright.bench import services as bench
from wainwright.bench.moving import move_on_everywhere
from wainwright.claims.models import Claim
from wainwright.claims.selectors import load_file
from wainwright.claims.services import compose, road
from wainwright.core.money import Money
from wainwright.expenses.services import taking
from wainwright.people.models import Membership
from wainwright.signoff.models import SignOff
from wainwright.staff.services import set_cover


class BenchTest(BrowserTestCase):
    seconds = 60

    def sent(self, who: str, title: str, *costs: str) -> Claim:
        """A claim without a trip, certified and sent; what asks for a reason has one."""
        member = self.people[who]
        for n, amount in enumerate(costs):
            cost = taking.type_cost(
                member, worlds.today() - timedelta(days=2 + n), f"{title} shop {n}", "supplies", Money.of(amount, "EUR"), "self",
                Decimal(0), None, "", "", 1,
            )  # fmt: skip
            proof(cost, n)
        claim = compose.claim_loose(member, title)
        claim = Claim.objects.select_related("firm", "claimant__person", "claimant__firm", "trip").get(pk=claim.pk)
        for each in load_file(member, claim).findings:
            if each.open:
                reason = each.finding.reasons[0] if each.finding.reasons else ""
                compose.explain(
                    member, claim.pk, [each.finding], [each.finding.identity], reason, "Nothing else was to be had"
                )
        road.send(member, claim.pk, Claim.objects.get(pk=claim.pk).version, member.person.name)
        return Claim.objects.get(pk=claim.pk)

    def at(self, claim: Claim):
        self.until(lambda d: f"/bench/claim/{claim.pk}/" in d.current_url, f"not at {claim.title}")
        self.quiet()

    @shows("V3.1", "X10.1")
    def test_a_morning_by_keys_alone(self):
        part, back = self.sent("maren", "Ropes", "60.00", "24.00"), self.sent("aiko", "Paints", "40.00", "22.00")
        odd = self.sent("jonas", "A large pump", "230.00")
        calm = [
            self.sent(who, f"Small things {n}", f"{11 + n}.00")
            for n, who in enumerate(("luca", "maren", "aiko", "jonas", "luca", "maren", "aiko"))
        ]
        self.sign_in("Tobias Achterberg")
        self.open(f"/bench/claim/{part.pk}/?line=expense:{part.expenses.order_by('-amount_minor').first().pk}")
        self.inputs = 0
        self.key("p")
        self.fill(within="#line-part", amount="45.00", why="One rope is for the club")
        self.key(Keys.ENTER)
        self.see("approved in part")
        self.assertEqual(Claim.objects.get(pk=part.pk).total, Money.of("69.00", "EUR"))
        self.key("a")
        self.see("Approved")
        self.key("u")
        self.see("Undone: you approved")
        self.assertEqual(Claim.objects.get(pk=part.pk).state, "In sign-off")
        self.key("a")
        self.see("Approved")

        self.open(f"/bench/claim/{back.pk}/")
        self.key("j")
        self.see("Paints shop 1")
        self.key("x")
        self.fill(within="#line-out", why="Which boat is it for?")
        self.key(Keys.ENTER)
        self.see("The rest stands here")
        self.key("a")
        self.see("Approved")

        self.open("/bench/queue/")
        self.see("7 have nothing out of line")
        self.assert_accessible("the queue")
        self.key("A")
        self.see("are approved")
        left = SignOff.objects.filter(signer=self.people["tobias"], state="Waiting", turn=True, kind="claim")
        self.assertEqual(set(left.values_list("object_id", flat=True)) & {c.pk for c in calm}, set())

        self.open(f"/bench/claim/{odd.pk}/")
        self.see("A large pump")
        self.assert_accessible("a claim on the bench")
        self.key("a")
        self.see("Approved")
        self.assertEqual(Claim.objects.get(pk=odd.pk).state, "In finance check")
        self.assertLess(self.inputs, 24)
        self.assertEqual(self.console(), [])

    @shows("V2.1", "X3.1")
    def test_a_clean_claim_in_two_keys_and_forty_lines_in_a_minute(self):
        clean = self.sent("maren", "Ropes", "20.00")
        amounts = [f"{2 + n % 9}.{n:02d}" for n in range(37)] + ["210.00", "220.00", "230.00"]
        large = self.sent("jonas", "Forty things", *amounts)
        self.sign_in("Tobias Achterberg")
        self.open(f"/bench/claim/{clean.pk}/")
        self.inputs = 0
        self.key("a")
        self.see("Approved")
        print(f"\na clean claim: {self.inputs} keys", file=sys.stderr)
        self.assertLessEqual(self.inputs, 2)
        self.inputs, begun = 0, time.monotonic()
        self.open(f"/bench/claim/{large.pk}/")
        self.see("37 lines agree")
        for _ in range(2):
            self.key("j")
            self.key(" ")
        self.key("a")
        self.see("Approved")
        taken = time.monotonic() - begun
        print(f"\nforty lines, three odd: {self.inputs} keys, {taken:.0f} s", file=sys.stderr)
        self.assertLess(taken, 60)

    @shows("V4.2")
    def test_finance_corrects_and_the_claimant_objects(self):
        claim = self.sent("maren", "Ropes", "20.00", "24.00")
        bench.approve(self.people["tobias"], "claim", claim.pk)
        self.sign_in("Priya Sundqvist")
        self.open(f"/bench/claim/{claim.pk}/")
        self.key("c")
        self.see("Correct Ropes shop")
        self.fill(within="form", **{"change-amount": "18.00", "why": "The paper says 18"})
        self.press("Correct it", "button")
        self.see("The line is corrected")
        self.sign_in("Maren Oyelaran")
        self.open(f"/claims/{claim.pk}/")
        self.see("It was changed after you sent it", "18.00")
        self.fill(within="form", words="It was 20: the paper is of another day")
        self.press("Object", "button")
        self.see("You object", "Nothing is paid until finance has answered")
        self.sign_in("Priya Sundqvist")
        self.open(f"/bench/claim/{claim.pk}/")
        self.see("the paper is of another day")
        self.fill(within="#objection", words="Agreed, corrected back")
        self.press("Answer", "button", within="#objection")
        self.see("The objection is answered")
        self.assertEqual(Claim.objects.get(pk=claim.pk).objection, "")

    def test_one_away_and_one_retired_hold_nothing(self):
        claim, other = self.sent("maren", "Ropes", "20.00"), self.sent("nadia", "Fenders", "21.00")
        today = worlds.today()
        set_cover(
            self.people["tobias"], self.people["tobias"].pk, self.people["signe"].pk, today, today + timedelta(days=3)
        )
        Membership.objects.filter(pk=self.people["ottilie"].pk).update(active=False)
        move_on_everywhere()
        self.sign_in("Signe Halloran")
        self.open("/bench/queue/")
        self.see("Ropes", "Fenders")
        for each in (claim, other):
            self.open(f"/bench/claim/{each.pk}/")
            self.key("a")
            self.see("Approved")
        self.assertEqual(
            set(Claim.objects.filter(pk__in=[claim.pk, other.pk]).values_list("state", flat=True)), {"In finance check"}
        )
        self.driver.set_window_size(390, 844)
        self.open("/bench/queue/?show=decided")
        self.assertTrue(self.driver.find_elements(By.CSS_SELECTOR, "[data-line]"))
