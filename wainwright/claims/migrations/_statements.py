"""Statements of claims that were sent before there were any, from the rows and the certified data of that time.

It reads the rows as they were when this migration was written, and only rules of the core that are fixed: splits, tax,
sums. The shape of the models may move on without it.
"""

from decimal import Decimal

from wainwright.core.coding import coding_key
from wainwright.core.coding import Coding
from wainwright.core.money import Money, share_out
from wainwright.core.settlement import ClaimSums, settle
from wainwright.core.tax import reclaim

OPEN = ("Open", "Sent back")


def state_what_was_sent(apps, schema_editor):
    """Write one version for each claim that stands beyond its traveller."""
    claims = apps.get_model("claims", "Claim").objects.exclude(state__in=OPEN)
    for claim in claims.select_related("firm", "trip", "claimant").iterator():
        _Writer(apps, claim).write()


class _Writer:
    """Writes the statement of one claim."""

    def __init__(self, apps, claim):
        self.apps, self.claim, self.currency = apps, claim, claim.currency
        firm = claim.firm
        rows = apps.get_model("rulebook", "Category").objects.filter(firm=firm)
        self.categories = {row.code: row for row in rows}
        self.accounts = apps.get_model("accounts", "FirmAccounts").objects.filter(firm=firm).first()
        self.sums = dict.fromkeys(("own", "allowance", "mileage", "firm", "personal"), 0)

    def model(self, name, app="claims"):
        return self.apps.get_model(app, name)

    def money(self, minor):
        return Money.from_minor(minor, self.currency)

    def write(self):
        claim, trip, kept = self.claim, self.claim.trip, self.claim.certified
        expenses = self.model("Expense", "expenses").objects.filter(claim=claim).order_by("date", "id")
        expenses = list(expenses.prefetch_related("parts", "shares", "receipts"))
        coded = [self.coded(expense) for expense in expenses]
        allowance = self.sums["allowance"] = kept.get("allowance", 0)
        advance = trip.advance_minor if trip is not None and trip.advance_paid else 0
        if claim.state in ("Posted", "Settled"):
            # What was entered and paid is what it came to, whatever was paid beside it since.
            gross = sum(self.sums[name] for name in ("own", "allowance", "mileage")) - self.sums["personal"]
            advance = gross - claim.due_minor
        done = settle(ClaimSums(
            *(self.money(self.sums[name]) for name in ("own", "allowance", "mileage", "firm", "personal")),
            self.money(advance),
        ))  # fmt: skip
        findings = kept.get("findings", [])
        ends = trip.ends if trip is not None and trip.ends else claim.created.date()
        row = self.model("Statement").objects.create(
            claim=claim, number=1, act="certified and sent", by=claim.claimant, time=claim.sent or claim.created,
            budget_day=ends, planned_minor=trip.planned_minor if trip is not None and trip.planned_minor else None,
            total_minor=sum(self.sums[name] for name in ("own", "allowance", "mileage", "firm")),
            own_money_minor=self.sums["own"], allowance_minor=allowance, mileage_minor=self.sums["mileage"],
            firm_paid_minor=self.sums["firm"], personal_minor=self.sums["personal"], advance_minor=advance,
            due_minor=done.due.minor, workings=[[step.text, step.result] for step in done.workings.steps],
            marks=[each["level"] for each in findings],
        )  # fmt: skip
        for order, (expense, parts) in enumerate(zip(expenses, coded, strict=True)):
            self.keep(self.line(row, order, expense), parts)
        if allowance:
            line = self.model("StatementLine").objects.create(
                statement=row, order=len(expenses), key="allowance", kind="allowance", label="Daily allowance", day=ends,
                category_name="Allowance", paid_by="self", says_minor=allowance, shows_by="legs", allows_minor=allowance,
                allows_by="worked out", workings=kept.get("allowance_lines", []),
            )  # fmt: skip
            account = self.accounts.allowance if self.accounts else ""
            self.keep(line, [("Daily allowance", "", claim.codes, account, allowance, 0, 0, False, None)])
        for order, each in enumerate(findings):
            self.model("StatementFinding").objects.create(statement=row, order=order, **each)
        claim.statement = row
        claim.save(update_fields=["statement"])

    def coded(self, expense):
        """What each coding bears of an expense; adds it to the sums."""
        parts, shares = list(expense.parts.all()), list(expense.shares.all())
        rows = [(p.label, p.category, p.amount_minor, p.tax_minor, p.personal, p.codes) for p in parts]
        rows = rows or [(_label(expense), expense.category, expense.amount_minor, expense.tax_minor, False, [])]
        mileage, found = expense.kind == "mileage", []
        for label, code, gross, tax, part_personal, own in rows:
            category, personal = self.categories.get(code), expense.personal or part_personal
            account = category.account if category else ""
            if mileage:
                account = self.accounts.mileage if self.accounts else ""
            share = Decimal(category.tax_share) if category else Decimal(0)
            back = reclaim(self.money(tax), share, bool(expense.receipts.all()), not expense.abroad).recoverable.minor
            back = 0 if personal else back
            name = f"{expense.merchant}: {label}" if parts and expense.merchant else label
            if shares and not personal and not own:
                nets, taxes, backs = (
                    share_out(self.money(each), [s.share for s in shares]) for each in (gross - back, tax, back)
                )
                for net, its, returned, s in zip(nets, taxes, backs, shares, strict=True):
                    codes = [list(pair) for pair in Coding.of(s.codes or self.claim.codes).codes]
                    found.append((name, code, codes, account, net.minor, its.minor, returned.minor, False, s.share))
            else:
                codes = own or expense.codes or self.claim.codes
                found.append((name, code, codes, account, gross - back, tax, back, personal, None))
            firm = expense.paid_by != "self" and not mileage
            kind = ("personal" if personal else "firm") if firm else "" if personal else "mileage" if mileage else "own"
            if kind:
                self.sums[kind] += gross
        return found

    def line(self, row, order, expense):
        """One line with what its evidence shows and what was allowed when it was certified."""
        charge = self.model("Charge", "expenses").objects.filter(expense=expense).select_related("card").first()
        receipts = sorted(expense.receipts.all(), key=lambda r: (r.place, r.received, r.pk))
        allows, allows_by = self.claim.certified.get("allows", {}).get(str(expense.pk), (expense.amount_minor, ""))
        shows, shows_by = _shown(expense, charge, receipts)
        card = f"{charge.card.issuer} {charge.card.last_four}" if charge else ""
        proofs = [["receipt", r.pk, f"receipt {r.name}"] for r in receipts]
        if charge:
            words = f"charge of {charge.date:%a} {charge.date.day} {charge.date:%b} on {card}: {charge.merchant}"
            proofs.append(["charge", charge.pk, f"{words} {Money.from_minor(charge.amount_minor, charge.currency)}"])
        if expense.lost:
            proofs.append(["lost", 0, f"receipt declared lost by {expense.lost['name']}"])
        category = self.categories.get(expense.category)
        return self.model("StatementLine").objects.create(
            statement=row, order=order, key=f"expense:{expense.pk}", kind=expense.kind, label=_label(expense)[:200],
            day=expense.date, merchant=expense.merchant, guests=expense.guests, category=expense.category,
            category_name="Personal" if expense.personal else category.name if category else expense.category,
            paid_by="self" if expense.kind == "mileage" else expense.paid_by, card=card,
            card_account=charge.card.account if charge else "", says_minor=expense.amount_minor, shows_minor=shows,
            shows_by=shows_by, allows_minor=allows, allows_by=allows_by[:120], original_minor=expense.original_minor,
            original_currency=expense.original_currency, rate=expense.rate, rate_source=expense.rate_source,
            evidence=proofs, nights=expense.nights, workings=expense.workings,
        )  # fmt: skip

    def keep(self, line, parts):
        """The codings of a line."""
        for order, (text, category, codes, account, net, tax, back, personal, share) in enumerate(parts):
            self.model("StatementCoding").objects.create(
                line=line, order=order, text=text[:330], category=category, codes=codes, account=account,
                kept=self.kept(codes), net_minor=net, tax_minor=tax, recoverable_minor=back, personal=personal, share=share,
            )  # fmt: skip

    def kept(self, codes):
        """The kept row of a coding, made where it is new."""
        if not codes:
            return None
        kept, new = self.model("CodingKept", "accounts").objects.get_or_create(firm=self.claim.firm, key=coding_key(codes))
        if new:
            part = self.model("CodingPart", "accounts")
            part.objects.bulk_create([part(coding=kept, dimension=d, code=c) for d, c in codes])
        return kept


def _label(expense):
    if expense.kind == "mileage" and expense.origin and expense.target:
        return f"{expense.origin['town']} – {expense.target['town']}, {expense.km.normalize():f} km"
    return expense.description or expense.merchant or "A cost"


def _shown(expense, charge, receipts):
    if charge is not None:
        return charge.amount_minor, "card"
    totals = [r.fields["total"]["value"] for r in receipts if r.fields.get("total", {}).get("value")]
    currencies = {r.fields.get("currency", {}).get("value") or expense.currency for r in receipts}
    if totals and currencies == {expense.currency}:
        return Money.rounded(sum(map(Decimal, totals), Decimal(0)), expense.currency).minor, "receipt"
    if totals and expense.rate and currencies == {expense.original_currency}:
        return Money.rounded(sum(map(Decimal, totals), Decimal(0)) / expense.rate, expense.currency).minor, "receipt"
    return None, "receipt" if receipts else ""
