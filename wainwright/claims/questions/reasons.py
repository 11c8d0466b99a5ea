"""What the rules want explained: one reason for all that the same rule has found."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace

from wainwright.claims.questions.base import Asking, Kind, Question, Tick
from wainwright.claims.services.compose import explain
from wainwright.core.rules import Level
from wainwright.core.said import say
from wainwright.errors import Refusal
from wainwright.rulebook.models import Explanation
from wainwright.rulebook.selectors import Explained

# Asked in their own way.
ELSEWHERE = ("missing_evidence", "required_field")


def explain_by(asking: Asking, found: Sequence[Explained], reason: str, words: str) -> str:
    """Give a reason to findings, as the claim's own service takes it. Raises ``Refusal``."""
    if not found:
        raise Refusal(say("Tick at least one of them."))
    if found[0].finding.reasons and reason not in found[0].finding.reasons:
        raise Refusal(say("Choose the reason that fits."))
    findings = [each.finding for each in found]
    explain(asking.member, asking.claim.pk, findings, [finding.identity for finding in findings], reason, words)
    return say("The reason is kept.")


class Reasons(Kind):
    """One question a rule, with everything that it found ticked."""

    code = "reason"
    order = 60

    def find(self, asking: Asking) -> Iterable[Question]:
        """The rules that ask, each with what it found."""
        kinds = {setting.code: setting.kind for setting in asking.file.book.settings}
        by_rule: dict[str, list[Explained]] = {}
        for each in asking.file.findings:
            if each.open and each.finding.level == Level.EXPLAIN and kinds.get(each.finding.rule) not in ELSEWHERE:
                by_rule.setdefault(each.finding.rule, []).append(each)
        for rule, found in by_rule.items():
            first = found[0].finding
            one = len(found) == 1
            yield Question(
                f"reason-{rule}", self.code, first.text if one else say("{found_count} times: {rule_text} Why?", found_count=len(found), rule_text=first.rule_text or first.text),
                ticks=() if one else [Tick(e.finding.identity, e.finding.text) for e in found], reasons=first.reasons,
                box=say("In a few words"), more=first.rule_text if one else "", line=first.target,
            )  # fmt: skip

    def help(self, asking: Asking, question: Question) -> Question:
        """Offer what the person said for the same rule before, the latest first."""
        rule = question.key.removeprefix("reason-")
        rows = Explanation.objects.filter(by=asking.member, identity__startswith=f"{rule}@").order_by("-time")
        return replace(question, offered=list(dict.fromkeys(rows.values_list("words", flat=True)[:20]))[:5])

    def answer(self, asking: Asking, question: Question, said: str, words: str, ticked: Sequence[str]) -> str:
        """Keep the reason for what was ticked."""
        rule = question.key.removeprefix("reason-")
        found = [e for e in asking.file.findings if e.open and e.finding.rule == rule]
        if question.ticks:
            found = [each for each in found if each.finding.identity in ticked]
        return explain_by(asking, found, said, words)


KIND = Reasons()
