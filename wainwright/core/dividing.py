"""Who bears the lines of a claim: splits of one line, of a category, or of the whole, over its codings."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from decimal import Decimal

from wainwright.core.bearing import Borne, parts_for
from wainwright.core.money import Money, total
from wainwright.core.said import say
from wainwright.core.splits import SplitError, SplitPart, spread
from wainwright.core.statement import Coded, Line

ALLOWANCE = "allowance"


def divide(coded: Sequence[Coded], parts: Sequence[SplitPart]) -> list[list[Coded]]:
    """Split pieces of cost over the same codings; return the lines that each piece becomes.

    Cost, tax and tax that comes back are each exact for every piece, and the sums of each coding are what sharing out the
    whole gives. A coding that bears nothing of a piece has no line of it.
    """
    if not coded or not parts:
        return [[each] for each in coded]
    weights = [part.weight for part in parts]
    gross, taxes, backs = (
        spread([getattr(each, name) for each in coded], weights) for name in ("gross", "tax", "recoverable")
    )
    found = []
    for piece, costs, its, back in zip(coded, gross, taxes, backs, strict=True):
        rows = [
            replace(
                piece, coding=part.coding.with_account(piece.coding.account), net=cost - returned, tax=tax,
                recoverable=returned, share=share_of(part, parts),
            )
            for part, cost, tax, returned in zip(parts, costs, its, back, strict=True)
            if cost or returned
        ]  # fmt: skip
        found.append(rows or [piece])
    return found


def share_of(part: SplitPart, parts: Sequence[SplitPart]) -> Decimal:
    """Return the share of a part in per cent, to four places, whether it was given as a share or as an amount."""
    if part.amount is None:
        return part.share
    whole = sum((each.weight for each in parts), Decimal(0))
    return (part.weight * 100 / whole).quantize(Decimal("0.0001")) if whole else Decimal(0)


def divide_lines(
    lines: Sequence[Line], shares: Mapping[str, Sequence[SplitPart]], free: frozenset[tuple[str, int]]
) -> list[Line]:
    """Apply the splits of a claim to its lines: of a line, else of its category, else of the whole.

    ``free`` names the pieces, by key of their line and place on it, that have no split or coding of their own. What one
    split covers is divided together, so that its sums are exact.
    """
    if not shares:
        return list(lines)
    groups: dict[str, list[tuple[int, int]]] = {}
    for at, line in enumerate(lines):
        for place, piece in enumerate(line.coded):
            about = _about(line, piece, shares) if (line.key, place) in free and not piece.personal else ""
            if about:
                groups.setdefault(about, []).append((at, place))
    divided: dict[tuple[int, int], list[Coded]] = {}
    for about, places in groups.items():
        pieces = [lines[at].coded[place] for at, place in places]
        divided |= dict(zip(places, divide(pieces, shares[about]), strict=True))
    return [
        replace(
            line, coded=tuple(c for place, piece in enumerate(line.coded) for c in divided.get((at, place), [piece]))
        )
        for at, line in enumerate(lines)
    ]


def _about(line: Line, piece: Coded, shares: Mapping[str, Sequence[SplitPart]]) -> str:
    category = ALLOWANCE if line.kind == ALLOWANCE else piece.category
    cost = Borne(line.key, category, piece.gross)
    parts = parts_for(cost, shares)
    return next((about for about, each in shares.items() if each is parts), "") if parts else ""


def check_parts(parts: Sequence[SplitPart], whole: Money) -> None:
    """Raise ``SplitError``, with what is left to place, where amounts do not add up to ``whole``, or one of them is nothing."""
    amounts = [part.amount for part in parts if part.amount is not None]
    if len(amounts) != len(parts):
        raise SplitError(say("A split is by share or by amount, not both."))
    if any(not each for each in amounts):
        raise SplitError(say("Every amount must be more than nothing."))
    if any((each.minor > 0) != (whole.minor > 0) for each in amounts):
        raise SplitError(say("An amount of a split has the sign of what it splits."))
    given = total(amounts, whole.currency)
    if given != whole:
        left = whole - given
        words = (
            say("{left} is left to place", left=left)
            if (left.minor > 0) == (whole.minor > 0)
            else say("{left} too much is placed", left=-left)
        )
        raise SplitError(
            say("The amounts add up to {given}, the cost is {whole}: {words}.", given=given, whole=whole, words=words)
        )
