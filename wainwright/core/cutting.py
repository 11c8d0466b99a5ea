"""Taking what is not paid out of a line: the sum of the line stays, and tax goes with its cost."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from wainwright.core.money import Money, share_out
from wainwright.core.said import say
from wainwright.core.statement import Coded, Line


def cut_out(coded: Sequence[Coded], places: Sequence[int], amount: Money, left_out: Coded) -> tuple[Coded, ...]:
    """Take ``amount`` out of the pieces at ``places``, each in proportion, and put it beside them as ``left_out`` says.

    No tax comes back on what is left out. ``amount`` is no more than those pieces come to.
    """
    if not amount.minor or not places:
        return tuple(coded)
    rows = list(coded)
    for index, part in zip(places, share_out(amount, [coded[i].gross.minor for i in places]), strict=True):
        row = coded[index]
        left = row.gross - part
        back = row.recoverable.times(left.amount / row.gross.amount)
        tax = row.tax.times(left.amount / row.gross.amount)
        rows[index] = replace(row, net=left - back, tax=tax, recoverable=back)
    nothing = Money.zero(amount.currency)
    rows.append(replace(left_out, net=amount, tax=nothing, recoverable=nothing, personal=True))
    return tuple(rows)


def in_part(line: Line, amount: Money, why: str) -> Line:
    """Return a line of which only ``amount`` is approved, with the reason; the rest is not paid.

    Raises ``ValueError`` where that is not less than what is paid of it, or not more than nothing.
    """
    if not 0 < amount.minor < line.paid.minor:
        raise ValueError(say("more than nothing and less than {paid}", paid=line.paid))
    places = [n for n, each in enumerate(line.coded) if not each.personal and each.gross.minor > 0]
    first = line.coded[places[0]]
    left_out = replace(
        first,
        text=say("{line_label}: not approved, {why}", line_label=line.label, why=why)[:330],
        share=None,
        refused=True,
    )
    coded = cut_out(line.coded, places, line.paid - amount, left_out)
    return replace(line, coded=coded, allows=min(line.allows, amount), allows_by=say("approved in part"))
