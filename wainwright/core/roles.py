"""What each role may do: one table, which the services ask, the pages show, and the tests walk.

Whose a thing is stands beside it: a traveller's trip is changed by them, whatever the role. What stands here is what a
role opens.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from wainwright.core.said import joined, say

ROLES = {
    "traveller": say("plans and books trips, records costs, sends claims"),
    "approver": say("decides on the trips and claims that are put before them"),
    "finance": say("checks, corrects and clears claims, posts and pays them"),
    "administrator": say("keeps the firm, its people, rules and safeguards"),
    "auditor": say("reads everything in the firm, changes nothing"),
}
# The same as a form offers them: what each does beside it.
OFFERED = [(role, joined("", (role, ": ", words))) for role, words in ROLES.items()]


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
    "travel": Act(say("Travel"), ("traveller",), say("start and book trips, record costs, send claims"), say("Only travellers start trips.")),
    "decide": Act(
        say("Deciding"), ("approver", "finance"), say("decide on what is put before them"),
        say("You do not decide for the firm any more, so nothing was decided. An administrator can "
"say who does."),
    ),
    "bench": Act(say("Deciding"), ("approver", "finance"), say("open the bench"), say("The bench is for approvers and finance. What you sent stands on its own page.")),
    "take_over": Act(say("Deciding"), ("approver",), say("take over what waits for somebody who reports to them"), say("Only an approver above them takes a decision over.")),
    "queue": Act(say("Deciding"), ("approver", "finance", "auditor"), say("read what waits for whom"), say("The bench is for approvers and finance. What you sent stands on its own page.")),
    "check": Act(say("Finance"), _FINANCE, say("check, correct, clear and send back claims; never their own"), say("Only finance does this.")),
    "post": Act(say("Finance"), _FINANCE, say("post claims and what is billed to the firm"), say("Only finance posts.")),
    "pay": Act(say("Finance"), _FINANCE, say("make and release pay runs, pay by hand, follow what is owed back"), say("Only finance pays.")),
    "reconcile": Act(say("Finance"), _FINANCE, say("reconcile statements of banks and cards"), say("Only finance reconciles.")),
    "close": Act(say("Finance"), _FINANCE, say("accrue and close months"), say("Only finance closes a month.")),
    "tables": Act(say("Finance"), _FINANCE, say("keep tables of the ledger"), say("Only finance keeps tables.")),
    "cards": Act(say("Finance"), _FINANCE, say("give, change and close the firm's cards, remind of loose charges"), say("Only finance keeps the firm's cards.")),
    "share_splits": Act(say("Finance"), _FINANCE, say("share a kept split with the firm"), say("Only finance shares a split with the firm, and drops one. Keep it for yourself.")),
    "masters": Act(say("Finance"), _FINANCE, say("keep what the ledger knows: accounts, codings, suppliers"), say("Only finance keeps the ledger's masters.")),
    "let_in": Act(say("Finance"), _FINANCE, say("let an outside ledger in, and tell it what happens"), say("Only finance lets an outside ledger in.")),
    "hand_over": Act(say("Finance"), ("finance", "administrator"), say("hand the ledger's connection over"), say("Finance or an administrator hands the connection over.")),
    "rates": Act(say("Finance"), ("finance", "administrator"), say("take in exchange rates"), say("Only finance and administrators take in rates.")),
    "read_all": Act(say("To read"), _READERS, say("read every trip, claim, cost and paper of the firm"), say("This is for finance and auditors. Your own stands under Trips and Claims.")),
    "read_books": Act(say("To read"), _READERS, say("read the ledger, payments, reconciliations, loose charges"), say("The ledger is for finance and auditors.")),
    "read_masters": Act(say("To read"), (*_READERS, "administrator"), say("read what the ledger knows"), say("The ledger's masters are for finance, auditors and administrators.")),
    "read_rules": Act(say("To read"), ("administrator", *_READERS), say("read the firm's rules and rates"), say("The rules are for administrators, finance and auditors.")),
    "read_people": Act(say("To read"), ("administrator", "auditor"), say("read who is of the firm, their places and roles"), say("The list of people is for administrators and auditors. Your own place stands on your "
"profile.")),
    "read_trail": Act(say("To read"), ("auditor", "administrator"), say("read the trail"), say("The trail is for auditors and administrators.")),
    "people": Act(say("The firm"), ("administrator",), say("invite, place, retire and bring back people; never take the role from themselves"), say("Only an administrator invites, places and retires people.")),
    "safeguards": Act(say("The firm"), ("administrator",), say("set the firm's safeguards"), say("Only an administrator sets the safeguards of the firm.")),
    "rules": Act(say("The firm"), ("administrator",), say("try allowance schemes and put them in force"), say("Only an administrator lays down allowance schemes.")),
    "firm": Act(say("The firm"), ("administrator",), say("set the firm up: its letters, bank, months, ledger, ways to sign in"), say("Only an administrator sets the firm up.")),
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
