"""Rules of the route from form to signature, an example typed in a line, their rehearsal; and the firm's policy as people read it."""

from dataclasses import replace
from datetime import timedelta
from decimal import Decimal

from tests.apps.test_laying_down import LaidDown
from tests.apps.world import FIELD
from tests.coverage import shows
from wainwright.claims.models import Claim
from wainwright.errors import Faults, NotAllowed, Refusal, Stale
from wainwright.people.models import Firm
from wainwright.rehearsal import in_force, running
from wainwright.rehearsal.models import Rehearsal
from wainwright.rehearsal.policy import publish, shown_to
from wainwright.rehearsal.route_example import example
from wainwright.rehearsal.routing import ROUTES, RouteTyped, keep_route, typed_of
from wainwright.rehearsal.whom import Groups
from wainwright.rulebook.holding import renew
from wainwright.rulebook.models import PolicyText, RouteSetting, RuleSetting
from wainwright.signoff.models import SignOff

DAY = timedelta(days=1)
TAXIS = RouteTyped("taxis over 30 are looked at", "Ottilie Vass", "last", Decimal(30), ["claim"], ["taxi"])


class Routes(LaidDown):
    def ask(self, typed: RouteTyped) -> RouteSetting:
        """A rule of the route that has always been in force."""
        row = keep_route(self.callum, typed)
        row = in_force.put_in_force(ROUTES, self.callum, row.pk, self.today, ROUTES.digest(row))
        RouteSetting.objects.filter(pk=row.pk).update(since=None)
        renew(self.firm())
        for person in (self.maren, self.callum, self.priya, self.aiko):
            person.firm = self.firm()
        return row

    def whom(self, claim: Claim) -> list[tuple[str, str]]:
        rows = SignOff.objects.filter(subject=claim.subject).order_by("order", "id").select_related("signer__person")
        return [(row.signer.name, row.why) for row in rows]


