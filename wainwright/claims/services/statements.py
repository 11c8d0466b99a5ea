"""Writing statements: one at sending, the next by every later act that changes what was sent."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any

from django.db.models import Q

from wainwright import clock
from wainwright.accounts.models import Posting
from wainwright.accounts.services import keep_codings
from wainwright.claims.models import Claim, StatementCoding, StatementFinding, StatementLine
from wainwright.claims.models import Statement as Row
from wainwright.claims.risk import risk_as_kept
from wainwright.claims.statements import findings_of, read
from wainwright.core.money import Money
from wainwright.core.risk import Risk, after_change
from wainwright.core.said import say
from wainwright.core.statement import Line, Statement, between
from wainwright.errors import Stale
from wainwright.people.models import Membership
from wainwright.rulebook.selectors import Explained
from wainwright.trail.services import record


def write(
    claim: Claim, by: Membership | None, act: str, done: Statement, findings: Sequence[Explained], budget_day: date,
    planned: Money | None, risk: Risk | None = None,
) -> Row:  # fmt: skip
    """Keep a version as rows and make it the claim's; the caller saves the claim, which is locked.

    Raises ``ValueError`` for lines whose codings do not add up: such a statement would post another sum than it pays.
    """
    if done.torn:
        raise ValueError(f"the codings of {done.torn[0].label} do not add up to {done.torn[0].says}")
    last = claim.statements.order_by("-number").values_list("number", flat=True).first() or 0
    sums, settlement = done.settlement.sums, done.settlement
    row = Row.objects.create(
        claim=claim, number=last + 1, coding=str(claim.coding)[:160], risk=risk.points if risk else 0,
        risk_why=[[each.points, each.words] for each in risk.reasons] if risk else [], act=act[:120], by=by, time=clock.now(), budget_day=budget_day,
        planned_minor=None if planned is None else planned.minor, total_minor=done.total.minor,
        own_money_minor=sums.own_money.minor, allowance_minor=sums.allowance.minor, mileage_minor=sums.mileage.minor,
        flat_minor=sums.flat.minor, also_minor=_also(done),
        firm_paid_minor=sums.firm_paid.minor, personal_minor=sums.personal_on_firm_card.minor,
        advance_minor=sums.advance.minor, earlier_minor=sums.earlier.minor, to_issuer_minor=settlement.to_issuer.minor, due_minor=settlement.due.minor,
        workings=[[step.text, step.result] for step in settlement.workings.steps],
        marks=[each.finding.level.value for each in findings],
    )  # fmt: skip
    _keep_lines(claim, row, done.lines)
    StatementFinding.objects.bulk_create(
        StatementFinding(
            statement=row, order=order, identity=each.finding.identity, rule=each.finding.rule,
            level=each.finding.level.value, text=each.finding.text, rule_text=each.finding.rule_text,
            target=each.finding.target, also=list(each.finding.also), cure=each.finding.cure.label,
            reason=each.reason.reason if each.reason else "", words=each.reason.words if each.reason else "",
        )
        for order, each in enumerate(findings)
    )  # fmt: skip
    claim.statement = row
    return row


def _also(done: Statement) -> dict[str, int]:
    """Of the daily allowance, that of each further trip."""
    keys = [(line, line.key.partition(":")[2]) for line in done.lines if line.kind == "allowance"]
    return {trip: line.says.minor for line, trip in keys if trip}


def amend(
    claim: Claim, by: Membership | None, act: str, done: Statement, after: dict[str, Any] | None = None
) -> Row:  # fmt: skip
    """Keep the next version of a claim that was sent, with one entry in the trail that says what it changes.

    Inside the caller's transaction, with the claim locked; findings stay as they were certified. Raises ``Stale`` while
    its journal is on the way to the ledger: what is being entered may not change under it.
    """
    must_not_be_on_its_way(claim)
    if claim.statement is None:
        raise ValueError("nothing was certified yet that could be amended")
    old, was = claim.statement, read(claim.statement, claim.currency)
    planned = None if old.planned_minor is None else Money.from_minor(old.planned_minor, claim.currency)
    row = write(claim, by, act, done, findings_of(old), old.budget_day, planned, after_change(risk_as_kept(old)))
    claim.version += 1
    claim.save()
    lines = [[c.section, c.label, c.before, c.after] for c in between(was, done)]
    record(
        by, act, claim.subject, firm_id=claim.firm_id,
        before={"statement": old.number, "total": old.total_minor, "due": old.due_minor},
        after={"statement": row.number, "total": row.total_minor, "due": row.due_minor, "changes": lines} | (after or {}),
    )  # fmt: skip
    return row


def must_not_be_on_its_way(claim: Claim) -> None:
    """Raise ``Stale`` while the claim's journal was sent and its answer not kept."""
    sending = Posting.objects.filter(subject=claim.subject, state=Posting.State.SENDING)
    if sending.filter(Q(key__startswith="claim:") | Q(key__startswith="reverse:")).exists():
        raise Stale(
            say("Its journal is on the way to the ledger. Try again in a few minutes, when the ledger has answered.")
        )


def _keep_lines(claim: Claim, row: Row, lines: Sequence[Line]) -> None:
    rows = [_row(row, order, line) for order, line in enumerate(lines)]
    StatementLine.objects.bulk_create(rows)
    kept = keep_codings(claim.firm, (each.coding for line in lines for each in line.coded))
    coded = []
    for made, line in zip(rows, lines, strict=True):
        for order, each in enumerate(line.coded):
            coding = StatementCoding(
                line=made, order=order, text=each.text[:330], category=each.category, account=each.coding.account,
                kept=kept.get(each.coding.with_account("")), net_minor=each.net.minor, tax_minor=each.tax.minor,
                recoverable_minor=each.recoverable.minor, personal=each.personal, share=each.share, over=each.over,
                refused=each.refused,
            )  # fmt: skip
            coding.take_coding(each.coding)
            coded.append(coding)
    StatementCoding.objects.bulk_create(coded)


def _row(statement: Row, order: int, line: Line) -> StatementLine:
    return StatementLine(
        statement=statement, order=order, key=line.key, kind=line.kind, label=line.label[:200], day=line.day,
        merchant=line.merchant, guests=line.guests, category=line.category, category_name=line.category_name,
        paid_by=line.paid_by, card=line.card, card_account=line.card_account, says_minor=line.says.minor,
        shows_minor=None if line.shows is None else line.shows.minor, shows_by=line.shows_by,
        allows_minor=line.allows.minor, allows_by=line.allows_by[:120],
        original_minor=None if line.original is None else line.original.minor,
        original_currency="" if line.original is None else line.original.currency, rate=line.rate,
        rate_source=line.rate_source, evidence=[[e.kind, e.number, e.text] for e in line.evidence],
        nights=list(line.nights), workings=list(line.workings),
        taxed_minor=0 if line.taxed is None else line.taxed.minor,
    )  # fmt: skip
