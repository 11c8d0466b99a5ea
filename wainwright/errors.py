"""What a service says when an act cannot be done."""

from __future__ import annotations

from collections.abc import Mapping

from wainwright.core.said import joined


class Refusal(Exception):
    """An act that was not done: ``message`` says what is wrong and what to do, ``field`` where it was typed."""

    def __init__(self, message: str, field: str = "") -> None:
        super().__init__(message)
        self.message, self.field = message, field


class Faults(ValueError):
    """Everything that is wrong with what was typed, each by the field where it stands."""

    def __init__(self, faults: Mapping[str, str]) -> None:
        super().__init__(joined("; ", faults.values()))
        self.faults = dict(faults)


class Stale(Refusal):
    """Somebody else, or another page, was faster."""


class NotAllowed(Refusal):
    """The person may see the thing, but may not do this."""
