"""What a table of people would do, row by row: who is new, who is here, and what is wrong, at its cell."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from decimal import Decimal, InvalidOperation

from wainwright.accounts.selectors import Books, books, read_coding
from wainwright.core.coding import Coding
from wainwright.core.money import Money, places
from wainwright.core.picking import folded
from wainwright.core.roles import ROLES
from wainwright.core.said import joined, kept, say
from wainwright.core.text import one_line
from wainwright.errors import Refusal
from wainwright.fields import plain_number
from wainwright.people.addresses import as_kept, is_address
from wainwright.people.models import Firm, Membership, Person

SHORT = 2
# Words that people write for roles, besides the roles' own.
_CALLED = {
    "employee": "traveller", "traveler": "traveller", "manager": "approver", "signer": "approver", "finance reviewer": "finance",
    "accountant": "finance", "admin": "administrator", "audit": "auditor",
    "reisende": "traveller", "reisender": "traveller", "mitarbeiter": "traveller", "ansatt": "traveller",
    "genehmigende": "approver", "genehmiger": "approver", "vorgesetzte": "approver", "godkjenner": "approver", "leder": "approver",
    "finanzen": "finance", "buchhaltung": "finance", "økonomi": "finance", "regnskap": "finance",
    "administration": "administrator", "administrasjon": "administrator", "revision": "auditor", "prüfer": "auditor", "revisor": "auditor",
}  # fmt: skip
NEW, HERE, WRONG = "new", "here", "wrong"


@dataclass
class Checked:
    """A row checked: what it would do, and each fault as column and words.

    They are led by ``leader``, who is here, or by the row whose address is ``led_by``.
    """

    number: int
    cells: Mapping[str, str]
    name: str = ""
    email: str = ""
    job: str = ""
    roles: tuple[str, ...] = ()
    limit: Money | None = None
    coding: Coding = field(default_factory=Coding)
    leader: Membership | None = None
    led_by: str = ""
    person: Person | None = None
    here: bool = False
    faults: list[tuple[str, str]] = field(default_factory=list)

    @property
    def what(self) -> str:
        """Whether it invites somebody, finds them here already, or is wrong."""
        return WRONG if self.faults else HERE if self.here else NEW

    @property
    def leads_on(self) -> str:
        """By whom they are led, in words."""
        return self.leader.person.name if self.leader is not None else self.led_by

    def wrong(self, column: str, words: str) -> None:
        """Keep a fault."""
        self.faults.append((column, words))


class _People:
    """Who is here, by address and by name. Two queries, however long the table."""

    def __init__(self, firm: Firm, emails: Iterable[str]):
        rows = Membership.objects.filter(firm=firm).select_related("person", "firm")
        self.by_email = {m.person.email.lower(): m for m in rows}
        self.by_name: dict[str, list[Membership]] = {}
        for member in self.by_email.values():
            if member.active:
                self.by_name.setdefault(folded(member.person.name), []).append(member)
        self.elsewhere: dict[str, Person] = {}
        wanted = [email for email in emails if email not in self.by_email]
        # So many at once that no database refuses the list.
        for at in range(0, len(wanted), 500):
            found = Person.objects.filter(email__in=wanted[at : at + 500])
            self.elsewhere |= {person.email.lower(): person for person in found}


def check(firm: Firm, rows: Iterable[tuple[int, Mapping[str, str]]]) -> list[Checked]:
    """Return each row with what it would do. Six queries at most, whatever the length; nothing is changed."""
    found = [Checked(number, cells) for number, cells in rows]
    for row in found:
        row.email = as_kept(row.cells.get("email", ""))
    people, ledger = _People(firm, {row.email for row in found}), books(firm)
    named: dict[str, Checked] = {}
    for row in found:
        _who(row, people, named)
        _does(row, firm, ledger)
    by_name: dict[str, list[Checked]] = {}
    for row in named.values():
        by_name.setdefault(folded(row.name), []).append(row)
    for row in found:
        if not row.here:
            _led(row, people, named, by_name)
    _no_circles(found, named)
    _no_lost_leaders(found, named)
    return found


def _who(row: Checked, people: _People, named: dict[str, Checked]) -> None:
    row.name, row.job = one_line(row.cells.get("name", ""), 120).strip(), one_line(row.cells.get("job", ""), 80)
    if len(row.name) < SHORT:
        row.wrong("name", say("Type their name, as it stands on letters."))
    if not is_address(row.email):
        row.wrong("email", say("That is no address for mail."))
        return
    if row.email in named:
        row.wrong("email", say("Row {number} has that address already.", number=named[row.email].number))
        return
    named[row.email] = row
    known = people.by_email.get(row.email)
    if known is not None and not known.active:
        row.wrong(
            "email", say("{known} was here under that address: bring them back on their page.", known=known.person.name)
        )
    row.here = known is not None and known.active
    row.person = known.person if known is not None else people.elsewhere.get(row.email)


def _does(row: Checked, firm: Firm, ledger: Books) -> None:
    """Read roles, limit and coding."""
    typed = re.split(r"[,;/+&|]|\b(?:and|og|und)\b", row.cells.get("roles", ""))
    words = [" ".join(each.casefold().split()) for each in typed if each.strip()]
    if len(words) == 1 and words[0] not in ROLES and words[0] not in _CALLED:
        words = words[0].split()
    roles = {_CALLED.get(word, word) for word in words} or {"traveller"}
    for word in sorted(roles - set(ROLES)):
        row.wrong(
            "roles",
            say("There is no role “{word}”. They are: {list}.", word=word[:30], list=joined(", ", map(kept, ROLES))),
        )
    row.roles = tuple(role for role in ROLES if role in roles)
    if text := row.cells.get("limit", "").strip():
        try:
            # A currency beside the figure is let be; what it comes to is in the firm's own.
            amount = Decimal(plain_number(re.sub(rf"\b{firm.currency}\b", "", text, flags=re.I), places(firm.currency)))
            if not amount.is_finite() or not 0 <= amount < 10**12:
                raise InvalidOperation
            row.limit = Money.of(amount, firm.currency)
        except (InvalidOperation, ValueError):
            row.wrong("limit", say("“{text}” is no amount in {currency}.", text=text[:30], currency=firm.currency))
    if text := row.cells.get("coding", "").strip():
        try:
            row.coding = read_coding(text, ledger)
        except Refusal as refusal:
            row.wrong("coding", refusal.message)


def _led(row: Checked, people: _People, named: dict[str, Checked], by_name: dict[str, list[Checked]]) -> None:
    """Find who leads them: by address, or by a name that only one has, here or in the table."""
    text = row.cells.get("manager", "").strip()
    if not text:
        if "traveller" in row.roles:
            row.wrong("manager", say("Say to whom they report: else nothing of theirs could be signed."))
        return
    email = text.lower()
    here = people.by_email.get(email)
    if here is not None and here.active:
        row.leader = here
        return
    if email in named and not named[email].here:
        row.led_by = email
    else:
        members = people.by_name.get(folded(text), [])
        also = [each for each in by_name.get(folded(text), []) if not each.here]
        if len(members) + len(also) > 1:
            row.wrong("manager", say("Several are called {text}: write the address.", text=text[:60]))
        elif members:
            row.leader = members[0]
        elif also:
            row.led_by = also[0].email
        else:
            row.wrong("manager", say("Nobody here or in the table is called “{text}”.", text=text[:60]))
    if row.led_by == row.email and row.led_by:
        row.wrong("manager", say("Nobody leads themselves."))
        row.led_by = ""


def _no_circles(rows: list[Checked], named: dict[str, Checked]) -> None:
    """Say it of whoever is led by those they lead."""
    for row in rows:
        seen, at = [row.email], row.led_by
        while at and at not in seen:
            seen.append(at)
            at = named[at].led_by
        if at == row.email:
            round_ = joined(say(" is led by "), (named[each].name for each in [*seen, row.email]))
            row.wrong("manager", say("They lead each other in a circle: {round}.", round=round_))


def _no_lost_leaders(rows: list[Checked], named: dict[str, Checked]) -> None:
    """Say it of whoever is led by a row that is wrong itself, however far up."""
    more = True
    while more:
        more = False
        for row in rows:
            if row.led_by and not row.faults and named[row.led_by].faults:
                other = named[row.led_by]
                row.wrong(
                    "manager",
                    say(
                        "{other} stands in row {number}, which is wrong itself.",
                        other=other.name or other.email,
                        number=other.number,
                    ),
                )
                more = True


def in_order(rows: list[Checked]) -> list[Checked]:
    """Return rows so that whoever leads stands before those they lead."""
    left = {row.email: row for row in rows}
    done: list[Checked] = []
    while left:
        ready = [row for row in left.values() if row.led_by not in left]
        for row in ready:
            done.append(left.pop(row.email))
        if not ready:
            raise ValueError("rows that lead each other are no order")
    return done
