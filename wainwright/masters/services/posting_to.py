"""To which accounts the firm posts: each category, and what claims, cards, suppliers and banks stand on."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from django.db import transaction
from django.db.models import F

from wainwright import clock
from wainwright.accounts.models import Code, FirmAccounts, Posting, PostingLine
from wainwright.core.masters import ACCOUNT
from wainwright.core.said import joined, say
from wainwright.errors import Refusal, Stale
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership, new_version
from wainwright.rulebook.models import Category, TaxCode
from wainwright.rulebook.selectors import from_now
from wainwright.trail.services import record


@dataclass(frozen=True)
class Ledger:
    """The accounts that are open in a firm's ledger, and its tax codes."""

    accounts: frozenset[str]
    tax_codes: frozenset[str]

    @classmethod
    def of(cls, firm: Firm) -> Ledger:
        """Load them. Two queries."""
        day = clock.today(firm.zone)
        rows = Code.objects.filter(firm=firm, dimension=ACCOUNT)
        open_ = frozenset(row.code for row in rows if not (row.open_until and row.open_until < day))
        return cls(open_, frozenset(TaxCode.objects.filter(firm=firm).values_list("code", flat=True)))


def read_posting(
    ledger: Ledger, account: str, abroad: str, by_country: str, tax_codes: str
) -> tuple[str, list[dict[str, str]], dict[str, str]]:
    """Return what is typed as a category's account, its accounts elsewhere, and its tax codes by country.

    No account at all may be typed: finance names it. Raises ``Refusal`` at the field that is wrong.
    """
    account, abroad = account.strip(), abroad.strip()
    others = [("abroad", abroad)] if abroad else []
    countries, taxes = _pairs(by_country, "by_country"), _pairs(tax_codes, "tax_codes")
    for field, each in (("account", account), ("abroad", abroad), *(("by_country", other) for _, other in countries)):
        if each and each not in ledger.accounts:
            raise Refusal(say("Account {each} is not open in the ledger.", each=each[:20]), field)
    for _, each in taxes:
        if each not in ledger.tax_codes:
            raise Refusal(say("The ledger has no tax code {each}.", each=each[:20]), "tax_codes")
    return account, [{"where": where, "account": other} for where, other in [*others, *countries]], dict(taxes)


def typed_posting(row: Category) -> tuple[str, str, str, str]:
    """Return a category's account, the one abroad, those by country and its tax codes as they are typed."""
    elsewhere = {each["where"]: each["account"] for each in row.accounts_if}
    abroad = elsewhere.pop("abroad", "")
    return row.account, abroad, pairs_text(elsewhere), pairs_text(row.tax_codes)


def pairs_text(pairs: Mapping[str, str]) -> str:
    """Return pairs as they are typed: "NO 6412, GB 6413"."""
    return joined(", ", (joined("", (country, " ", code)) for country, code in pairs.items()))


@transaction.atomic
def set_category(member: Membership, code: str, account: str, abroad: str, by_country: str, tax_codes: str) -> Category:
    """Say to which account a category posts, to which for what was paid abroad or in a country, and its usual tax codes.

    ``by_country`` and ``tax_codes`` are pairs as people type them: "NO 6412, GB 6413". Raises ``Refusal``, ``Stale``.
    """
    must(member, "masters")
    firm = member.firm
    day = clock.today(firm.zone)
    rows = list(
        from_now(firm, day)
        .select_for_update(no_key=True)
        .filter(code=code)
        .order_by("draft", F("since").asc(nulls_first=True))
    )
    if not rows:
        raise Stale(say("That category is not there any more."))
    row = rows[0]
    if not account.strip():
        raise Refusal(say("Account (none) is not open in the ledger."), "account")
    typed = read_posting(Ledger.of(firm), account, abroad, by_country, tax_codes)
    before = _posts_to(row)
    for each in rows:
        # What comes, or is drafted, follows where it would have posted to the same; what an administrator set otherwise stays.
        if each is row or _posts_to(each) == before:
            each.account, each.accounts_if, each.tax_codes = typed
    Category.objects.bulk_update(rows, ["account", "accounts_if", "tax_codes"])
    Firm.objects.filter(pk=firm.pk).update(rules_version=new_version())
    record(
        member,
        say("set a category's accounts"),
        f"firm:{firm.pk}",
        before=before,
        after={"category": code, **_posts_to(row)},
    )
    return row


