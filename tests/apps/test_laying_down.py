"""Rules as an administrator lays them down: drafts, whom they are meant for, in force by day; and their rehearsal on what is there."""

from dataclasses import replace
from datetime import timedelta
from decimal import Decimal

from django.utils.html import escape

from tests.apps.world import WorldTestCase, eur
from tests.coverage import shows
from wainwright.claims.models import Claim
from wainwright.claims.selectors import load_file
from wainwright.core.rules import kinds, run
from wainwright.errors import Faults, NotAllowed, Refusal, Stale
from wainwright.expenses.elsewhere import Elsewhere
from wainwright.people.models import Firm
from wainwright.rehearsal import in_force, laying_down, rule_table, running
from wainwright.rehearsal.laying_down import RULES, Typed, typed_of
from wainwright.rehearsal.models import Heard, Rehearsal
from wainwright.rehearsal.results import examples, result_of
from wainwright.rehearsal.selectors import standing
from wainwright.rehearsal.subjects import claim_subjects
from wainwright.rehearsal.whom import Groups, NoGroup
from wainwright.rulebook.holding import renew
from wainwright.rulebook.models import FirmQuestion, Policy, RouteSetting, RuleSetting
from wainwright.rulebook.safeguards import safeguards_of
from wainwright.rulebook.selectors import rulebook
from wainwright.trail.models import Entry

TAXI = Typed(
    "limit",
    "explain",
    "A taxi costs up to 15.00.",
    {"limit": "15", "by": "item"},
    ["taxi"],
    ["claim"],
    reasons="Late at night\nGear",
)
DAY = timedelta(days=1)


class LaidDown(WorldTestCase):
    def setUp(self):
        # The people of the world know the firm as it was: what it had laid down then is looked up before anything changes.
        rulebook(self.firm())

    def firm(self) -> Firm:
        return Firm.objects.get(pk=self.callum.firm_id)

    def found(self, claim: Claim) -> list[str]:
        """The rules that speak on an open claim, as its own page runs them."""
        again = Claim.objects.select_related("firm", "trip__signed", "claimant__person", "claimant__firm").get(
            pk=claim.pk
        )
        return [each.finding.rule for each in load_file(again.claimant, again).findings]

    def kept(self, typed: Typed = TAXI, **options) -> RuleSetting:
        return laying_down.keep_rule(self.callum, typed, **options)

    def in_force(self, row: RuleSetting, since) -> RuleSetting:
        return in_force.put_in_force(RULES, self.callum, row.pk, since, RULES.digest(row))


