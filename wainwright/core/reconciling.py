"""Reconciling: which lines of a bank's statement are which payments, runs, charges or money that came back, and why.

Everything is found by amount first: a line has the amount of what it is, or several things together have. What says
so besides (a reference, the name, the day) makes it sure or only likely.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from functools import lru_cache

from rapidfuzz import fuzz

from wainwright.core.matching import plain_merchant
from wainwright.core.money import Money, total
from wainwright.core.said import say, say_many

# So many days a bank may be later than the day that was asked for, or a card's charge earlier than its line.
DAYS_AFTER, DAYS_BEFORE = 10, 5
SURE, LIKELY, AHEAD = 80, 45, 15
REFERENCE, NAME, DAY, AMOUNT = 60, 20, 20, 15
# No more than so many lines or things are tried together for one sum.
MOST_TOGETHER = 200
BEST = 3


@dataclass(frozen=True, slots=True)
class BankLine:
    """One line of a statement: ``amount`` is above zero for money that came in, below for money that went out."""

    key: str
    day: date
    amount: Money
    name: str
    text: str = ""


@dataclass(frozen=True, slots=True)
class Expected:
    """Something that a statement should show: its amount signed alike, what the bank would write, and what it belongs to.

    ``group`` names what goes through the bank as one sum (a pay run); ``references`` are words of which any tells it.
    """

    key: str
    day: date
    amount: Money
    name: str
    references: tuple[str, ...] = ()
    group: str = ""


@dataclass(frozen=True, slots=True)
class Match:
    """Lines and things that belong together, how sure that is (0 to 100), and why, in words."""

    lines: tuple[str, ...]
    things: tuple[str, ...]
    score: int
    why: tuple[str, ...]

    @property
    def sure(self) -> bool:
        """Whether it may be confirmed in a heap."""
        return self.score >= SURE


@lru_cache(maxsize=65_536)
def folded(text: str) -> str:
    """Letters and digits alone, small: how references are compared."""
    return re.sub(r"[^a-z0-9]", "", text.casefold())


@lru_cache(maxsize=65_536)
def _alike(one: str, other: str) -> float:
    return fuzz.token_set_ratio(_plain(one), _plain(other)) if one and other else 0.0


@lru_cache(maxsize=65_536)
def _plain(name: str) -> str:
    return plain_merchant(name)


def _joined(text: str, most: int = 6) -> set[str]:
    """Every run of up to so many words of a text, joined: a reference that the bank broke up is found whole."""
    words = re.findall(r"[a-z0-9]+", text.casefold())[:60]
    return {"".join(words[a:b]) for a in range(len(words)) for b in range(a + 1, min(a + most, len(words)) + 1)}


def score(line: BankLine, thing: Expected) -> tuple[int, tuple[str, ...]]:
    """How well one line fits one thing of the same amount, with why. Nothing (0) for days too far apart."""
    late = (line.day - thing.day).days
    found, why = AMOUNT, [say("the amount {line_amount} is the same", line_amount=line.amount)]
    written = folded(f"{line.name} {line.text}")
    told = next((r for r in thing.references if len(folded(r)) >= 4 and folded(r) in written), "")
    if told:
        found, why = found + REFERENCE, [*why, say("it names {told}", told=told)]
    elif not -DAYS_BEFORE <= late <= DAYS_AFTER:
        return 0, ()
    if -DAYS_BEFORE <= late <= DAYS_AFTER:
        near = DAY - abs(late)
        found += max(0, near)
        why.append(
            say("the same day")
            if not late
            else say_many("{count} day later", "{count} days later", late)
            if late > 0
            else say_many("{count} day earlier", "{count} days earlier", -late)
        )
    alike = _alike(line.name, thing.name)
    if alike >= 70:
        found, why = found + round(NAME * alike / 100), [*why, say("the name is like {thing}", thing=thing.name)]
    return min(found, 100), tuple(why)


def propose(lines: Sequence[BankLine], things: Sequence[Expected]) -> list[Match]:
    """Return for every line that fits something its best match; no line and no thing stands in two of them.

    One to one, one line to all of a group (a pay run debited as one sum), and several lines to one thing. What fits two
    alike is never sure.
    """
    pairs = _pairs(lines, things)
    groups = _groups(lines, things) + _parts(lines, things)
    found = sorted([*pairs, *groups], key=lambda match: (-match.score, match.lines, match.things))
    rivals: dict[str, list[tuple[int, tuple[str, ...], tuple[str, ...]]]] = defaultdict(list)
    for match in found:
        for key in (*match.lines, *match.things):
            rivals[key].append((match.score, match.lines, match.things))
    taken: set[str] = set()
    chosen = []
    for match in found:
        keys = {*match.lines, *match.things}
        if keys & taken or match.score < LIKELY:
            continue
        taken |= keys
        chosen.append(_less_sure(match, rivals))
    return chosen


def best_for(line: BankLine, things: Sequence[Expected], most: int = BEST) -> list[Match]:
    """Return the best things for one line, one to one, the best first."""
    same = [thing for thing in things if thing.amount == line.amount]
    scored = [(score(line, thing), thing) for thing in same]
    found = [Match((line.key,), (thing.key,), points, why) for (points, why), thing in scored if points]
    return sorted(found, key=lambda match: (-match.score, match.things))[:most]


def _less_sure(match: Match, rivals: dict[str, list[tuple[int, tuple[str, ...], tuple[str, ...]]]]) -> Match:
    """Another that fits one of its lines or things nearly as well makes it a likely one."""
    for key in (*match.lines, *match.things):
        for points, lines, things in rivals[key]:
            if (lines, things) != (match.lines, match.things) and points > match.score - AHEAD and match.sure:
                return Match(match.lines, match.things, SURE - 1, (*match.why, say("another fits nearly as well")))
    return match


def _pairs(lines: Sequence[BankLine], things: Sequence[Expected]) -> list[Match]:
    by_amount: dict[Money, list[Expected]] = defaultdict(list)
    for thing in things:
        by_amount[thing.amount].append(thing)
    found = []
    for line in lines:
        scored = [(score(line, thing), thing) for thing in _near(line, by_amount.get(line.amount, []))]
        scored = sorted((each for each in scored if each[0][0]), key=lambda each: (-each[0][0], each[1].key))[:BEST]
        found += [Match((line.key,), (thing.key,), points, why) for (points, why), thing in scored]
    return found


def _near(line: BankLine, same: list[Expected]) -> Iterable[Expected]:
    """Of the things of one amount whatever the line names; where it names none, those of days nearby."""
    written = folded(f"{line.name} {line.text}")
    named = [thing for thing in same if any(len(folded(r)) >= 4 and folded(r) in written for r in thing.references)]
    if named:
        return named
    near = [thing for thing in same if -DAYS_BEFORE <= (line.day - thing.day).days <= DAYS_AFTER]
    return sorted(near, key=lambda thing: abs((line.day - thing.day).days))[:MOST_TOGETHER]


def _groups(lines: Sequence[BankLine], things: Sequence[Expected]) -> list[Match]:
    """A line to all of a group that comes to its amount."""
    groups: dict[str, list[Expected]] = defaultdict(list)
    for thing in things:
        if thing.group:
            groups[thing.group].append(thing)
    by_sum: dict[Money, list[tuple[str, list[Expected]]]] = defaultdict(list)
    for name, members in groups.items():
        if len(members) > 1:
            by_sum[total((each.amount for each in members), members[0].amount.currency)].append((name, members))
    found = []
    for line in lines:
        for name, members in by_sum.get(line.amount, []):
            whole = Expected(name, members[0].day, line.amount, "", (name,), name)
            points, why = score(line, whole)
            if points:
                keys = tuple(sorted(each.key for each in members))
                # A sum of several that agrees to the cent says more than one amount does.
                points = min(points + 30, 100)
                found.append(
                    Match(
                        (line.key,),
                        keys,
                        points,
                        (
                            say("{members_count} payments of {name} together", members_count=len(members), name=name),
                            *why,
                        ),
                    )
                )
    return found


def _parts(lines: Sequence[BankLine], things: Sequence[Expected]) -> list[Match]:
    """Several lines that name one thing and come to its amount together."""
    named: dict[str, list[Expected]] = defaultdict(list)
    for thing in things:
        for reference in {folded(r) for r in thing.references}:
            if len(reference) >= 4:
                named[reference].append(thing)
    by_thing: dict[str, list[BankLine]] = defaultdict(list)
    whole = {thing.key: thing for thing in things}
    for line in lines:
        told = {thing.key for words in _joined(f"{line.name} {line.text}") & named.keys() for thing in named[words]}
        for key in told:
            thing = whole[key]
            smaller = abs(line.amount.minor) < abs(thing.amount.minor)
            if smaller and (line.amount.minor < 0) == (thing.amount.minor < 0):
                by_thing[key].append(line)
    found = []
    for key, parts in by_thing.items():
        thing = whole[key]
        if (
            1 < len(parts) <= MOST_TOGETHER
            and total((each.amount for each in parts), thing.amount.currency) == thing.amount
        ):
            keys = tuple(sorted(each.key for each in parts))
            found.append(
                Match(
                    keys,
                    (key,),
                    95,
                    (
                        say(
                            "{parts_count} lines name it and come to {thing_amount} together",
                            parts_count=len(parts),
                            thing_amount=thing.amount,
                        ),
                    ),
                )
            )
    return found