class AskedTest(Routes):
    same_on_any_day = True

    def setUp(self):
        super().setUp()
        self.ottilie = self.ottilie.__class__.objects.select_related("person", "firm").get(pk=self.ottilie.pk)

    @shows("S5.1")
    def test_the_same_people_for_the_same_reasons_in_the_example_and_on_a_claim(self):
        typed = replace(TAXIS, signer=self.ottilie.name)
        self.ask(typed)
        shown = example(self.firm(), "Maren, 40 EUR, Taxi, 3120")
        self.assertEqual(shown.unknown, [])
        claim = self.sent_claim(costs=("25.00", "15.00"))
        small = self.sent_claim(costs=("20.00",))
        on_claim = self.whom(claim)
        self.assertIn((self.ottilie.name, "taxis over 30 are looked at"), on_claim)
        self.assertEqual([(step.name, step.why) for step in shown.route.steps], on_claim)
        self.assertNotIn(self.ottilie.name, [name for name, _ in self.whom(small)])

    def test_a_plan_is_asked_by_where_it_goes_and_what_speaks(self):
        self.ask(
            RouteTyped(
                "journeys abroad are known to Ottilie", self.ottilie.name, "first", None, ["plan"], countries="Norway"
            )
        )
        trip = self.sent_trip(starts=20)
        names = [
            row.signer.name
            for row in SignOff.objects.filter(subject=trip.subject).order_by("order").select_related("signer__person")
        ]
        self.assertEqual(names[0], self.ottilie.name)
        rule = RuleSetting.objects.filter(firm=self.firm(), code="late-plan").get()
        self.ask(
            RouteTyped("late plans go to Ottilie too", self.ottilie.name, "last", None, ["plan"], rules=[rule.code])
        )
        soon = example(self.firm(), f"Maren, 100 EUR, plan, {rule.text}")
        self.assertEqual([step.name for step in soon.route.steps][-1], self.ottilie.name)
        self.assertNotIn(
            self.ottilie.name, [step.name for step in example(self.firm(), "Maren, 100 EUR, plan").route.steps]
        )

    def test_what_a_line_is_understood_as(self):
        for line, understood, unknown in (
            ("Maren, 1,240 EUR, project P-0417, lodging over the ceiling", ["Maren Oyelaran", "1,240.00 EUR", "project P-0417", "speaks"], 0),
            ("maren oyelaran, EUR 1.240,50, 3120", ["Maren Oyelaran", "1,240.50 EUR", "cost centre 3120"], 0),
            ("Maren, 1240, norway, plan", ["1,240.00 EUR", "in norway", "a plan"], 0),
            ("Maren, 12 EUR, quantum", ["Maren"], 1), ("100 EUR", ["100.00"], 1), ("", [], 1), (",,, ,", [], 1), ("Nobody, \x00, <b>", [], 3),
        ):  # fmt: skip
            with self.subTest(line):
                found = example(self.firm(), line)
                said = " · ".join(found.understood)
                for words in understood:
                    self.assertIn(words, said)
                self.assertEqual(len(found.unknown), unknown, found.unknown)

    def test_everything_that_is_wrong_is_said_beside_its_field(self):
        bad = RouteTyped(
            "x",
            "Nobody Here",
            "middle",
            Decimal("-1"),
            [],
            ["nothing"],
            "no-code",
            "Atlantis",
            "nobody",
            "",
            ["no-rule"],
        )
        with self.assertRaises(Faults) as refused:
            keep_route(self.callum, bad)
        self.assertEqual(
            set(refused.exception.faults),
            {"text", "signer", "place", "over", "kinds", "categories", "codes", "countries", "named", "rules"},
        )
        with self.assertRaisesRegex(Faults, "does not decide"):
            keep_route(self.callum, replace(TAXIS, signer="Maren Oyelaran"))
        with self.assertRaises(NotAllowed):
            keep_route(self.priya, TAXIS)

    def test_what_it_names_may_be_gone_by_its_day_and_two_may_change_it(self):
        row = keep_route(self.callum, replace(TAXIS, signer=self.ottilie.name))
        self.assertEqual(
            keep_route(self.callum, typed_of(row, Groups.of(self.firm())), row.pk, ROUTES.digest(row)).signer,
            self.ottilie,
        )
        seen = ROUTES.digest(row)
        self.ottilie.__class__.objects.filter(pk=self.ottilie.pk).update(approver=False, finance=False)
        with self.assertRaisesRegex(Refusal, "does not decide"):
            in_force.put_in_force(ROUTES, self.callum, row.pk, self.today, seen)
        keep_route(self.callum, replace(TAXIS, signer="Tobias Achterberg"), row.pk, seen)
        with self.assertRaisesRegex(Stale, "Somebody changed it"):
            keep_route(self.callum, TAXIS, row.pk, seen)

    def test_rehearsed_on_what_was_sent(self):
        big, small = self.sent_claim(costs=("45.00",)), self.sent_claim(costs=("12.00",))
        row = keep_route(self.callum, replace(TAXIS, signer=self.ottilie.name))
        with self.done():
            made = running.start("route", self.callum, row.pk, self.today - 400 * DAY, self.today, "")
        done = Rehearsal.objects.select_related("firm", "route").get(pk=made.pk)
        self.assertEqual(done.state, Rehearsal.State.DONE)
        heard = done.heard.filter(kind="claim", thing__in=[big.pk, small.pk])
        self.assertEqual([(each.thing, each.change) for each in heard], [(big.pk, "new")])
        self.assertIn(f"{self.ottilie.name} would sign as well", heard[0].text)
        self.enter(self.callum)
        page = self.client.get(f"/rules/rehearsals/{done.pk}/")
        self.assertContains(page, "would sign as well")
        # Put in force from the page of its rehearsal, and changed so that nobody is asked any more.
        self.client.post(f"/rules/routes/drafts/{row.pk}/force/", {"on": str(self.today), "seen": ROUTES.digest(row)})
        row.refresh_from_db()
        self.assertEqual((row.draft, row.since), (False, self.today))
        RouteSetting.objects.filter(pk=row.pk).update(since=None)
        renew(self.firm())
        less = keep_route(self.callum, replace(TAXIS, signer=self.ottilie.name, over=Decimal(900)), code=row.code)
        with self.done():
            made = running.start("route", self.callum, less.pk, self.today - 400 * DAY, self.today, "")
        self.assertEqual(
            [(h.thing, h.change) for h in made.heard.filter(kind="claim", thing=big.pk)], [(big.pk, "gone")]
        )

    def test_the_pages(self):
        self.enter(self.callum)
        form = {
            "signer": self.ottilie.name,
            "text": "taxis are looked at",
            "place": "last",
            "kinds": ["claim"],
            "categories": ["taxi"],
            "over": "30,00",
        }
        self.assertContains(
            self.client.post("/rules/routes/try/", {**form, "example": "Maren, 40 EUR, taxi"}), "taxis are looked at"
        )
        self.assertContains(
            self.client.post("/rules/routes/new/", {**form, "signer": "Nobody"}), "Nobody of the firm", status_code=422
        )
        made = self.client.post("/rules/routes/new/", form)
        draft = RouteSetting.objects.get(draft=True)
        self.assertRedirects(made, f"/rules/routes/drafts/{draft.pk}/")
        self.client.post(
            f"/rules/routes/drafts/{draft.pk}/force/", {"on": str(self.today + 5 * DAY), "seen": ROUTES.digest(draft)}
        )
        self.assertContains(self.client.get(f"/rules/routes/of/{draft.code}/"), "comes")
        self.assertContains(self.client.get("/rules/routes/?example=Maren,+40+EUR,+taxi"), "line manager of Maren")
        row = RouteSetting.objects.get(pk=draft.pk)
        self.client.post(f"/rules/routes/of/{draft.code}/out/", {"seen": ROUTES.digest(row)})
        row.refresh_from_db()
        self.client.post(f"/rules/routes/drafts/{draft.pk}/drop/", {"seen": ROUTES.digest(row)})
        self.assertFalse(RouteSetting.objects.exists())
        for hostile in (
            {},
            {**form, "over": "1e400"},
            {**form, "categories": ["x"] * 30, "codes": "\x00", "place": "<"},
            {**form, "example": "," * 999},
        ):
            self.assertIn(self.client.post("/rules/routes/new/", hostile).status_code, (302, 422))
            self.assertEqual(self.client.post("/rules/routes/try/", hostile).status_code, 200)

    def test_nothing_is_asked_of_the_database_for_it_on_a_claim_without_such_rules(self):
        claim = self.a_claim(coding=FIELD)
        self.assertEqual(self.found(claim) is not None, True)


