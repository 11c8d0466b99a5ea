"""Runs settings over a subject."""

from __future__ import annotations

from collections.abc import Iterable

from wainwright.core.rules.base import Finding, Level, Setting
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.registry import kinds

_ORDER = {Level.STOP: 0, Level.EXPLAIN: 1, Level.NOTE: 2}


def run(subject: Subject, settings: Iterable[Setting], groups: frozenset[str] = frozenset()) -> list[Finding]:
    """Return the findings on ``subject``, gravest first.

    A setting counts when it is in force today, is meant for this sort of subject, and for one of
    the traveller's ``groups`` (or for everybody). Raises ``KeyError`` for a setting of an unknown kind.
    """
    found = []
    for setting in settings:
        check = kinds()[setting.kind]
        meant = subject.kind in setting.subjects & check.on and (not setting.groups or setting.groups & groups)
        if not meant or not setting.in_force(subject.today):
            continue
        for hit in check.check(subject, setting):
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
