"""Which test shows which clause of what the application must do; ``python -m tests.coverage`` writes docs/coverage.md of it."""

from __future__ import annotations

from typing import TypeVar

Marked = TypeVar("Marked")


def shows(*clauses: str):
    """Mark a test, or a class of tests, with the clauses that it shows through the application: "U1.2"."""

    def mark(test: Marked) -> Marked:
        test.shows = clauses
        return test

    return mark