def _posts_to(row: Category) -> dict[str, Any]:
    return {"account": row.account, "elsewhere": row.accounts_if, "tax": row.tax_codes}


def _pairs(text: str, field: str) -> list[tuple[str, str]]:
    """Read "NO 6412, GB 6413". Raises ``Refusal``."""
    found: dict[str, str] = {}
    for piece in filter(None, (piece.strip() for piece in text[:300].replace(";", ",").split(","))):
        country, _, code = piece.replace(":", " ").partition(" ")
        country, code = country.upper(), code.strip()
        if len(country) != 2 or not country.isalpha() or not code or country in found:
            raise Refusal(
                say("“{piece}” is no country and code. Type them as: NO 6412, GB 6413.", piece=piece[:30]), field
            )
        found[country] = code
    return list(found.items())


# The firm's accounts: what stands on each, and what is not done where one is not named.
FIRM_ACCOUNTS = {
    "owed_to_staff": (say("Owed to staff"), say("what people paid themselves, and their allowances")),
    "owed_by_staff": (say("Owed by staff"), say("personal cost on the firm's cards, and what is owed back")),
    "card_clearing": (say("Card clearing"), say("what the firm's cards were charged and nobody has claimed yet")),
    "prepaid_travel": (say("Prepaid travel"), say("what was billed to the firm and nobody has claimed yet")),
    "advances": (say("Advances"), say("what was paid before trips")),
    "input_tax": (say("Input tax"), say("the tax that comes back")),
    "bank": (say("Bank"), say("the account from which claims are paid")),
    "allowance": (say("Daily allowance"), say("its cost")),
    "mileage": (say("Mileage"), say("its cost")),
    "accrued": (say("Accrued"), say("what is spent and not posted; without it no month is accrued")),
    "written_off": (say("Written off"), say("what is not asked back any more")),
    "suppliers": (say("Owed to suppliers"), say("what is billed to the firm; without it no booking is posted before its claim")),
    "card_issuers": (say("Owed to card issuers"), say("what the firm's cards were charged; without it no charge is posted before its claim")),
    "differences": (say("Differences"), say("what cards charged more or less than was claimed; without it none is posted")),
}  # fmt: skip
OPTIONAL = ("accrued", "written_off", "suppliers", "card_issuers", "differences")


@transaction.atomic
def name_account(member: Membership, which: str, account: str) -> FirmAccounts:
    """Name the account on which something of the firm's stands; an empty one is named no more. Raises ``Refusal``.

    Journals that the ledger refused and that name the account before follow, so that they can be sent again.
    """
    must(member, "masters")
    if which not in FIRM_ACCOUNTS:
        raise Refusal(say("There is no such account of the firm."))
    firm, account = Firm.objects.select_for_update(no_key=True).get(pk=member.firm_id), account.strip()[:20]
    row = FirmAccounts.objects.get(firm=firm)
    known = Code.objects.filter(firm=firm, dimension=ACCOUNT, code=account).first()
    if account and known is None:
        raise Refusal(say("The ledger has no account {account}.", account=account), which)
    if known is not None and known.open_until and known.open_until < clock.today(firm.zone):
        raise Refusal(say("Account {account} is not open in the ledger.", account=account), which)
    if not account and which not in OPTIONAL:
        raise Refusal(
            say("{firm_accounts} is needed: claims post to it.", firm_accounts=FIRM_ACCOUNTS[which][0]), which
        )
    before = getattr(row, which)
    setattr(row, which, account)
    row.save(update_fields=[which])
    moved = 0
    if before and account:
        lines = PostingLine.objects.filter(
            posting__firm=firm, posting__state=Posting.State.REFUSED, posting__refusal_about=f"{ACCOUNT}:{before}", account=before
        )  # fmt: skip
        moved = (
            lines.exclude(posting__key__startswith="claim:")
            .exclude(posting__key__startswith="reverse:")
            .update(account=account)
        )
    Firm.objects.filter(pk=firm.pk).update(rules_version=new_version())
    record(
        member, say("named an account of the firm"), f"firm:{firm.pk}", before={which: before},
        after={which: account, "lines of refused journals": moved},
    )  # fmt: skip
    return row
