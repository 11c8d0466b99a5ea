"""A claim's statement: its lines with what each coding of them bears, what they come to, and how two versions differ.

Everything that decides, posts or pays a sent claim reads one of these; nothing of it is worked out anew from rules or
rates once it is signed.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal
from functools import cached_property
from typing import Literal

from wainwright.core.coding import Coding
from wainwright.core.money import Money, add_up, total
from wainwright.core.posting import PostLine
from wainwright.core.said import joined, say
from wainwright.core.settlement import ClaimSums, Settlement, settle, settle_sending
from wainwright.core.versions import Change, changes
from wainwright.core.versions import Line as Said
from wainwright.core.workings import day_text, plain

Kind = Literal["cost", "mileage", "allowance", "flat"]
PaidBy = Literal["self", "firm", "central"]
PAYS = {"self": say("paid by the traveller"), "firm": say("the firm's card"), "central": say("billed to the firm")}


@dataclass(frozen=True, slots=True)
class Coded:
    """What one coding (with its account) bears of a line: ``net`` is cost, ``recoverable`` the tax that comes back.

    ``tax`` is all the tax in it, whether it comes back or stays in the cost; ``share`` is there where the line is split,
    in per cent. ``net + recoverable`` is its share of the line, exactly. What is ``personal`` is not the firm's cost;
    what is ``over`` is so because it is over a ceiling, and no permission is there; what is ``refused`` was not approved.
    """

    text: str
    category: str
    coding: Coding
    net: Money
    tax: Money
    recoverable: Money
    personal: bool = False
    share: Decimal | None = None
    over: bool = False
    refused: bool = False

    @property
    def gross(self) -> Money:
        """Cost and recoverable tax together."""
        return self.net + self.recoverable


@dataclass(frozen=True, slots=True)
class Evidence:
    """What proves a line: a receipt, a card charge or a booking by its number, or a declaration in place of a lost receipt."""

    kind: Literal["receipt", "charge", "booking", "lost"]
    number: int
    text: str


@dataclass(frozen=True, slots=True)
class Line:
    """One line of a claim: what it says, what its evidence shows, what rules or plan allow, and where that comes from.

    ``category`` is the code and ``category_name`` its name on the day. ``rate`` is the exchange rate, units of
    ``original``'s currency for one of the firm's. ``nights`` are the nights that it pays, as ISO dates. ``taxed`` is what
    of a daily allowance is above what is free of tax, for payroll.
    """

    key: str
    kind: Kind
    label: str
    day: date
    category: str
    category_name: str
    says: Money
    shows: Money | None
    shows_by: str
    allows: Money
    allows_by: str
    coded: tuple[Coded, ...]
    paid_by: PaidBy = "self"
    merchant: str = ""
    guests: str = ""
    card: str = ""
    card_account: str = ""
    original: Money | None = None
    rate: Decimal | None = None
    rate_source: str = ""
    evidence: tuple[Evidence, ...] = ()
    nights: tuple[str, ...] = ()
    workings: tuple[str, ...] = ()
    taxed: Money | None = None

    @property
    def agrees(self) -> bool:
        """Whether nothing stands out: no more is said than shown and allowed."""
        return self.says <= self.allows and (self.shows is None or self.says <= self.shows)

    @property
    def expense(self) -> int:
        """The number of the expense that it is, nothing for the allowance."""
        kind, _, number = self.key.partition(":")
        return int(number) if kind == "expense" else 0

    @property
    def pays(self) -> str:
        """Who paid, in words."""
        return PAYS[self.paid_by]

    @property
    def splits(self) -> tuple[Coded, ...]:
        """Its codings where it is split."""
        return tuple(each for each in self.coded if each.share is not None)

    @property
    def borne(self) -> list[tuple[str, Money]]:
        """What each coding bears of it, in words, those alike together; what is personal or not paid apart."""

        def words(each: Coded) -> str:
            return (
                say("not paid")
                if each.over or each.refused
                else "personal"
                if each.personal
                else str(each.coding) or say("no coding")
            )

        return list(add_up((words(each), each.gross) for each in self.coded).items())

    @property
    def paid(self) -> Money:
        """What of it the firm bears."""
        return total((each.gross for each in self.coded if not each.personal), self.says.currency)

    @property
    def refused(self) -> Money:
        """What of it was not approved."""
        return total((each.gross for each in self.coded if each.refused), self.says.currency)

    @property
    def over(self) -> Money:
        """What of it is not paid because it is over a ceiling."""
        return total((each.gross for each in self.coded if each.over), self.says.currency)

    @property
    def receipts(self) -> tuple[int, ...]:
        """The numbers of its receipts."""
        return tuple(each.number for each in self.evidence if each.kind == "receipt")


def sums_of(lines: Iterable[Line], advance: Money) -> ClaimSums:
    """Add lines up by who paid and what for. Personal cost counts only where the firm paid it."""
    nothing = Money.zero(advance.currency)
    own = allowance = mileage = flat = firm = personal = nothing
    for line in lines:
        for each in line.coded:
            if line.paid_by != "self":
                firm, personal = (firm, personal + each.gross) if each.personal else (firm + each.gross, personal)
            elif each.personal:
                continue
            elif line.kind == "allowance":
                allowance = allowance + each.gross
            elif line.kind == "mileage":
                mileage = mileage + each.gross
            elif line.kind == "flat":
                flat = flat + each.gross
            else:
                own = own + each.gross
    return ClaimSums(own, allowance, mileage, firm, personal, advance, flat=flat)


@dataclass(frozen=True)
class Statement:
    """A claim as it was certified or corrected since. ``settlement`` is what it comes to, as it was kept."""

    currency: str
    lines: tuple[Line, ...]
    settlement: Settlement

    @classmethod
    def of(cls, lines: Sequence[Line], advance: Money) -> Statement:
        """Make one of lines and the advance in hand: the sums are worked out here and nowhere else."""
        return cls(advance.currency, tuple(lines), settle(sums_of(lines, advance)))

    def less(self, earlier: Money) -> Statement:
        """The same with what earlier claims are owed back taken off."""
        return self._with(replace(self.settlement.sums, earlier=earlier), self.lines)

    def sending(self, part: Money, charged: Money) -> Statement:
        """The same with a part going to the issuer of the traveller's card: no more than was ``charged`` to it, nor than is owed."""
        return Statement(self.currency, self.lines, settle_sending(self.settlement.sums, min(part, charged)))

    def charged_to(self, card: str) -> Money:
        """What of it the traveller paid with a card of their own and gets back."""
        mine = (c for line in self.lines if line.card == card and line.paid_by == "self" for c in line.coded)
        return total((each.gross for each in mine if not each.personal), self.currency)

    def _with(self, sums: ClaimSums, lines: tuple[Line, ...]) -> Statement:
        """Other sums; what goes to the card's issuer goes there still, as far as something is owed."""
        return Statement(self.currency, lines, settle_sending(sums, self.settlement.to_issuer))

    @property
    def advance(self) -> Money:
        """The advance that is set against it."""
        return self.settlement.sums.advance

    @cached_property
    def total(self) -> Money:
        """Everything that is spent on the firm's account: own money, allowance, mileage, flat sums, and what the firm paid."""
        sums = self.settlement.sums
        return sums.earned + sums.firm_paid

    @cached_property
    def by_code(self) -> dict[tuple[str, str], Money]:
        """What each code bears, by (dimension, code), the account included: cost without recoverable tax."""
        coded = (each for line in self.lines for each in line.coded if not each.personal)
        return add_up((part, each.net) for each in coded for part in each.coding.parts().items())

    @property
    def post_lines(self) -> tuple[PostLine, ...]:
        """What it posts, line by line and coding by coding."""
        return tuple(
            PostLine(
                line.label if each.over or each.refused else each.text,
                each.coding,
                each.net,
                each.recoverable,
                line.paid_by,
                each.personal,
                line.card_account,
                say("Not approved") if each.refused else say("Over the ceiling") if each.over else say("Personal"),
            )
            for line in self.lines
            for each in line.coded
        )

    @property
    def torn(self) -> list[Line]:
        """The lines whose codings do not add up to what they say; none on a statement that may be kept."""
        return [line for line in self.lines if total((c.gross for c in line.coded), self.currency) != line.says]

    def with_advance(self, advance: Money) -> Statement:
        """The same lines with another advance set against them."""
        return self._with(replace(self.settlement.sums, advance=advance), self.lines)

    def allowed_in_full(self, key: str) -> Statement:
        """The same with what is over the ceiling on a line permitted: paid, as cost without tax that comes back."""

        def permitted(line: Line) -> Line:
            coded = tuple(
                replace(
                    c, personal=False, over=False, text=say("{label}: over the ceiling, permitted", label=line.label)
                )
                if c.over
                else c
                for c in line.coded
            )
            by = say("{allows_by} + {over} permitted", allows_by=line.allows_by, over=line.over)
            return replace(line, coded=coded, allows=line.allows + line.over, allows_by=by)

        return self._of(tuple(permitted(line) if line.key == key else line for line in self.lines))

    def with_line(self, line: Line) -> Statement:
        """The same with one line as it is now: in place of the one of its key, else as a further one."""
        known = any(each.key == line.key for each in self.lines)
        lines = tuple(line if each.key == line.key else each for each in self.lines) + (() if known else (line,))
        return self._of(lines)

    def without(self, key: str) -> Statement:
        """The same without a line."""
        return self._of(tuple(each for each in self.lines if each.key != key))

    def following(self, before: Mapping[str, Line], now: Mapping[str, Line]) -> Statement:
        """The same with lines that are worked out moved by what moved between ``before`` and ``now``, both worked out alike.

        What was signed stays otherwise: a rate that is another by now changes nothing of it.
        """
        mine, done = {line.key: line for line in self.lines}, self
        for key in [*before, *(key for key in now if key not in before)]:
            was, new = before.get(key), now.get(key)
            nothing = Money.zero(self.currency)
            moved = (new.says if new else nothing) - (was.says if was else nothing)
            if not moved:
                continue
            signed = mine.get(key)
            if signed is None or (was is not None and signed.says == was.says):
                done = done.with_line(new) if new is not None else done.without(key)
            elif signed.says + moved:
                done = done.with_line(_moved(signed, moved))
            else:
                done = done.without(key)
        return done

    def _of(self, lines: tuple[Line, ...]) -> Statement:
        """Other lines; what is taken off stays."""
        return self._with(replace(sums_of(lines, self.advance), earlier=self.settlement.sums.earlier), lines)

    def recoded(self, holds: Callable[[Coding], bool], to: Coding) -> Statement:
        """Put a coding in place of every one that ``holds`` picks out; accounts and sums stay."""
        lines = [
            replace(line, coded=tuple(
                replace(c, coding=to.with_account(c.coding.account)) if holds(c.coding) else c for c in line.coded
            ))
            for line in self.lines
        ]  # fmt: skip
        return Statement(self.currency, tuple(lines), self.settlement)