class RulesTest(LaidDown):
    same_on_any_day = True

    @shows("S1.1")
    def test_from_a_draft_to_what_a_traveller_is_asked(self):
        claim = self.a_claim(costs=("20.00",))
        row = self.kept()
        self.assertEqual(
            (row.draft, row.code, row.params, row.reasons),
            (True, "limit-2", {"limit": "15.00", "by": "item"}, ["Late at night", "Gear"]),
        )
        self.assertNotIn(row.code, self.found(claim))
        # A cost of before its first day goes by what held then; one of that day by the rule.
        self.in_force(row, self.today)
        self.assertNotIn(row.code, self.found(claim))
        RuleSetting.objects.filter(pk=row.pk).update(since=self.today - 9 * DAY)
        renew(self.firm())
        self.assertIn(row.code, self.found(claim))
        self.assertEqual(
            [e.what for e in Entry.objects.filter(subject=f"rule:{self.callum.firm_id}:{row.code}")],
            ["kept a draft of a rule", "put a rule in force"],
        )

    def test_a_change_ends_the_one_before_and_can_be_taken_out_again(self):
        old = RuleSetting.objects.get(firm=self.firm(), code="meal-limit")
        RuleSetting.objects.filter(pk=old.pk).update(until=self.today + 90 * DAY)
        changed = replace(typed_of(old, Groups.of(self.firm())), params={"limit": "55", "by": "head"})
        row = self.kept(changed, code="meal-limit")
        with self.assertRaisesRegex(Stale, "begun to change"):
            self.kept(changed, code="meal-limit")
        comes = self.in_force(row, self.today + 30 * DAY)
        old.refresh_from_db()
        self.assertEqual(old.until, comes.since - DAY)
        found = standing(self.firm(), "meal-limit")
        self.assertEqual([(v.state, v.gap) for v in found.rows], [("comes", None), ("in force", None)])
        again = self.kept(changed, code="meal-limit")
        with self.assertRaisesRegex(Refusal, "begins anew"):
            self.in_force(again, self.today + 20 * DAY)
        with self.assertRaisesRegex(Refusal, "is a draft of this rule"):
            in_force.take_out(RULES, self.callum, "meal-limit", RULES.digest(comes))
        in_force.drop_draft(RULES, self.callum, again.pk, RULES.digest(again))
        in_force.take_out(RULES, self.callum, "meal-limit", RULES.digest(comes))
        old.refresh_from_db()
        # It ends again on the day that it would have ended without the change.
        self.assertEqual(old.until, self.today + 90 * DAY)

    def test_an_end_and_a_gap_that_is_said(self):
        old = RuleSetting.objects.get(firm=self.firm(), code="old")
        for until, words in (
            (self.today - DAY, "today or later"),
            (None, "today or later"),
            (self.today + 900 * DAY, "today or later"),
        ):
            with self.assertRaisesRegex(Refusal, words):
                in_force.end(RULES, self.callum, "old", until, RULES.digest(old))
        ended = in_force.end(RULES, self.callum, "old", self.today, RULES.digest(old))
        row = self.kept(typed_of(ended, Groups.of(self.firm())), code="old")
        self.in_force(row, self.today + 10 * DAY)
        found = standing(self.firm(), "old")
        self.assertEqual(found.rows[0].gap, (self.today + DAY, self.today + 9 * DAY))
        self.enter(self.callum)
        self.assertContains(self.client.get("/rules/of/old/"), "Nothing held")

    @shows("S1.1")
    def test_whom_it_is_meant_for(self):
        claim = self.a_claim(costs=("20.00",))
        for named, left_out, speaks in (
            ("", "", True), ("finance", "", False), ("Maren Oyelaran\nfinance", "", True), ("3120", "", True), ("", "Maren Oyelaran", False),
            ("travellers", "cost centre 3120", False), ("Ireland", "", True), ("NO", "", False),
        ):  # fmt: skip
            with self.subTest(named=named, left_out=left_out):
                RuleSetting.objects.filter(firm=self.firm(), kind="limit", categories=["taxi"]).delete()
                row = self.in_force(self.kept(replace(TAXI, named=named, left_out=left_out)), self.today)
                RuleSetting.objects.filter(pk=row.pk).update(since=None)
                renew(self.firm())
                self.assertEqual(row.code in self.found(claim), speaks)
                # What is kept can be shown and typed again, and means the same.
                groups = Groups.of(self.firm())
                self.assertEqual(groups.read(*groups.lines(row.groups)), row.groups)
        with self.assertRaisesRegex(NoGroup, "“Nobody Here” is no role"):
            Groups.of(self.firm()).read("Nobody Here, finance")
        with self.assertRaisesRegex(NoGroup, "Both meant and left out"):
            Groups.of(self.firm()).read("finance", "finance")

    def test_everything_that_is_wrong_is_said_beside_its_field(self):
        bad = Typed(
            "limit",
            "loud",
            "x",
            {"limit": "much", "by": "week"},
            ["nothing"],
            ["everything"],
            "Nobody",
            "",
            "a\n" * 3 + "b" * 90,
            "",
        )
        with self.assertRaises(Faults) as refused:
            self.kept(bad)
        self.assertEqual(
            set(refused.exception.faults),
            {"level", "text", "param_limit", "param_by", "categories", "subjects", "named", "reasons"},
        )
        for typed, field in (
            (replace(TAXI, level="note"), "reasons"), (replace(TAXI, kind="no such"), "kind"), (Typed("due_soon", "note", "It is due soon.", {}, ["taxi"], ["claim"]), "categories"),
            (Typed("class_above", "note", "Economy it is.", {"cabin": "economy"}, [], ["claim"]), "subjects"), (replace(TAXI, reasons="\n".join(map(str, range(20)))), "reasons"),
        ):  # fmt: skip
            with self.subTest(field), self.assertRaises(Faults) as refused:
                self.kept(typed)
            self.assertEqual(list(refused.exception.faults), [field])
        self.assertFalse(RuleSetting.objects.filter(draft=True).exists())

    def test_two_administrators_on_one_rule(self):
        row = self.kept()
        seen = RULES.digest(row)
        self.kept(replace(TAXI, text="A taxi costs up to 12.00."), rule_id=row.pk, seen=seen)
        with self.assertRaisesRegex(Stale, "Somebody changed it"):
            self.kept(TAXI, rule_id=row.pk, seen=seen)
        with self.assertRaisesRegex(Stale, "Somebody changed it"):
            in_force.put_in_force(RULES, self.callum, row.pk, self.today, seen)
        in_force.drop_draft(RULES, self.callum, row.pk, RULES.digest(RuleSetting.objects.get(pk=row.pk)))
        with self.assertRaisesRegex(Stale, "is gone"):
            in_force.put_in_force(RULES, self.callum, row.pk, self.today, seen)
        for act in (
            lambda: laying_down.keep_rule(self.priya, TAXI), lambda: in_force.end(RULES, self.maren, "old", self.today, ""),
            lambda: in_force.take_out(RULES, self.priya, "old", ""), lambda: running.start("rule", self.priya, row.pk, self.today, self.today, ""),
        ):  # fmt: skip
            with self.assertRaises(NotAllowed):
                act()

    def test_what_a_rule_names_may_be_gone_by_its_day(self):
        row = self.kept()
        self.firm().categories.filter(code="taxi").delete()
        with self.assertRaisesRegex(Refusal, "no category taxi"):
            self.in_force(row, self.today)

    def test_every_kind_has_a_form_that_can_be_kept(self):
        self.enter(self.callum)
        for code, kind in kinds().items():
            with self.subTest(code):
                page = self.client.get(f"/rules/new/?kind={code}")
                self.assertContains(page, escape(kind.about))
                typed = {"money": "10,00", "words": "casino", "choice": ""}
                form = {f"param_{p.name}": p.default or typed[p.type] for p in kind.params if p.type != "yes"}
                sent = self.client.post(
                    "/rules/new/",
                    {
                        **form,
                        "kind": code,
                        "level": "note",
                        "text": f"What {kind.title.lower()} means.",
                        "subjects": sorted(kind.on),
                    },
                )
                self.assertEqual(sent.status_code, 302, sent.content[-3000:] if sent.status_code != 302 else "")
                self.assertContains(self.client.get(sent.headers["Location"]), "As it is understood")
                self.assertContains(
                    self.client.post(
                        "/rules/read/",
                        {**form, "kind": code, "level": "note", "text": "What it means.", "subjects": sorted(kind.on)},
                    ),
                    "Looks at",
                )
        self.assertEqual(RuleSetting.objects.filter(draft=True).count(), len(kinds()))
        page = self.client.get("/rules/?q=casino")
        self.assertContains(page, "What merchant not wanted means.")
        self.assertNotContains(page, "A night is paid once.")

    def test_a_form_that_is_refused_keeps_what_was_typed(self):
        self.enter(self.callum)
        typed = {
            "kind": "limit",
            "level": "explain",
            "text": "Taxis are cheap here.",
            "param_limit": "ten",
            "param_by": "item",
            "subjects": ["claim"],
            "named": "Nobody Here",
        }
        page = self.client.post("/rules/new/", typed)
        self.assertContains(page, "Taxis are cheap here.", status_code=422)
        self.assertContains(page, "“Nobody Here” is no role", status_code=422)
        self.assertContains(page, 'value="ten"', status_code=422)
        for hostile in (
            {"kind": "none"},
            {"kind": "limit"},
            {**typed, "subjects": ["x"] * 50, "categories": ["'; --"], "level": "\x00"},
        ):
            self.assertIn(self.client.post("/rules/new/", hostile).status_code, (404, 422))
            self.assertIn(self.client.post("/rules/read/", hostile).status_code, (200, 404))


