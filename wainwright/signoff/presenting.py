"""Small things that several pages show in the same way."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from wainwright.core.routing import Route
from wainwright.core.rules import Level
from wainwright.core.workings import day_text
from wainwright.rulebook.selectors import Explained
from wainwright.signoff.models import SignOff

_WORDS = {
    "Given": "signed", "Kept": "signed before, unchanged", "Sent back": "sent back", "Turned down": "turned down",
    "Passed on": "passed on", "Dropped": "no longer asked",
}  # fmt: skip


def route_steps(signoffs: Sequence[SignOff]) -> list[dict[str, Any]]:
    """Return the last round of a route for showing: who, why, since when, and who is next."""
    last = max((s.round for s in signoffs), default=0)
    rows = []
    for s in signoffs:
        if s.round != last:
            continue
        if s.state == SignOff.State.WAITING:
            word = f"next, since {day_text(s.since)}" if s.turn and s.since else "then"
        else:
            word = _WORDS[s.state] + (f" {day_text(s.decided)}" if s.decided and s.state != SignOff.State.KEPT else "")
        rows.append(
            {"order": s.order, "name": s.signer.person.name, "covers": s.covers, "why": s.why, "word": word,
             "comment": s.comment, "done": s.state in ("Given", "Kept"), "now": s.turn}
        )  # fmt: skip
    return rows


def route_preview(route: Route) -> list[dict[str, Any]]:
    """Return a route before it is sent: who will be asked, in which order, and why."""
    return [
        {"order": s.order, "name": s.name, "covers": s.covers, "why": s.why, "word": "will be asked", "comment": "",
         "done": False, "now": False}
        for s in route.steps
    ]  # fmt: skip


def open_explains(findings: Sequence[Explained]) -> list[Explained]:
    """Return the findings that still ask for a reason."""
    return [each for each in findings if each.finding.level == Level.EXPLAIN and each.reason is None]


def serves_also(one: Explained, findings: Sequence[Explained]) -> list[Explained]:
    """Return the other open findings that a reason for ``one`` can answer as well: their rules take the same reasons."""
    reasons = set(one.finding.reasons)
    return [
        each for each in open_explains(findings)
        if each is not one and (reasons & set(each.finding.reasons) if reasons else not each.finding.reasons)
    ]  # fmt: skip


@dataclass(frozen=True)
class Answering:
    """What was typed for a finding, with what is wrong: its reason, words, and the others it was to serve as well."""

    chosen: Sequence[str] = ()
    reason: str = ""
    words: str = ""
    error: str = ""


def asking(findings: Sequence[Explained], typed: Answering | None = None) -> list[dict[str, Any]]:
    """Return every finding with its reasons and those others that the same can answer; what was typed stands at its own."""
    rows = []
    for each in findings:
        mine = typed if typed and typed.chosen[:1] == [each.finding.identity] else Answering()
        open_one = each.finding.level == Level.EXPLAIN and each.reason is None
        rows.append(
            {"each": each, "asks": open_one, "others": serves_also(each, findings) if open_one else [], "typed": mine}
        )
    return rows
