"""What each role may do: one table, which the services ask, the pages show, and the tests walk.

Whose a thing is stands beside it: a traveller's trip is changed by them, whatever the role. What stands here is what a
role opens.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

ROLES = {
    "traveller": "plans and books trips, records costs, sends claims",
    "approver": "decides on the trips and claims that are put before them",
    "finance": "checks, corrects and clears claims, posts and pays them",
    "administrator": "keeps the firm, its people, rules and safeguards",
    "auditor": "reads everything in the firm, changes nothing",
}
# The same as a form offers them: what each does beside it.
OFFERED = [(role, f"{role}: {words}") for role, words in ROLES.items()]


@dataclass(frozen=True, slots=True)
class Act:
    """Something that roles open: which, in which area, in words, and what whoever has none of them is told."""

    area: str
    roles: tuple[str, ...]
    words: str
    refusal: str


_FINANCE = ("finance",)
_READERS = ("finance", "auditor")

# By key. The order is the order of the page.
ACTS = {
    "travel": Act("Travel", ("traveller",), "start and book trips, record costs, send claims", "Only travellers start trips."),
    "decide": Act(
        "Deciding", ("approver", "finance"), "decide on what is put before them",
        "You do not decide for the firm any more, so nothing was decided. An administrator can say who does.",
    ),
    "bench": Act("Deciding", ("approver", "finance"), "open the bench", "The bench is for approvers and finance. What you sent stands on its own page."),
    "take_over": Act("Deciding", ("approver",), "take over what waits for somebody who reports to them", "Only an approver above them takes a decision over."),
    "queue": Act("Deciding", ("approver", "finance", "auditor"), "read what waits for whom", "The bench is for approvers and finance. What you sent stands on its own page."),
    "check": Act("Finance", _FINANCE, "check, correct, clear and send back claims; never their own", "Only finance does this."),
    "post": Act("Finance", _FINANCE, "post claims and what is billed to the firm", "Only finance posts."),
    "pay": Act("Finance", _FINANCE, "make and release pay runs, pay by hand, follow what is owed back", "Only finance pays."),
    "reconcile": Act("Finance", _FINANCE, "reconcile statements of banks and cards", "Only finance reconciles."),
    "close": Act("Finance", _FINANCE, "accrue and close months", "Only finance closes a month."),
    "tables": Act("Finance", _FINANCE, "keep tables of the ledger", "Only finance keeps tables."),
    "cards": Act("Finance", _FINANCE, "give, change and close the firm's cards, remind of loose charges", "Only finance keeps the firm's cards."),
    "share_splits": Act("Finance", _FINANCE, "share a kept split with the firm", "Only finance shares a split with the firm, and drops one. Keep it for yourself."),
    "masters": Act("Finance", _FINANCE, "keep what the ledger knows: accounts, codings, suppliers", "Only finance keeps the ledger's masters."),
    "let_in": Act("Finance", _FINANCE, "let an outside ledger in, and tell it what happens", "Only finance lets an outside ledger in."),
    "hand_over": Act("Finance", ("finance", "administrator"), "hand the ledger's connection over", "Finance or an administrator hands the connection over."),
    "rates": Act("Finance", ("finance", "administrator"), "take in exchange rates", "Only finance and administrators take in rates."),
    "read_all": Act("Reading", _READERS, "read every trip, claim, cost and paper of the firm", "This is for finance and auditors. Your own stands under Trips and Claims."),
    "read_books": Act("Reading", _READERS, "read the ledger, payments, reconciliations, loose charges", "The ledger is for finance and auditors."),
    "read_masters": Act("Reading", (*_READERS, "administrator"), "read what the ledger knows", "The ledger's masters are for finance, auditors and administrators."),
    "read_rules": Act("Reading", ("administrator", *_READERS), "read the firm's rules and rates", "The rules are for administrators, finance and auditors."),
    "read_people": Act("Reading", ("administrator", "auditor"), "read who is of the firm, their places and roles", "The list of people is for administrators and auditors. Your own place stands on your profile."),
    "read_trail": Act("Reading", ("auditor", "administrator"), "read the trail", "The trail is for auditors and administrators."),
    "people": Act("The firm", ("administrator",), "invite, place, retire and bring back people; never take the role from themselves", "Only an administrator invites, places and retires people."),
    "safeguards": Act("The firm", ("administrator",), "set the firm's safeguards", "Only an administrator sets the safeguards of the firm."),
    "rules": Act("The firm", ("administrator",), "try allowance schemes and put them in force", "Only an administrator lays down allowance schemes."),
    "firm": Act("The firm", ("administrator",), "set the firm up: its letters, bank, months, ledger, ways to sign in", "Only an administrator sets the firm up."),
}  # fmt: skip


def may(roles: Collection[str], key: str) -> bool:
    """Say whether one of ``roles`` opens an act. Raises ``KeyError`` for an act that is not in the table."""
    return not set(ACTS[key].roles).isdisjoint(roles)


@dataclass(frozen=True, slots=True)
class May:
    """What some roles open, asked act by act: ``may["pay"]``, and in a template ``may.pay``. An act that is not there is a ``KeyError``."""

    roles: tuple[str, ...]

    def __getitem__(self, key: str) -> bool:
        return may(self.roles, key)


def opened_by(role: str) -> list[str]:
    """Return what a role opens, in words. Raises ``KeyError`` for none of ``ROLES``."""
    if role not in ROLES:
        raise KeyError(role)
    return [act.words for act in ACTS.values() if role in act.roles]