class PolicyTest(LaidDown):
    same_on_any_day = True

    @shows("S1.2")
    def test_published_and_read_with_the_rules_under_their_paragraphs(self):
        text = "# Meals\nEat well.\n\n# Ways\nGo slowly.\n"
        publish(self.callum, text, self.today)
        publish(self.callum, text.replace("well", "better"), self.today + 10 * DAY)
        RuleSetting.objects.filter(firm=self.firm(), code="meal-limit").update(paragraph="Meals")
        RuleSetting.objects.filter(firm=self.firm(), code="class").update(groups=["role:finance"])
        renew(self.firm())
        self.maren.firm = self.firm()
        since, shown = shown_to(self.maren)
        self.assertEqual(
            (since, [each.paragraph and each.paragraph.heading for each in shown]),
            (self.today, ["Meals", "Ways", None]),
        )
        self.assertEqual([rule.code for rule in shown[0].rules], ["meal-limit"])
        self.assertNotIn("class", [rule.code for rule in shown[2].rules])
        self.enter(self.maren)
        self.assertContains(self.client.get("/policy/"), 'id="rule-meal-limit"')
        self.assertContains(self.client.get("/"), "/policy/#1-meals")
        self.assertNotContains(self.client.get("/policy/"), "Eat better")

    def test_refusals(self):
        for text, since in (
            ("", self.today),
            ("no heading", self.today),
            ("# A", self.today - DAY),
            ("# A", None),
            ("# A\n# a", self.today),
        ):
            with self.assertRaises(Refusal):
                publish(self.callum, text, since)
        with self.assertRaises(NotAllowed):
            publish(self.priya, "# A", self.today)
        self.enter(self.callum)
        page = self.client.post("/rules/policy/", {"text": "Kept as typed", "since": str(self.today)})
        self.assertContains(page, "Kept as typed", status_code=422)
        self.assertContains(page, "without a heading", status_code=422)
        self.assertFalse(PolicyText.objects.filter(firm=Firm.objects.get(pk=self.callum.firm_id)).exists())
