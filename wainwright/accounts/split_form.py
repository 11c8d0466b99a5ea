"""The one editor for splits: rows of a coding in one box and its part, by share or by amount, with kept splits."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal, InvalidOperation
from typing import Any

from django.http import QueryDict

from wainwright.accounts.kept import find_kept, keep_split, kept_for, used
from wainwright.accounts.models import KeptSplit
from wainwright.accounts.selectors import Books, read_coding
from wainwright.accounts.splits import parts_from
from wainwright.core.coding import Coding
from wainwright.core.dividing import check_parts
from wainwright.core.money import Money, places, share_out
from wainwright.core.said import said_by, say
from wainwright.core.splits import SHARE_PLACES, SplitError, SplitPart, check_shares
from wainwright.core.text import decimal
from wainwright.core.workings import plain
from wainwright.errors import Refusal
from wainwright.fields import FEW, typed_number
from wainwright.language import in_box
from wainwright.people.models import Membership

MOST_ROWS, EMPTY = 20, 2
# As many digits as a share has behind its sign.
SHARE_DIGITS = 4
HUNDRED = Decimal(100)
# What only helps to fill the editor in; nothing is split by it.
HELPS = ("equal", "rest", "use")


@dataclass(frozen=True)
class TypedSplit:
    """A split as typed: what it is about, by share or by amount, its rows, and what is to be done with it."""

    about: str = ""
    by: str = "share"
    rows: tuple[tuple[str, str], ...] = ()
    kept: str = ""
    name: str = ""
    shared: bool = False
    do: str = "split"
    error: str = ""
    used: KeptSplit | None = field(default=None, compare=False)

    @classmethod
    def of(cls, post: QueryDict) -> TypedSplit:
        """Read the editor."""
        codings, parts = post.getlist("split-coding")[:MOST_ROWS], post.getlist("split-share")[:MOST_ROWS]
        parts += [""] * (len(codings) - len(parts))
        rows = tuple((coding.strip()[:120], part.strip()[:40]) for coding, part in zip(codings, parts, strict=False))
        return cls(
            post.get("about", "")[:80], "amount" if post.get("split-by") == "amount" else "share", rows,
            post.get("kept", "").strip()[:60], post.get("kept-name", "").strip()[:60], bool(post.get("kept-shared")),
            post.get("do", "split")[:12],
        )  # fmt: skip

    @classmethod
    def from_parts(cls, parts: Sequence[SplitPart], about: str = "", first: str = "") -> TypedSplit:
        """A split that stands, as it would be typed; without one the coding that bears all now stands ``first``."""
        by = "amount" if parts and parts[0].amount is not None else "share"
        return cls(about, by, tuple((str(p.coding), _said(p)) for p in parts) or (((first, ""),) if first else ()))

    @property
    def filled(self) -> list[tuple[str, str]]:
        """The rows in which anything was typed."""
        return [row for row in self.rows if row[0] or row[1]]

    def parts(self, ledger: Books, keep: Coding, whole: Money | None) -> list[SplitPart]:
        """Return what was typed, checked: codings hold, shares add up to 100 or amounts to ``whole``.

        ``keep`` gives what a coding does not say and is always asked. Raises ``Refusal`` at "share".
        """
        found = []
        for coding, part in self.filled:
            if not part:
                raise Refusal(say("Type how much {coding} bears.", coding=coding), "share")
            found.append(
                self._part(_chosen(read_coding(coding, ledger), ledger, keep), self.number(part, whole), whole)
            )
        completed = [replace(each, coding=ledger.codes.completed(each.coding, keep) or keep) for each in found]
        try:
            if self.by == "share":
                check_shares(completed)
            elif whole is not None:
                check_parts(completed, whole)
        except SplitError as error:
            raise Refusal(said_by(error), "share") from error
        if len({each.coding for each in completed}) != len(completed):
            raise Refusal(say("Two lines name the same coding. Put them together."), "share")
        return completed

    def _part(self, coding: Coding, number: Decimal, whole: Money | None) -> SplitPart:
        if self.by == "share":
            return SplitPart(coding, number)
        if whole is None:
            raise Refusal(say("By amount only what there is can be split. Split it by share."), "share")
        try:
            amount = Money.of(number, whole.currency)
        except ValueError as error:
            raise Refusal(
                say("{number} is finer than {currency} is counted.", number=number, currency=whole.currency), "share"
            ) from error
        share = (number * HUNDRED / whole.amount).quantize(SHARE_PLACES) if whole else HUNDRED
        return SplitPart(coding, share, amount)

    def helped(self, member: Membership, whole: Money | None) -> TypedSplit:
        """Return the editor after a button that only fills it in: equal parts, the rest put somewhere, a kept split.

        Raises ``Refusal``.
        """
        if self.do == "use":
            kept = find_kept(member, self.kept)
            return replace(
                self,
                by="share",
                rows=tuple((str(p.coding), _said(p)) for p in parts_from(kept.parts, member.firm.currency)),
                used=kept,
            )
        if self.do == "equal":
            named = [n for n, row in enumerate(self.rows) if row[0]]
            if not named:
                raise Refusal(say("Type the codings first, then make the parts equal."), "share")
            return self._with(dict(zip(named, self._equal(len(named), whole), strict=True)))
        left = self._left(whole)
        empty = [n for n, row in enumerate(self.rows) if row[0] and not row[1]]
        if not empty:
            raise Refusal(say("Leave the part empty that takes what is left."), "share")
        return self._with({empty[0]: in_box(plain(left))})

    def completed(self, whole: Money | None) -> TypedSplit:
        """One line left empty among others bears the rest, where there is one: it is plain what is meant."""
        empty = [n for n, row in enumerate(self.rows) if row[0] and not row[1]]
        if len(empty) != 1 or len(self.filled) == 1:
            return self
        left = self._left(whole)
        return self._with({empty[0]: in_box(plain(left))}) if left > 0 else self

    def _with(self, parts: dict[int, str]) -> TypedSplit:
        return replace(self, rows=tuple((row[0], parts.get(n, row[1])) for n, row in enumerate(self.rows)))

    def _equal(self, count: int, whole: Money | None) -> list[str]:
        if self.by == "amount" and whole is not None:
            return [in_box(each.amount) for each in share_out(whole, [1] * count)]
        share = (HUNDRED / count).quantize(SHARE_PLACES)
        shares = [share] * (count - 1)
        return [in_box(plain(each)) for each in (*shares, HUNDRED - sum(shares, Decimal(0)))]

    def _left(self, whole: Money | None) -> Decimal:
        given = sum((self.number(part, whole) for _, part in self.rows if part), Decimal(0))
        return (whole.amount if self.by == "amount" and whole is not None else HUNDRED) - given

    def number(self, part: str, whole: Money | None) -> Decimal:
        """Read a share, or an amount of the whole's currency, as people type it: 1,240 is an amount, and no share. Raises ``Refusal``."""
        return _number(part, places(whole.currency) if self.by == "amount" and whole is not None else SHARE_DIGITS)

    def keep(self, member: Membership, ledger: Books, own: Coding) -> KeptSplit:
        """Keep it under its name. Raises ``Refusal``."""
        if self.by == "amount":
            raise Refusal(say("A kept split is by share: switch to shares, then keep it."), "share")
        return keep_split(member, self.name, self.parts(ledger, own, None), self.shared)


