"""The moods of the stand-ins: what can go wrong outside, switched on by hand in the demo."""

from __future__ import annotations

import json
import time
from pathlib import Path

from django.conf import settings

from wainwright.core.said import say
from wainwright.ports.market import MarketError

# Mood -> what it does, as the demo's page says it.
MOODS = {
    "slow": say("Every answer takes two seconds"),
    "silent": say("The market does not answer at all"),
    "sold_out": say("What is held is sold out a moment before"),
    "dearer": say("Prices rise by 7 % between the search and the hold"),
    "rises_later": say("Prices of what is held rise by 12 % before it is confirmed"),
    "card_refused": say("The card is refused when a hold is confirmed"),
    "ticket_late": say("Tickets are not issued yet, though confirmed"),
    "nonsense": say("Searches answer things that cannot be, beside true ones"),
}
SLOW, SILENT = 2.0, 30.0


def _file() -> Path:
    return settings.VAR / "moods.json"


def moods() -> frozenset[str]:
    """Return the moods that are on; none outside the demo."""
    if not settings.DEMO:
        return frozenset()
    try:
        return frozenset(json.loads(_file().read_text(encoding="utf-8"))) & MOODS.keys()
    except (FileNotFoundError, ValueError, TypeError):
        return frozenset()


def set_moods(wanted: frozenset[str]) -> None:
    """Switch exactly these moods on. Raises ``RuntimeError`` outside the demo."""
    if not settings.DEMO:
        raise RuntimeError("The stand-ins have moods in the demo only.")
    _file().write_text(json.dumps(sorted(wanted & MOODS.keys())), encoding="utf-8")


def answer() -> frozenset[str]:
    """Take as long as the mood says, then return the moods. Raises ``MarketError`` when nothing comes at all."""
    now = moods()
    if "silent" in now:
        time.sleep(SILENT)
        raise MarketError(say("The market did not answer."))
    if "slow" in now:
        time.sleep(SLOW)
    return now
