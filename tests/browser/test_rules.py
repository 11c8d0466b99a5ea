"""An administrator lays down an allowance: rates from a table, a scheme built in the editor, tried, put in force, earned."""

from contextlib import nullcontext
from datetime import timedelta
from pathlib import Path

from tests.apps.world import World
from tests.browser.base import BrowserTestCase
from tests.coverage import shows
from wainwright.people.models import new_version
from wainwright.rulebook.models import AllowanceRate, RuleSetting, SchemeData

SCHEME = """code = "LONGSHORE"
name = "day out and nights"
since = "2026-01-01"
window = "day"
rows = [
  { name = "nights", night = true, period = ["first", "last"], pays = { amount = "part" } },
  { period = "whole", pays = { share = "1" } },
  { name = "day out", night = false, over = "8", pays = { amount = "part" } },
]
supplements = [{ name = "evening", night = false, away_at = "20:00", pays = { amount = "evening" } }]
"""


class RulesTest(World, BrowserTestCase):
    seconds = 60

    def setUp(self):
        super().setUp()
        self.meet_the_people()

    def done(self):
        """What waits for the transaction is run as it is kept."""
        return nullcontext()

    def earns(self, leaves: tuple[str, str], back: tuple[str, str], together: str):
        """Type an example journey, and see what all of it comes to."""
        self.fill("#editor", leaves_on=leaves[0], leaves_at=leaves[1], back_on=back[0], back_at=back[1], place="Voss")
        self.until(
            lambda d: together in d.execute_script("return document.querySelector('#tried .sum')?.innerText || ''"),
            f"{leaves} to {back} does not come to {together}",
        )

    @shows("S4.2")
    def test_a_rate_table_a_scheme_in_the_editor_and_what_a_traveller_earns(self):
        trip = self.a_trip(starts=20, days=3)
        self.sign_in("Callum Iwasaki")
        self.open("/rules/schemes/new/?from=clock-times")
        self.see("Rates lack what it names")
        self.put("#text", SCHEME)
        self.see("nights: first day or last day, with a night away: the part amount", "Rates lack what it names")
        self.press("Keep as a draft")
        self.see("LONGSHORE is kept as a draft")
        draft = self.driver.current_url
        # The rates that it names come as a table; what is wrong stays behind.
        table = Path(self.folder.name) / "rates.csv"
        self.put("#force [name='since']", str(self.today))
        self.press("Put it in force")
        self.see("Rates lack what it names", "has no “evening”", "Take in a table of rates")
        lines = ["country,town,from,full,part,evening", f"NO,Voss,{self.today},46,31,9", "NO,Odd,never,1,1,1"]
        for rate in AllowanceRate.objects.filter(firm=trip.firm):
            full, part = (60, 40) if rate.town == "Bergen" else (rate.full_minor / 100, 1)
            lines.append(f"{rate.country},{rate.town},{self.today},{full},{part},1")
        lines += [f"NO,Town {n},{self.today},{40 + n % 9},20,4" for n in range(5_000)]
        right = len(lines) - 2
        table.write_text("\n".join(lines))
        self.open("/rules/allowances/")
        self.attach("#file", table)
        self.press("Look at it")
        self.see("with something wrong", "“never” is no day")
        self.press(f"Take the {right} in")
        self.see(f"{right} rates are in.")
        self.assertEqual(AllowanceRate.objects.filter(town__startswith="Town ").count(), 5_000)
        # The same editor, now with figures: three journeys, right to the cent.
        self.driver.get(draft)
        day = self.today + timedelta(days=7)
        on = [str(day + timedelta(days=n)) for n in range(3)]
        self.earns((on[0], "09:00"), (on[2], "18:00"), "108.00")
        self.earns((on[0], "08:00"), (on[0], "16:01"), "31.00")
        self.earns((on[0], "08:00"), (on[0], "21:00"), "40.00")
        self.press("Rehearse it", css="button")
        self.see("nobody else sees this", "trips and claims")
        self.driver.get(draft)
        self.put("#force [name='since']", str(self.today))
        self.press("Put it in force")
        self.see("is in force from", "Copy it to change it")
        self.assertEqual(SchemeData.objects.get(code="LONGSHORE").since, self.today)
        self.sign_in("Maren Oyelaran")
        self.open(f"/trips/{trip.pk}/")
        self.see("140.00")

    @shows("S11.1")
    def test_a_rule_rehearsed_switched_on_and_seen_by_a_traveller(self):
        sent = self.sent_claim(costs=("20.00", "12.00"))
        claim = self.a_claim(who=self.aiko, costs=("19.00",))
        self.sign_in("Callum Iwasaki")
        self.open("/rules/")
        self.press("Begin a rule")
        self.press("Amount over a limit")
        self.put("[name='param_limit']", "15,00")
        self.put("[name='text']", "A taxi costs up to 15.00.")
        self.put("[name='reasons']", "Late at night")
        self.press("Only of some categories")
        self.press_at("//label[contains(., 'Taxi')]")
        self.put("[name='named']", "travellers")
        self.see("As it is understood", "Limit: 15.00 EUR", "role traveller")
        self.press("Keep as a draft")
        self.see("nobody meets it yet")
        self.press("Rehearse it", css="button")
        self.see("people would meet it", "nobody else sees this")
        self.see("Pier taxi 0 is 5.00 over the 15.00 limit for Taxi.")
        # The last day of what was is yesterday; a cost of today is asked.
        self.put("#force [name='on']", str(self.today))
        self.press("Put it in force")
        self.see("It is in force from", "A taxi costs up to 15.00.")
        RuleSetting.objects.filter(text="A taxi costs up to 15.00.").update(since=self.today - timedelta(days=30))
        type(claim.firm).objects.update(rules_version=new_version())
        self.sign_in("Aiko Brandt")
        self.open(f"/claims/{claim.pk}/")
        self.see("4.00 over the 15.00 limit for Taxi", "A taxi costs up to 15.00.")
        self.open("/policy/")
        self.see("A taxi costs up to 15.00.", "Reasons that are taken: Late at night")
        # What was sent stays as it was found.
        self.sign_in("Maren Oyelaran")
        self.open(f"/claims/{sent.pk}/")
        self.assertNotIn("over the 15.00 limit", self.body())

    @shows("P9.2")
    def test_a_route_is_shown_as_people_for_a_line_that_is_typed(self):
        self.sign_in("Callum Iwasaki")
        self.open("/rules/routes/")
        self.put("#example input", "Maren, 6,240 EUR, Taxi")
        self.see(
            "Understood: Maren Oyelaran · 6,240.00 EUR · for Taxi",
            "Tobias Achterberg",
            "Signe Halloran",
            "over Tobias Achterberg's limit",
        )
        self.press("Ask somebody as well")
        self.fill(
            "#route", signer="Ottilie Marsh", text="dear taxis are looked at", over="40", example="Maren, 41 EUR, Taxi"
        )
        self.see("Where the example would go")
        self.see("dear taxis are looked at", "line manager of Maren Oyelaran")
        self.press("Keep as a draft")
        self.see("nobody is asked by it yet")
        self.put("#force [name='on']", str(self.today))
        self.press("Put it in force")
        self.see("Ottilie Marsh is asked as well", "from 40.00 EUR")
