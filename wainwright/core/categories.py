"""Proposing what a cost was for: from what was chosen before, the card's merchant code, and the merchant's own words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from wainwright.core.said import say

# A category chosen in fewer than this share of the earlier cases is no clear choice.
CLEAR = 0.6


@dataclass(frozen=True, slots=True)
class Chosen:
    """How often a merchant (its plain name) was put under a category: by the person, and in the whole firm."""

    key: str
    category: str
    own: int
    firm: int


@dataclass(frozen=True, slots=True)
class Guide:
    """What a firm says of a category: merchant codes (ISO 18245) as ranges, and words in merchants' names."""

    category: str
    codes: tuple[tuple[int, int], ...] = ()
    words: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Proposal:
    """A category, how sure (0 to 1), and why in words."""

    category: str
    sure: float
    why: str


def code_ranges(text: str) -> tuple[tuple[int, int], ...]:
    """Read "5811-5814, 7011" as ranges. Raises ``ValueError`` for anything else."""
    found = []
    for piece in filter(None, (piece.strip() for piece in text.split(","))):
        low, _, high = piece.partition("-")
        found.append((int(low), int(high or low)))
    return tuple(found)


def propose(
    key: str,
    merchant: str,
    code: str,
    chosen: Sequence[Chosen],
    guides: Sequence[Guide],
    names: Mapping[int, str] | None = None,
) -> Proposal | None:
    """Propose a category: the person's own choices first, then the firm's, the merchant code, a word in the name.

    ``key`` is the merchant's plain name, ``code`` the card's merchant code or empty, ``names`` the trades of codes.
    Nothing is proposed where nothing speaks for anything.
    """
    same = [row for row in chosen if row.key == key and key]
    for whose in ("own", "firm"):
        counts = {row.category: getattr(row, whose) for row in same if getattr(row, whose)}
        if counts:
            category, times = max(counts.items(), key=lambda item: (item[1], item[0]))
            share = times / sum(counts.values())
            if share >= CLEAR:
                often = say("once") if times == 1 else say("{times} times", times=times)
                words = (
                    say("you chose it {often} before", often=often)
                    if whose == "own"
                    else say("chosen {often} in the firm", often=often)
                )
                return Proposal(category, round((0.95 if whose == "own" else 0.85) * share, 3), words)
    if code.isdecimal():
        number = int(code)
        fits = [(high - low, guide.category) for guide in guides for low, high in guide.codes if low <= number <= high]
        if fits:
            trade = (names or {}).get(number, "")
            return Proposal(
                min(fits)[1],
                0.75,
                (
                    say("the card's code {code}, {trade}", code=code, trade=trade)
                    if trade
                    else say("the card's code {code}", code=code)
                ),
            )
    text = merchant.casefold()
    for guide in guides:
        for word in guide.words:
            if word in text:
                return Proposal(guide.category, 0.6, say("its name says “{word}”", word=word))
    return None


def account_for(usual: str, others: Sequence[tuple[str, str]], country: str, home: str) -> str:
    """Return the account of a category for what was paid in ``country``: the country's own, else the one for abroad, else the usual.

    ``others`` are (where, account), where being a country or "abroad". A country that is not known is taken for ``home``.
    """
    there = country or home
    by_country = next((account for where, account in others if where == there), "")
    abroad = next((account for where, account in others if where == "abroad"), "") if there != home else ""
    return by_country or abroad or usual
