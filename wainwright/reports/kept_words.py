"""A question that was kept in words, put together again: whoever reads it does so in their own language."""

from __future__ import annotations

import re

from wainwright.core.said import joined, kept, say

# "this year (1 Jan 2026 to 31 Dec 2026)".
_DAYS = re.compile(r"(.+) \((\d+ \w+ \d{4}) to (\d+ \w+ \d{4})\)")


def question_again(sentence: str) -> str:
    """Return a question as ``asked.sentence`` said it, part by part: what no part is known by stays as it was kept."""
    return joined(", ", map(_part, sentence.split(", "))) if sentence else ""


def _part(text: str) -> str:
    if days := _DAYS.fullmatch(text):
        return joined("", (kept(days[1]), say(" ({since} to {until})", since=kept(days[2]), until=kept(days[3]))))
    word, _, rest = text.partition(" ")
    if word == "by":
        return say("by {listed}", listed=_listed(rest))
    if word == "of":
        return say("of {things}", things=kept(rest))
    if word == "against":
        return say("against {against}", against=kept(rest))
    return _listed(text)


def _listed(text: str) -> str:
    """The last of several dimensions, and the one before it."""
    one, sign, other = text.partition(" and ")
    return joined(say(" and "), (kept(one), kept(other))) if sign else kept(text)
