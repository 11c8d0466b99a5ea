"""Runs settings over a subject."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import date

from wainwright.core.rules.base import Finding, Level, Setting
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.registry import kinds

_ORDER = {Level.STOP: 0, Level.EXPLAIN: 1, Level.NOTE: 2}


def run(subject: Subject, settings: Iterable[Setting]) -> list[Finding]:
    """Return the findings on ``subject``, gravest first.

    ``settings`` are those that are meant for its person. One speaks where it is meant for this sort of subject and is in
    force on the day that counts (see ``day_of``). Raises ``KeyError`` for a setting of an unknown kind.
    """
    found = []
    days = {item.key: item.day for item in subject.items}
    for setting in settings:
        check = kinds()[setting.kind]
        if subject.kind not in setting.subjects & check.on:
            continue
        for hit in check.check(subject, setting):
            if not setting.in_force(day_of(hit.target, subject, days)):
                continue
            found.append(
                Finding(
                    f"{setting.code}@{hit.target}",
                    setting.code,
                    setting.level,
                    hit.text,
                    setting.text,
                    hit.cure,
                    hit.target,
                    hit.figure,
                    hit.also,
                    setting.reasons,
                )
            )
    return sorted(found, key=lambda finding: (_ORDER[finding.level], finding.identity))


def day_of(target: str, subject: Subject, days: Mapping[str, date]) -> date:
    """Return the day by which it counts whether a rule is in force on ``target``.

    On a claim a cost counts by its own day and a night by its own, so that what was in force then stays; the claim as a
    whole, and everything on a plan, by the day on which it is looked at. ``days`` are those of the items by their keys.
    """
    if subject.kind == "claim":
        if target in days:
            return days[target]
        if target.startswith("night:"):
            return date.fromisoformat(target.removeprefix("night:"))
    return subject.today