class TextTest(LaidDown):
    same_on_any_day = True

    def test_what_goes_out_comes_in_again(self):
        text = rule_table.as_text(self.firm())
        rows = rule_table.read_text(self.callum, text)
        self.assertEqual([row.faults for row in rows if row.faults], [])
        self.assertTrue(all(row.changes for row in rows))
        self.assertEqual(rule_table.take(self.callum, text), len(rows))
        for draft in RuleSetting.objects.filter(firm=self.firm(), draft=True):
            kept = RuleSetting.objects.get(firm=self.firm(), code=draft.code, draft=False)
            for name in ("kind", "level", "text", "params", "categories", "reasons", "groups", "paragraph"):
                self.assertEqual(getattr(draft, name), getattr(kept, name), (draft.code, name))

    def test_routes_questions_and_figures_stand_in_it_too(self):
        signer = self.tobias.person.name
        more = f"""
[figures]
claim_days = 9
km_share = "12.5"
advance_blocks = true
kin = ["partner, 80"]
[safeguards]
decide_days = 9
look_above = 750
[[route]]
text = "taxis over 30 are looked at"
signer = "{signer}"
place = "last"
over = 30
on = ["claim"]
categories = ["taxi"]
countries = ["Norway"]
[[question]]
text = "Who moves the piano?"
about = "move"
kind = "choice"
choices = ["A mover", "You"]
required = true
entitles = [{{ when = "You", what = "sum", name = "Piano", category = "removal", amount = 180 }}]
"""
        rows = rule_table.read_text(self.callum, more)
        self.assertEqual([row.faults for row in rows if row.faults], [])
        self.assertIn("claim_days: 21 → 9", rows[0].does)
        self.assertEqual(rule_table.take(self.callum, more), 4)
        self.assertEqual(
            (safeguards_of(self.firm()).decide_days, str(safeguards_of(self.firm()).look_above)), (9, "750.00")
        )
        policy = Policy.objects.get(firm=self.firm())
        self.assertEqual((policy.claim_days, policy.km_share, policy.advance_blocks, policy.kin), (9, Decimal("12.5"), True, {"partner": "0.8"}))  # fmt: skip
        route, question = RouteSetting.objects.get(draft=True), FirmQuestion.objects.get(draft=True)
        self.assertEqual((route.over_minor, route.countries, route.kinds), (3000, ["NO"], ["claim"]))
        self.assertEqual((question.required, question.entitles[0]["amount"]), (True, "180"))
        # In force, and out as a text: everything is there, and comes in again as it was.
        RouteSetting.objects.update(draft=False)
        FirmQuestion.objects.update(draft=False)
        renew(self.firm())
        out = rule_table.as_text(self.firm())
        rows = rule_table.read_text(self.callum, out)
        self.assertEqual([row.faults for row in rows if row.faults], [])
        self.assertEqual(rows[0].does + rows[1].does, [])
        for words in ("taxis over 30", "Who moves the piano?", "countries = [", "claim_days = 9"):
            self.assertIn(words, out)

    def test_what_is_wrong_with_the_others_is_said_at_its_key(self):
        bad = """
[figures]
claim_days = "soon"
terms = 5
shoes = 3
[safeguards]
look_share = 900
certify_by = "dance"
[[route]]
text = "x"
signer = "Nobody"
over = "much"
[[question]]
text = "Who?"
kind = "choice"
choices = "A"
[[question]]
text = "Whose piano?"
kind = "yes_no"
entitles = [3]
"""
        rows = rule_table.read_text(self.callum, bad)
        said = [" ".join(row.faults) for row in rows]
        for words in ("claim_days:", "shoes: there is no such figure"):
            self.assertIn(words, said[0])
        for words in ("look_share:", "certify_by:"):
            self.assertIn(words, said[1])
        for words in ("text:", "signer:", "over: “much”"):
            self.assertIn(words, said[2])
        self.assertEqual(said[3:], ["choices: is a list of texts.", "entitles: is a list of tables."])
        with self.assertRaises(Refusal):
            rule_table.take(self.callum, bad)
        self.assertEqual(Policy.objects.get(firm=self.firm()).claim_days, 21)
        for nonsense in ("figures = 3", "[figures]\nterms = 5", "[[figures]]", "[route]\na = 1", "[[shoes]]"):
            try:
                self.assertTrue([row for row in rule_table.read_text(self.callum, nonsense) if row.faults], nonsense)
            except Refusal as refusal:
                self.assertTrue(refusal.message)

    def test_everything_that_is_wrong_is_said_at_its_key_and_nothing_is_kept(self):
        good = '[[rule]]\nkind = "limit"\nlevel = "note"\ntext = "Taxis are cheap."\nparams = { limit = 15, by = "item" }\n'
        bad = (
            good
            + '[[rule]]\ncode = "receipt"\nkind = "limit"\nlevel = "loud"\ntext = "x"\nparams = { limt = 15 }\nfor = ["Nobody"]\n[[rule]]\nkind = "age"\nwhom = 3\nreasons = "x"\n'
        )
        rows = rule_table.read_text(self.callum, bad)
        self.assertEqual(rows[0].faults, [])
        said = " ".join(rows[1].faults)
        for words in ("level:", "text:", "params.limt:", "params.limit:", "for:", "kind: a rule stays of its kind"):
            self.assertIn(words, said)
        self.assertEqual(rows[2].faults, ["whom: there is no such key.", "reasons: is a list of texts."])
        with self.assertRaises(Refusal):
            rule_table.take(self.callum, bad)
        with self.assertRaises(NotAllowed):
            rule_table.take(self.priya, good)
        self.assertFalse(RuleSetting.objects.filter(draft=True).exists())
        for nonsense in ("", "x", "rule = 3", "[[rule]]\n[[other]]", "[" * 3000, "[[rule]]\n" * 201):
            with self.assertRaises(Refusal):
                rule_table.read_text(self.callum, nonsense)

    def test_the_page(self):
        self.enter(self.callum)
        good = '[[rule]]\nkind = "limit"\nlevel = "note"\ntext = "Taxis are cheap."\nparams = { limit = "15,5", by = "item" }\n'
        page = self.client.post("/rules/import/", {"text": good})
        self.assertContains(page, "“15,5” is no number", status_code=422)
        self.assertContains(page, "Taxis are cheap.", status_code=422)
        page = self.client.post("/rules/import/", {"text": good.replace("15,5", "15.5")})
        self.assertContains(page, "a draft of a new one")
        self.assertRedirects(
            self.client.post("/rules/import/", {"text": good.replace("15,5", "15.5"), "act": "take"}), "/rules/"
        )
        self.assertEqual(RuleSetting.objects.get(draft=True).params["limit"], "15.50")
        self.assertIn(b"[[rule]]", self.client.get("/rules/rules.toml").content)