def reaccounted(statement: Statement, old: str, account: str) -> tuple[Statement, int]:
    """Put another account in place of one, everything else as it is; return how many places that were as well."""
    places = sum(c.coding.account == old and not c.personal for line in statement.lines for c in line.coded)
    lines = [
        replace(line, coded=tuple(
            replace(c, coding=c.coding.with_account(account)) if c.coding.account == old and not c.personal else c
            for c in line.coded
        ))
        for line in statement.lines
    ]  # fmt: skip
    return replace(statement, lines=tuple(lines)), places


def _moved(line: Line, by: Money) -> Line:
    """A line that is worked out, with so much more or less; its first coding bears it."""
    first = line.coded[0]
    coded = (replace(first, net=first.net + by), *line.coded[1:])
    words = (*line.workings, say("by a correction of what a bill pays for: {by}", by=by))
    return replace(line, says=line.says + by, allows=line.allows + by, coded=coded, workings=words)


def _said(statement: Statement) -> list[Said]:
    """A statement in words, line by line, so that two can be laid beside each other."""
    found = []
    for line in statement.lines:
        about, parts = (
            joined("", (line.label, ", ", day_text(line.day))),
            [str(line.says), line.pays, line.category_name],
        )
        if line.original is not None and line.rate is not None:
            parts.append(
                say(
                    "{original} {currency} at {rate}",
                    original=line.original,
                    currency=line.original.currency,
                    rate=plain(line.rate),
                )
            )
        found.append(Said(line.key, say("Lines"), about, joined(", ", parts)))
        shows = (
            say("shows {shows} ({shows_by})", shows=line.shows, shows_by=line.shows_by)
            if line.shows is not None
            else say("shows nothing")
        )
        proofs = joined("; ", (each.text for each in line.evidence)) or say("no evidence")
        allows = say(
            "{shows}, allows {allows} ({allows_by}), {proofs}",
            shows=shows,
            allows=line.allows,
            allows_by=line.allows_by,
            proofs=proofs,
        )
        found.append(Said(f"{line.key}#proof", say("Shows and allows"), about, allows))
        for number, each in enumerate(line.coded):
            coding, account = each.coding or say("no coding"), each.coding.account
            with_tax = say("{net} + {recoverable} tax", net=each.net, recoverable=each.recoverable)
            words = joined(": ", (joined(" → ", (coding, account)), with_tax if each.recoverable else each.net))
            if each.personal:
                words = (
                    say("not approved: {gross}", gross=each.gross)
                    if each.refused
                    else say("not paid: {gross}", gross=each.gross)
                    if each.over
                    else say("personal: {gross}", gross=each.gross)
                )
            found.append(Said(f"{line.key}#{number}", say("Coding"), each.text, words))
    sums = statement.settlement.sums
    for key, name, amount in (
        ("firm", say("Paid by the firm"), sums.firm_paid), ("own", say("Paid by the traveller"), sums.own_money),
        ("allowance", say("Daily allowance"), sums.allowance), ("mileage", say("Mileage"), sums.mileage),
        ("flat", say("Flat sums"), sums.flat),
        ("personal", say("Paid by the firm, not its cost"), sums.personal_on_firm_card),
        ("issuer", say("Of it to the card's issuer"), statement.settlement.to_issuer),
        ("advance", say("Advance set against it"), sums.advance), ("earlier", say("Owed back on earlier claims"), sums.earlier), (("due", say("Due to the traveller"), statement.settlement.due) if statement.settlement.due.minor >= 0 else ("due", say("Owed back to the firm"), -statement.settlement.due)),
    ):  # fmt: skip
        found.append(Said(f"sum:{key}", say("What it comes to"), name, str(amount)))
    return found


def between(before: Statement, after: Statement) -> list[Change]:
    """Return how one version differs from an earlier one: lines, proofs, codings, sums, in that order of the newer."""
    return changes(_said(before), _said(after))