def _chosen(coding: Coding, ledger: Books, keep: Coding) -> Coding:
    """A coding in which what people do not choose themselves is as in ``keep``."""
    fixed = {each.code: keep.get(each.code) for each in ledger.dimensions if not each.choosable}
    return ledger.codes.ordered(dict(coding.codes) | fixed) if fixed else coding


def _said(part: SplitPart) -> str:
    return in_box(part.amount.amount if part.amount is not None else plain(part.share))


def _number(text: str, decimals: int) -> Decimal:
    try:
        number = decimal(typed_number(text.replace("%", ""), decimals))
    except InvalidOperation as error:
        raise Refusal(
            say("“{text}” is no share and no amount. Type 60, 33.3333 or 89.04.", text=text[:20]), "share"
        ) from error
    if not number.is_finite() or abs(number) > Decimal(10) ** 10:
        raise Refusal(say("That is more than can be split."), "share")
    return number


def editor(
    member: Membership, typed: TypedSplit, whole: Money | None, abouts: Sequence[tuple[str, str]] = (),
    recent: Sequence[str] = (),
) -> dict[str, Any]:  # fmt: skip
    """What the editor's template shows: rows with room for more, the codings used last, kept splits. One query."""
    rows = [*typed.rows, *[("", "")] * max(EMPTY, 3 - len(typed.rows))]
    return {
        "typed": typed, "rows": rows, "whole": whole, "abouts": abouts, "offered": list(dict.fromkeys(recent))[:FEW],
        "kept": list(kept_for(member)[:FEW]), "may_share": member.may["share_splits"], "bar": bar_of(typed, whole),
    }  # fmt: skip


def bar_of(typed: TypedSplit, whole: Money | None) -> list[dict[str, Any]]:
    """The segments of the divided bar as typed, in thousandths of its width; nothing for what is not a number yet."""
    most = whole.amount if typed.by == "amount" and whole else HUNDRED
    found, x = [], Decimal(0)
    for n, (coding, part) in enumerate(typed.rows):
        try:
            width = abs(typed.number(part, whole) / most) * 1000 if part else Decimal(0)
        except (Refusal, ArithmeticError):
            width = Decimal(0)
        width = min(width, 1000 - x)
        found.append({"x": round(float(x), 1), "width": round(float(width), 1), "coding": coding, "shade": n % 6})
        x += width
    return found


def do_split(
    member: Membership, typed: TypedSplit, ledger: Books, own: Coding, whole: Money | None
) -> tuple[list[SplitPart] | None, TypedSplit]:  # fmt: skip
    """Do what the editor's button says: return the parts to split by, or nothing and the editor as it is then.

    Raises ``Refusal``.
    """
    if typed.do in HELPS:
        return None, typed.helped(member, whole)
    if typed.do == "keep":
        typed.keep(member, ledger, own)
        return None, replace(typed, name="")
    if typed.do == "off" or (not typed.filled and not typed.kept):
        return [], typed
    if not typed.filled:
        # Only a kept split was named: it is used as it is.
        typed = replace(typed, do="use").helped(member, whole)
    typed = typed.completed(whole)
    parts = typed.parts(ledger, own, whole)
    if typed.name and typed.do == "split":
        # A name was typed for it, and the main button pressed: it is kept as well.
        typed.keep(member, ledger, own)
    if typed.used is not None:
        used(typed.used)
    return parts, typed