class RehearsalTest(LaidDown):
    same_on_any_day = True

    def rehearsed(self, row: RuleSetting, whose: str = "", days: int = 400) -> Rehearsal:
        with self.done():
            made = running.start("rule", self.callum, row.pk, self.today - days * DAY, self.today, whose)
        return Rehearsal.objects.select_related("firm", "rule").get(pk=made.pk)

    def heard(self, row: Rehearsal) -> list[tuple[str, str, str]]:
        return sorted(row.heard.values_list("change", "person__person__name", "kind"))

    @shows("S11.1")
    def test_a_new_rule_finds_what_it_would_have_found(self):
        sent, open_ = self.sent_claim(costs=("20.00", "14.00")), self.a_claim(who=self.aiko, costs=("16.50",))
        before = Heard.objects.count()
        row = self.rehearsed(self.kept())
        self.assertEqual((row.state, row.looked, row.left), (Rehearsal.State.DONE, row.total, 0))
        mine = row.heard.filter(kind="claim", thing__in=[sent.pk, open_.pk])
        self.assertEqual(
            sorted(mine.values_list("change", "person__person__name", "category", "amount_minor", "open")),
            [("new", "Aiko Brandt", "taxi", 150, True), ("new", "Maren Oyelaran", "taxi", 500, False)],
        )
        result = result_of(row, rulebook(self.firm()).names)
        self.assertEqual(sum(each.new for each in result.by_category), result.whole.new)
        self.assertEqual(sum(each.new for each in result.by_person), result.whole.new)
        self.assertEqual(sum(each.new for each in result.by_month), result.whole.new)
        self.assertEqual(result.whole.new, Heard.objects.count() - before)
        self.assertGreaterEqual(result.waiting, 1)
        # Nothing of it stands anywhere else.
        self.assertNotIn(row.rule.code, self.found(open_))

    @shows("X5.1")
    def test_a_change_tells_what_is_new_what_is_gone_and_what_is_graver(self):
        self.in_force(self.kept(), self.today)
        rule = RuleSetting.objects.get(code="limit-2")
        RuleSetting.objects.filter(pk=rule.pk).update(since=None)
        renew(self.firm())
        claim = self.a_claim(costs=("20.00", "12.00"))
        for change, wanted in (
            ({"params": {"limit": "10", "by": "item"}}, {"new": 1, "other": 1}), ({"params": {"limit": "90", "by": "item"}}, {"gone": 1}),
            ({"level": "stop", "reasons": ""}, {"other": 1}), ({"named": "finance"}, {"gone": 1}), ({}, {}),
        ):  # fmt: skip
            with self.subTest(change):
                typed = replace(TAXI, **{"params": {"limit": "15", "by": "item"}, **change})
                row = self.rehearsed(self.kept(typed, code="limit-2"))
                heard = row.heard.filter(kind="claim", thing=claim.pk)
                self.assertEqual(
                    {c: heard.filter(change=c).count() for c in ("new", "gone", "other") if heard.filter(change=c)},
                    wanted,
                )
                in_force.drop_draft(RULES, self.callum, row.rule_id, RULES.digest(row.rule))
        self.assertFalse(Rehearsal.objects.exists())

    def test_the_subject_is_the_one_that_the_claim_s_own_page_has(self):
        """What is rehearsed in bulk is what each page works out by itself, for every kind of rule."""
        claim = self.a_claim(costs=("20.00", "30.00"))
        self.a_cost(amount="300.00", category="lodging", merchant="Dock inn")
        book = rulebook(self.firm())
        rules = [each for each in book.settings if "claim" in each.subjects]
        again = Claim.objects.select_related("firm", "trip__signed", "claimant__person", "claimant__firm").get(
            pk=claim.pk
        )
        own = sorted(
            e.finding.identity
            for e in load_file(again.claimant, again).findings
            if e.finding.rule in {r.code for r in rules}
        )
        ((_, subject),) = claim_subjects(
            Claim.objects.filter(pk=claim.pk),
            book,
            rules,
            {"journey", "known", "papers"},
            Elsewhere(book.firm.pk, "EUR"),
        )
        self.assertEqual(sorted(each.identity for each in run(subject, rules)), own)

    def test_plans_are_rehearsed_as_they_were_sent(self):
        trip = self.authorised_trip(starts=5)
        row = self.rehearsed(
            self.kept(Typed("booked_late", "note", "Plan two months ahead.", {"days": "60"}, [], ["plan"]))
        )
        # Only trips that began within the span, and plans that are not sent.
        self.assertFalse(row.heard.filter(kind="trip", thing=trip.pk).exists())
        late = self.authorised_trip(starts=-3)
        row = self.rehearsed(row.rule)
        self.assertEqual(row.left, 0)
        self.assertEqual(row.heard.filter(kind="trip", thing=late.pk).count(), 0)
        soon = self.a_trip(starts=5)
        row = self.rehearsed(row.rule)
        self.assertEqual(
            list(row.heard.filter(kind="trip", thing=soon.pk).values_list("change", "open")), [("new", True)]
        )

    def test_of_a_group_and_a_span_alone(self):
        self.sent_claim(costs=("20.00",)), self.a_claim(who=self.aiko, costs=("16.50",))
        rule = self.kept()
        self.assertEqual({name for _, name, _ in self.heard(self.rehearsed(rule, "Aiko Brandt"))}, {"Aiko Brandt"})
        with self.assertRaisesRegex(Refusal, "is no role"):
            self.rehearsed(rule, "Nobody")
        for since, until in (
            (None, self.today),
            (self.today, self.today - DAY),
            (self.today, self.today + DAY),
            (self.today - 2000 * DAY, self.today),
        ):
            with self.assertRaises(Refusal):
                running.start("rule", self.callum, rule.pk, since, until, "")

    def test_nobody_else_sees_it_and_examples_do_not_say_whose(self):
        self.sent_claim(costs=("20.00",))
        row = self.rehearsed(self.kept())
        shown = examples(self.callum, row)
        self.assertTrue(shown)
        self.assertTrue(all(not each.whose and not each.link for each in shown))
        self.callum.finance = True
        self.callum.save()
        self.assertTrue(all(each.whose and each.link for each in examples(self.callum, row)))
        path = f"/rules/rehearsals/{row.pk}/"
        self.priya.administrator = True
        self.priya.save()
        for who, status in ((self.callum, 200), (self.priya, 404), (self.maren, 403)):
            self.enter(who)
            self.assertEqual(self.client.get(path).status_code, status)
            if status != 200:
                self.client.post(f"{path}drop/")
                self.assertTrue(Rehearsal.objects.filter(pk=row.pk).exists())
        self.enter(self.callum)
        self.client.post(f"{path}drop/")
        self.assertFalse(Rehearsal.objects.exists())

    def test_it_goes_on_where_it_broke_off_and_counts_once(self):
        for _ in range(3):
            self.sent_claim(costs=("20.00",))
        rule = self.kept()
        made = running.start("rule", self.callum, rule.pk, self.today - 30 * DAY, self.today, "")
        running.AT_ONCE, before = 2, running.AT_ONCE
        self.addCleanup(setattr, running, "AT_ONCE", before)
        self.assertTrue(running._some(made.pk, running.hearing_of(made)))
        half = Rehearsal.objects.get(pk=made.pk)
        self.assertEqual((half.looked, half.state), (2, Rehearsal.State.WAITING))
        with self.assertRaisesRegex(Refusal, "on its way"):
            running.start("rule", self.callum, rule.pk, self.today - 30 * DAY, self.today, "")
        running.go_on(made.pk)
        running.go_on(made.pk)
        whole = Rehearsal.objects.get(pk=made.pk)
        self.assertEqual((whole.looked, whole.percent, whole.state), (whole.total, 100, Rehearsal.State.DONE))
        things = list(whole.heard.values_list("thing", "text"))
        self.assertEqual(len(things), len(set(things)))
        # Dropped while it is under way: it ends, and leaves nothing.
        running.drop(self.callum, made.pk)
        self.assertFalse(running._some(made.pk, running.hearing_of(made)))
        self.assertFalse(Heard.objects.exists())

    def test_a_draft_that_was_changed_since_says_so(self):
        row = self.rehearsed(self.kept())
        self.kept(replace(TAXI, text="A taxi costs little."), rule_id=row.rule_id, seen=row.seen)
        self.enter(self.callum)
        self.assertContains(self.client.get(f"/rules/rehearsals/{row.pk}/"), "was changed since")

    def test_so_many_queries_however_many_claims(self):
        book = rulebook(self.firm())
        rules = [laying_down.read_rule(self.firm(), TAXI).as_core()]
        for _ in range(2):
            self.sent_claim(costs=("20.00", "21.00"))
            with self.assertNumQueries(4):
                list(claim_subjects(Claim.objects.filter(firm=book.firm), book, rules, set()))

    def test_money_of_a_result_is_what_its_findings_say(self):
        self.sent_claim(costs=("20.00", "17.50"))
        row = self.rehearsed(self.kept(), "Maren Oyelaran")
        result = result_of(row, {})
        self.assertEqual(result.whole.more, eur(sum(each.amount_minor for each in row.heard.all()) / 100))
