"""Small things that several pages show in the same way."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from wainwright.core.routing import Route
from wainwright.core.rules import Finding, Level
from wainwright.core.said import joined, say
from wainwright.core.workings import day_text
from wainwright.rulebook.selectors import Explained
from wainwright.signoff.models import SignOff

_WORDS = {
    "Given": say("signed"), "Kept": say("signed before, unchanged"), "Sent back": say("sent back"), "Turned down": say("turned down"),
    "Passed on": say("passed on"), "Dropped": say("no longer asked"),
}  # fmt: skip


def route_steps(signoffs: Sequence[SignOff]) -> list[dict[str, Any]]:
    """Return the last round of a route for showing: who, why, since when, and who is next."""
    last = max((s.round for s in signoffs), default=0)
    rows = []
    for s in signoffs:
        if s.round != last:
            continue
        if s.state == SignOff.State.WAITING:
            word = say("next, since {since}", since=day_text(s.since)) if s.turn and s.since else say("then")
        else:
            word = _WORDS[s.state] + (
                joined("", (" ", day_text(s.decided))) if s.decided and s.state != SignOff.State.KEPT else ""
            )
        on = s.decided if s.state == SignOff.State.GIVEN else None
        rows.append(
            {"order": s.order, "name": s.signer.person.name, "covers": s.covers, "why": s.why, "word": word,
             "comment": s.comment, "done": s.state in ("Given", "Kept"), "now": s.turn, "did": _WORDS.get(s.state, ""), "on": on}
        )  # fmt: skip
    return rows


def route_preview(route: Route) -> list[dict[str, Any]]:
    """Return a route before it is sent: who will be asked, in which order, and why."""
    return [
        {"order": s.order, "name": s.name, "covers": s.covers, "why": s.why, "word": say("will be asked"), "comment": "",
         "done": False, "now": False}
        for s in route.steps
    ]  # fmt: skip


def open_explains(findings: Sequence[Explained]) -> list[Explained]:
    """Return the findings that still ask for a reason."""
    return [each for each in findings if each.finding.level == Level.EXPLAIN and each.reason is None]


@dataclass(frozen=True)
class Answering:
    """What was typed for findings, with what is wrong: the reason of each, the words, those that were ticked."""

    chosen: Sequence[str] = ()
    reasons: Mapping[str, str] = field(default_factory=dict)
    words: str = ""
    error: str = ""

    @staticmethod
    def of(post: Mapping[str, str], chosen: Sequence[str]) -> Answering:
        """Read a form: a reason for each finding, or one for all that are ticked."""
        one = post.get("reason", "")
        reasons = {identity: post.get(f"reason:{identity}", one)[:200] for identity in chosen}
        return Answering(chosen, reasons, post.get("words", ""))


@dataclass(frozen=True)
class Row:
    """A finding in the form for reasons: its own reasons, the one that stands there, and whether it is ticked."""

    finding: Finding
    reason: str
    ticked: bool


def answer_rows(one: Explained, findings: Sequence[Explained], typed: Answering) -> list[Row]:
    """Return a finding and every other that asks for a reason: those of the same rule ticked, each with reasons of its own."""
    others = [each for each in open_explains(findings) if each is not one]
    ticked = set(typed.chosen) or {each.finding.identity for each in others if each.finding.rule == one.finding.rule}
    return [
        Row(each.finding, typed.reasons.get(each.finding.identity, ""), each is one or each.finding.identity in ticked)
        for each in (one, *sorted(others, key=lambda other: other.finding.rule != one.finding.rule))
    ]


def asking(findings: Sequence[Explained], typed: Answering | None = None) -> list[dict[str, Any]]:
    """Return every finding, with the form for its reason where it asks for one; what was typed stands at its own."""
    rows = []
    for each in findings:
        mine = typed if typed and typed.chosen[:1] == [each.finding.identity] else Answering()
        asks = each.finding.level == Level.EXPLAIN and each.reason is None
        rows.append({"each": each, "rows": answer_rows(each, findings, mine) if asks else [], "typed": mine})
    return rows
