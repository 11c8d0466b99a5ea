"""Special permissions: statements that must stand on an authorised trip, each with its cause on the plan."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from wainwright.core.said import joined, say


@dataclass(frozen=True, slots=True)
class Cause:
    """Something on the plan that asks for a permission: which one, on what, and the words that name it."""

    permission: str
    about: str
    words: str


@dataclass(frozen=True, slots=True)
class Permission:
    """A permission with the causes that call for it; it goes when the last of them goes."""

    code: str
    title: str
    causes: tuple[Cause, ...]
    paper: str = ""

    @property
    def words(self) -> str:
        """The causes in one sentence."""
        return joined("; ", dict.fromkeys(cause.words for cause in self.causes))


# Code -> what is stated, and the paper that must be there.
TITLES = {
    "hire-car": (say("A hire car may be used"), ""),
    "ceiling": (say("The lodging ceiling is lifted"), say("price comparison")),
    "long-drive": (say("The own car may be used for the whole way"), ""),
    "cabin": (say("A higher class may be used"), ""),
    "outside-quarters": (say("Lodging outside the supplied quarters is allowed"), ""),
}


def permissions(causes: Iterable[Cause]) -> list[Permission]:
    """Return each permission that the causes call for, once, in the order of ``TITLES``. Raises ``KeyError`` for an unknown one."""
    by_code: dict[str, list[Cause]] = {}
    for cause in causes:
        by_code.setdefault(cause.permission, []).append(cause)
    unknown = by_code.keys() - TITLES.keys()
    if unknown:
        raise KeyError(f"no such permission: {sorted(unknown)[0]}")
    return [
        Permission(code, title, tuple(by_code[code]), paper)
        for code, (title, paper) in TITLES.items()
        if code in by_code
    ]
