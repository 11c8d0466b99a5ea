"""What the bank's statement says: a camt.053 of made-up lines, and the one that lies in the demo."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta
from decimal import Decimal
from xml.sax.saxutils import escape

from django.db.models import Sum

from wainwright.accounts.models import Payment
from wainwright.core.money import Money
from wainwright.masters.services.fetching import fetch
from wainwright.people.models import Membership
from wainwright.reconciling.models import BankAccount
from wainwright.reconciling.selectors import lay
from wainwright.reconciling.services.closing import close
from wainwright.reconciling.services.matching import confirm
from wainwright.reconciling.services.taking import take_statement
from wainwright.standins.ledger.models import LedgerCode, LedgerParty

# Day, signed amount, name, text, reference, the bank's own key.
Row = tuple[date, str, str, str, str, str]


def camt(
    account: str, rows: Sequence[Row], opening: str, closing: str, currency: str = "EUR", number: str = "S1"
) -> bytes:
    """Return a camt.053 with both balances."""

    def signed(amount: str) -> str:
        value = Decimal(amount)
        mark = "CRDT" if value >= 0 else "DBIT"
        return f'<Amt Ccy="{currency}">{abs(value)}</Amt><CdtDbtInd>{mark}</CdtDbtInd>'

    def balance(code: str, amount: str) -> str:
        return f"<Bal><Tp><CdOrPrtry><Cd>{code}</Cd></CdOrPrtry></Tp>{signed(amount)}</Bal>"

    entries = "".join(
        f"<Ntry>{signed(amount)}<Sts>BOOK</Sts><BookgDt><Dt>{day.isoformat()}</Dt></BookgDt><AcctSvcrRef>{escape(key)}</AcctSvcrRef>"
        f"<NtryDtls><TxDtls><Refs><EndToEndId>{escape(reference) or 'NOTPROVIDED'}</EndToEndId></Refs>"
        f"<RltdPties><{_side(amount)}><Nm>{escape(name)}</Nm></{_side(amount)}></RltdPties><RmtInf><Ustrd>{escape(text)}</Ustrd></RmtInf></TxDtls></NtryDtls></Ntry>"
        for day, amount, name, text, reference, key in rows
    )
    return (
        '<?xml version="1.0" encoding="UTF-8"?><Document xmlns="urn:iso:std:iso:20022:tech:xsd:camt.053.001.02"><BkToCstmrStmt>'
        f"<GrpHdr><MsgId>{number}</MsgId></GrpHdr><Stmt><Id>{number}</Id><Acct><Id><IBAN>{account}</IBAN></Id><Ccy>{currency}</Ccy></Acct>"
        f"{balance('OPBD', opening)}{balance('CLBD', closing)}{entries}</Stmt></BkToCstmrStmt></Document>"
    ).encode()


def _side(amount: str) -> str:
    """Who is on the other side of an entry: whoever was paid, or whoever paid."""
    return "Cdtr" if Decimal(amount) < 0 else "Dbtr"


def ledger_moves_on(slug: str) -> None:
    """What the ledger has by now and nobody has fetched: a new project, another name, tax codes, suppliers."""
    LedgerCode.objects.create(firm=slug, dimension="project", code="P-0455", name="Aberdeen dredging")
    LedgerCode.objects.filter(firm=slug, dimension="cost_centre", code="3140").update(name="Boats and buoys")
    for code, name, rate, share in (
        ("V23", "Standard rate", "0.23", "1"),
        ("V135", "Lodging rate", "0.135", "0"),
        ("V0", "No tax", "0", "0"),
    ):
        LedgerParty.objects.create(
            firm=slug, kind="tax_code", code=code, name=name, country="IE", rate=rate, share=share
        )
    LedgerCode.objects.create(firm=slug, dimension="account", code="1110", name="Deposit account")
    LedgerParty.objects.create(
        firm=slug, kind="bank_account", code="TB2", name="Tidewater deposit account", iban="IE12BOFI90000112345678", parent="1110"
    )  # fmt: skip
    for code, name in (("L10001", "Skerry Air"), ("L10002", "Quayside Parking"), ("L10003", "Dublin Harbour Inn")):
        LedgerParty.objects.create(firm=slug, kind="supplier", code=code, name=name)


def tell(people: dict[str, Membership], today: date) -> None:
    """Leave both firms' accounts with their numbers, and the statement of one that is half told."""
    for name, card in (("priya", "4410"), ("liv", "5521")):
        firm = people[name].firm
        for words, number, kind, account in (
            ("Current account", firm.iban, "bank", "1100"), ("Quayside card account", f"XXXX{card}", "card", "2310"),
        ):  # fmt: skip
            BankAccount.objects.create(
                firm=firm, name=words, number=number, kind=kind, ledger_account=account, currency=firm.currency
            )
    ledger_moves_on("ltd")
    finance = people["priya"]
    fetch(finance)
    paid = Payment.objects.filter(run__firm=finance.firm, state=Payment.State.PAID).select_related(
        "run", "member__person"
    )
    rows: list[Row] = [
        (row.run.date + timedelta(days=1), str(-row.amount.amount), row.member.person.name, row.text, row.end_to_end, f"BQ{row.pk:06d}")
        for row in paid.order_by("run__date", "pk")
    ]  # fmt: skip
    rows += [
        (today - timedelta(days=9), "-6.50", "Tidewater Bank", "Account fee", "", "BQ900001"),
        (today - timedelta(days=4), "-212.40", "Albert Quay Stationers", "Invoice 4471", "", "BQ900002"),
        (today - timedelta(days=2), "38.00", "Jonas Petrauskas", "Personal share of the card", "", "BQ900003"),
    ]
    rows.sort(key=lambda row: row[0])
    opening = Decimal("18240.00")
    closing = opening + sum((Decimal(row[1]) for row in rows), Decimal(0))
    content = camt(finance.firm.iban, rows, str(opening), str(closing))
    account = BankAccount.objects.get(firm=finance.firm, kind="bank")
    take_statement(finance, account.pk, "tidewater-statement.xml", content)
    _tell_the_first(finance, account, opening)


def _tell_the_first(finance: Membership, account: BankAccount, opening: Decimal) -> None:
    """The first two lines are told, and the period up to the first is closed; the rest is left to whoever looks."""
    laid = lay(account)
    told = laid.sure[:2]
    confirm(finance, account.pk, [(match.lines, match.things) for match in told])
    until = min(laid.lines[key].day for match in told for key in match.lines)
    sums = account.lines.filter(day__lte=until).aggregate(minor=Sum("amount_minor"))
    close(
        finance,
        account.pk,
        until,
        Money(opening, account.currency) + Money.from_minor(sums["minor"], account.currency),
        "",
    )
