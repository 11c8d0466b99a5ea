"""What a firm still lacks before its first trip can go, and before its first claim can go, be posted and paid."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date, timedelta

from django.db.models import Count, Q

from wainwright import clock
from wainwright.accounts.models import Code, FirmAccounts
from wainwright.core.coding import Asked
from wainwright.core.masters import ACCOUNT
from wainwright.core.routing import Signer, who_signs_for
from wainwright.core.said import as_figure, joined, say, say_many
from wainwright.masters.services.posting_to import FIRM_ACCOUNTS, OPTIONAL
from wainwright.people.models import Firm, Membership
from wainwright.people.selectors import signers
from wainwright.rulebook.models import AllowanceRate, ExchangeRate, MileageRateRow
from wainwright.rulebook.selectors import from_now

TRIP, CLAIM = "trip", "claim"
NAMED = 3
# As old as a rate may be before every cost in that money is a finding.
FRESH = timedelta(days=7)


@dataclass(frozen=True)
class Step:
    """One thing that a firm needs: before what, whether it is there, how it stands in words, where it is done and by which role.

    ``advice`` is what works without, and is better with.
    """

    key: str
    before: str
    name: str
    done: bool
    words: str
    link: str
    role: str = "administrator"
    advice: bool = False


@dataclass(frozen=True)
class Checklist:
    """The steps, and how many of those that are needed are missing."""

    steps: tuple[Step, ...]

    @property
    def missing(self) -> int:
        """How many needed things are missing."""
        return sum(not step.done and not step.advice for step in self.steps)

    @property
    def groups(self) -> list[tuple[str, str, list[Step], int]]:
        """The steps before a trip, and those before a claim: each with its name and how many are missing."""
        found = []
        for key, name in (
            (TRIP, say("Before the first trip can go")),
            (CLAIM, say("Before the first claim can go, be posted and paid")),
        ):
            steps = [step for step in self.steps if step.before == key]
            found.append((key, name, steps, sum(not step.done and not step.advice for step in steps)))
        return found


def checklist(firm: Firm) -> Checklist:
    """Return what a firm has and lacks, worked out from what is there now. Ten queries."""
    today = clock.today(firm.zone)
    members = list(Membership.objects.filter(firm=firm, active=True).select_related("person", "firm"))
    return Checklist(
        (*_letters(firm), *_people(firm, members, today), *_rates(firm, today), *_books(firm, members, today))
    )


def _letters(firm: Firm) -> Iterator[Step]:
    yield Step(
        "letters",
        TRIP,
        say("Letterhead"),
        bool(firm.address),
        firm.address or say("Orders of travel have no address."),
        "/firm/#letters",
    )


def _people(firm: Firm, members: list[Membership], today: date) -> Iterator[Step]:
    travellers = [m for m in members if m.traveller]
    people = signers(firm.pk, today)
    stuck = [m for m in travellers if not _can_be_signed(m, people)]
    yield Step(
        "travellers", TRIP, say("Travellers"), bool(travellers),
        say("{travellers_count} invited.", travellers_count=len(travellers)) if travellers else say("Nobody can travel yet. Invite somebody, or a whole table."), "/people/table/",
    )  # fmt: skip
    yield Step(
        "signed", TRIP, say("Somebody who signs for each"), bool(travellers) and not stuck,
        say("Nobody can sign for {names}: name their manager.", names=_names(stuck)) if stuck else say("Each has a manager who can sign.") if travellers else say("Once there are travellers."),
        f"/people/{stuck[0].pk}/" if stuck else "/people/",
    )  # fmt: skip
    finance = [m for m in members if m.finance]
    words = {
        0: say("Nobody checks and pays. Give somebody the role."),
        1: say("{names} alone: nobody could check their own claims.", names=_names(finance)),
    }
    yield Step(
        "finance",
        CLAIM,
        say("Finance reviewers"),
        bool(finance),
        words.get(len(finance), f"{_names(finance)}."),
        "/people/",
    )
    if len(finance) == 1:
        yield Step(
            "second",
            CLAIM,
            say("A second one in finance"),
            False,
            say("Nobody ever checks or pays their own."),
            "/people/",
            advice=True,
        )
    bare = [m for m in travellers if not m.iban]
    yield Step(
        "repaid", CLAIM, say("Accounts for repayment"), not bare,
        say_many("{names} has typed none yet, each on their own profile.", "{names} have typed none yet, each on their own profile.", len(bare), names=_names(bare)) if bare else say("Every traveller has one."), "/people/",
        "traveller", advice=True,
    )  # fmt: skip


def _can_be_signed(member: Membership, people: dict[str, Signer]) -> bool:
    if member.signs_own:
        return True
    if member.manager_id is None:
        return False
    return who_signs_for(str(member.manager_id), str(member.pk), people)[0] is not None


def _names(members: list[Membership]) -> str:
    return _some([m.person.name for m in members])


def _some(names: list[str]) -> str:
    """The first few, and how many more there are."""
    return joined(", ", names[:NAMED]) + (
        say(" and {names_count} more", names_count=len(names) - NAMED) if len(names) > NAMED else ""
    )


def _rates(firm: Firm, today: date) -> Iterator[Step]:
    allowance = AllowanceRate.objects.filter(firm=firm, country="", town="", since__lte=today).exists()
    yield Step(
        "allowance", TRIP, say("Daily allowance"), allowance,
        say("There is a rate for everywhere.") if allowance else say("No rate for everywhere: no plan could say what a day comes to."), "/firm/#rates",
    )  # fmt: skip
    car = MileageRateRow.objects.filter(firm=firm, since__lte=today).exists()
    yield Step(
        "mileage",
        TRIP,
        say("Mileage"),
        car,
        say("There is a rate.") if car else say("No rate for the own car."),
        "/firm/#rates",
    )
    newest = (
        ExchangeRate.objects.filter(Q(firm=firm) | Q(firm=None)).order_by("-day").values_list("day", flat=True).first()
    )
    fresh = newest is not None and today - newest <= FRESH
    words = (
        say("The newest is of {newest}.", newest=as_figure(newest, "%d %b %Y"))
        if newest
        else say("There are none: no foreign money could be reckoned.")
    )
    yield Step("exchange", TRIP, say("Rates of exchange"), fresh, words, "/rates/")


def _books(firm: Firm, members: list[Membership], today: date) -> Iterator[Step]:
    closed = Q(open_until__lt=today)
    known = dict(Code.objects.filter(firm=firm).exclude(closed).values_list("dimension").annotate(n=Count("pk")))
    accounts = set(Code.objects.filter(firm=firm, dimension=ACCOUNT).exclude(closed).values_list("code", flat=True))
    yield Step(
        "ledger", CLAIM, say("The ledger's accounts and codings"), bool(accounts),
        say("{accounts_count} accounts are known.", accounts_count=len(accounts)) if accounts else say("Nothing of it is known yet: connect it and fetch, or send a file."), "/ledger/masters/", "finance",
    )  # fmt: skip
    row = FirmAccounts.objects.get(firm=firm)
    lacking = [
        FIRM_ACCOUNTS[key][0] for key in FIRM_ACCOUNTS if key not in OPTIONAL and getattr(row, key) not in accounts
    ]
    yield Step(
        "accounts", CLAIM, say("Accounts of the firm"), not lacking,
        say("{lacking_count} not named: {some}.", lacking_count=len(lacking), some=_some(lacking)) if lacking else say("All that are needed are named."),
        "/ledger/masters/accounts/", "finance",
    )  # fmt: skip
    blank = [
        each.name for each in from_now(firm, clock.today(firm.zone)) if not each.draft and each.account not in accounts
    ]
    yield Step(
        "categories", CLAIM, say("Accounts of the categories"), not blank,
        say("{blank_count} without an open account: {some}.", blank_count=len(blank), some=_some(blank)) if blank else say("Each has one."),
        "/ledger/masters/categories/", "finance",
    )  # fmt: skip
    always = list(firm.dimensions.filter(asked=Asked.ALWAYS.value))
    empty = [each.plural for each in always if not known.get(each.code)]
    yield Step(
        "codings", CLAIM, say("Codings"), not empty,
        say("{list} are always asked, and the ledger has none.", list=joined(say(" and "), empty)) if empty else say("What is always asked can be answered."), "/ledger/masters/", "finance",
    )  # fmt: skip
    yield Step(
        "bank", CLAIM, say("The firm's own bank account"), bool(firm.iban and firm.bic),
        f"{firm.iban}" if firm.iban and firm.bic else say("IBAN and BIC are missing: nothing could be paid."), "/firm/#letters",
    )  # fmt: skip
