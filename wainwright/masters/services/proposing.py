"""Accounts that are not named yet, proposed by what the ledger calls its own."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from datetime import date

from django.db import transaction

from wainwright import clock
from wainwright.accounts.models import Code, FirmAccounts
from wainwright.core.masters import ACCOUNT
from wainwright.core.picking import folded
from wainwright.core.said import say
from wainwright.errors import Refusal
from wainwright.masters.services.posting_to import FIRM_ACCOUNTS
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership, new_version
from wainwright.rulebook.models import Category
from wainwright.rulebook.selectors import from_now
from wainwright.trail.services import record


@dataclass(frozen=True)
class Proposed:
    """An account for something that has none: the firm's own by its field, or a category by its code."""

    kind: str
    key: str
    name: str
    account: str
    called: str


def proposals(firm: Firm) -> list[Proposed]:
    """Return an account for each thing without an open one, where just one open account bears its name. Three queries."""
    today = clock.today(firm.zone)
    accounts = _open_accounts(firm, today)
    open_ = {each.code for each in accounts}
    by_name: dict[str, list[Code]] = defaultdict(list)
    for each in accounts:
        by_name[folded(each.name)].append(each)
    row = FirmAccounts.objects.get(firm=firm)
    wanted = [("firm", key, name) for key, (name, _) in FIRM_ACCOUNTS.items() if getattr(row, key) not in open_]
    lacking = {each.code: each.name for each in from_now(firm, today) if each.account not in open_}
    wanted += [("category", code, name) for code, name in lacking.items()]
    found = []
    for kind, key, name in wanted:
        fits = by_name.get(folded(name), [])
        if len(fits) == 1:
            found.append(Proposed(kind, key, name, fits[0].code, fits[0].name))
    return found


def _open_accounts(firm: Firm, day: date) -> list[Code]:
    rows = Code.objects.filter(firm=firm, dimension=ACCOUNT)
    return [row for row in rows if not (row.open_until and row.open_until < day)]


@transaction.atomic
def take_proposals(member: Membership) -> list[Proposed]:
    """Name what is proposed, in one act; what was named by somebody stays. Raises ``NotAllowed``, ``Refusal``."""
    must(member, "masters")
    firm = Firm.objects.select_for_update(no_key=True).get(pk=member.firm_id)
    found = proposals(firm)
    if not found:
        raise Refusal(
            say("Nothing is proposed: no account of the ledger is called as what lacks one. Name them one by one.")
        )
    row, today = FirmAccounts.objects.get(firm=firm), clock.today(firm.zone)
    open_accounts = {each.code for each in _open_accounts(firm, today)}
    for each in found:
        if each.kind == "firm":
            setattr(row, each.key, each.account)
        else:
            rows = from_now(firm, today).filter(code=each.key)
            lacking = [row.pk for row in rows if row.account not in open_accounts]
            Category.objects.filter(pk__in=lacking).update(account=each.account)
    row.save()
    Firm.objects.filter(pk=firm.pk).update(rules_version=new_version())
    record(
        member,
        say("took the accounts that were proposed"),
        f"firm:{firm.pk}",
        after={each.name: each.account for each in found},
    )
    return found
