"""Kinds, settings and findings."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal
from enum import StrEnum
from typing import ClassVar

from wainwright.core.asking import meant_for
from wainwright.core.money import Money
from wainwright.core.rules.facts import Subject
from wainwright.core.rules.params import Param


class Level(StrEnum):
    """How grave a finding is: put right, give a reason, or just know."""

    STOP = "stop"
    EXPLAIN = "explain"
    NOTE = "note"


@dataclass(frozen=True, slots=True)
class Cure:
    """What would cure a finding, as an act, and which thing it leads to."""

    label: str
    target: str


@dataclass(frozen=True, slots=True)
class Hit:
    """What a kind found on one object: a sentence with the figures, and the cure."""

    target: str
    text: str
    cure: Cure
    figure: Money | None = None
    also: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Setting:
    """One rule as the firm has set it. ``groups`` are whom it is meant for, ``paragraph`` the heading of the policy under which it stands."""

    code: str
    kind: str
    level: Level
    text: str
    params: Mapping[str, str] = field(default_factory=dict)
    categories: frozenset[str] = frozenset()
    subjects: frozenset[str] = frozenset({"plan", "claim"})
    groups: frozenset[str] = frozenset()
    since: date | None = None
    until: date | None = None
    reasons: tuple[str, ...] = ()
    paragraph: str = ""

    def in_force(self, day: date) -> bool:
        """Say whether the rule holds on ``day``."""
        return not (self.since and day < self.since) and not (self.until and day > self.until)

    def meant_for(self, groups: Collection[str]) -> bool:
        """Say whether it is meant for somebody of some ``groups``: of one that it names, or where it names none, and of none
        that it leaves out (named with a minus before it).
        """
        return meant_for(self.groups, groups)

    def amount(self, name: str, currency: str) -> Money:
        """A parameter that is an amount in the firm's currency."""
        return Money.of(self.params[name], currency)

    def number(self, name: str, default: str = "0") -> Decimal:
        """A parameter that is a number."""
        return Decimal(self.params.get(name, default))

    def applies_to(self, category: str) -> bool:
        """Say whether an item of ``category`` is meant."""
        return not self.categories or category in self.categories


@dataclass(frozen=True, slots=True)
class Finding:
    """What the rules say of one object. ``identity`` survives a new run, so a reason stays with it."""

    identity: str
    rule: str
    level: Level
    text: str
    rule_text: str
    cure: Cure
    target: str
    figure: Money | None = None
    also: tuple[str, ...] = ()
    reasons: tuple[str, ...] = ()


class Kind:
    """A kind of rule. Subclasses set ``code``, ``title``, ``about`` (one sentence) and ``params``, and yield hits from ``check``.

    ``on`` are the subjects on which it means anything; on others a setting of it finds nothing. ``by_category``: whether it
    asks for the categories of a setting. ``needs`` are the dearer facts that it looks at: "journey" what follows from
    the trips of a claim, "known" the costs recorded elsewhere, "papers".
    """

    code: ClassVar[str]
    title: ClassVar[str]
    about: ClassVar[str]
    params: ClassVar[tuple[Param, ...]] = ()
    on: ClassVar[frozenset[str]] = frozenset({"plan", "claim"})
    by_category: ClassVar[bool] = False
    needs: ClassVar[frozenset[str]] = frozenset()

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield what is found on ``subject`` under ``setting``."""
        raise NotImplementedError


REGISTRY: dict[str, Kind] = {}


def kind(cls: type[Kind]) -> type[Kind]:
    """Register a kind by its code. A second kind of the same code is an error at import."""
    if cls.code in REGISTRY:
        raise ValueError(f"two kinds of rule are called {cls.code}")
    REGISTRY[cls.code] = cls()
    return cls
