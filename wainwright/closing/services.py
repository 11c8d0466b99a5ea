"""Acts at a month's end: accruals posted and reversed, a period closed and opened again."""

from __future__ import annotations

import logging
from datetime import date

from django.db import transaction

from wainwright import clock
from wainwright.accounts import services as accounts
from wainwright.accounts.models import FirmAccounts, Period, Posting
from wainwright.accounts.periods import last_of, next_month
from wainwright.accounts.selectors import journal_of
from wainwright.closing.models import Accrual
from wainwright.closing.selectors import accrued, closed, steps
from wainwright.core.accruals import accrual_journal
from wainwright.core.money import total
from wainwright.core.said import as_figure, joined, say, small
from wainwright.errors import Refusal, Stale
from wainwright.news.services import tell
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership
from wainwright.people.selectors import finance_of
from wainwright.trail.services import record

log = logging.getLogger(__name__)


def standing_accrual(firm: Firm, month: date) -> Accrual | None:
    """The accrual of a month that stands: entered or on its way, and not taken back."""
    rows = Accrual.objects.filter(firm=firm, month=month).exclude(posting__state=Posting.State.REFUSED)
    row = rows.select_related("posting__firm", "reversal", "by__person").first()
    return None if row is None or (row.reversal is not None and row.reversed_on <= last_of(month)) else row


def post_accruals(member: Membership, month: date) -> Accrual:
    """Post what is spent and not posted at a month's end; it is reversed on the first of the next by itself.

    Raises ``Refusal``, ``Stale`` where it stands already.
    """
    must(member, "close")
    if last_of(month) > clock.today(member.firm.zone):
        raise Refusal(say("The month has not ended yet."))
    with transaction.atomic():
        # Whoever comes second waits here, and sees what the first has done.
        firm = Firm.objects.select_for_update(no_key=True).get(pk=member.firm_id)
        if closed(firm, month):
            raise Stale(say("{month} is closed: nothing more is posted into it.", month=as_figure(month, "%B %Y")))
        if standing_accrual(firm, month) is not None:
            raise Stale(
                say(
                    "{month} is accrued already. Take it back first, to accrue it anew.",
                    month=as_figure(month, "%B %Y"),
                )
            )
        liability = FirmAccounts.objects.get(firm=firm).accrued
        if not liability:
            raise Refusal(say("No account is named on which accruals are owed. Name it first."), "account")
        rows = accrued(firm, month)
        if not rows:
            raise Refusal(say("Nothing is spent and not posted: there is nothing to accrue."))
        entry = Accrual.objects.filter(firm=firm, month=month).count() + 1
        text = say("Accrued for {month}", month=as_figure(month, "%B %Y"))
        journal = accrual_journal(f"accrual:{firm.pk}:{month:%Y-%m}:{entry}", rows, liability, text)
        posting = accounts.prepare_posting(firm, journal, f"accrual:{firm.pk}:{month:%Y-%m}", text, last_of(month))
        whole = total((row.amount for row in rows), firm.currency)
        made = Accrual.objects.create(
            firm=firm, month=month, entry=entry, currency=firm.currency, total_minor=whole.minor, posting=posting, reversed_on=next_month(month),
            of=[[each.what, each.label[:120], f"{each.coding} → {each.coding.account}", each.amount.minor] for row in rows for each in row.of],
            by=member, time=clock.now(),
        )  # fmt: skip
        record(
            member,
            say("accrued a month"),
            posting.subject,
            after={"total": whole.minor, "things": sum(len(row.of) for row in rows)},
        )
    accounts.send_posting(posting, member)
    # Accrued after the first of the next has come: the reversal is due at once.
    reverse_due()
    return Accrual.objects.select_related("posting__firm", "reversal").get(pk=made.pk)


def take_back(member: Membership, month: date) -> Accrual:
    """Take an accrual back on the month's last day, so that it can be made anew. Raises ``Stale``, ``Refusal``."""
    must(member, "close")
    with transaction.atomic():
        firm = Firm.objects.select_for_update(no_key=True).get(pk=member.firm_id)
        row = standing_accrual(firm, month)
        if row is None or row.posting.state != Posting.State.ENTERED:
            raise Stale(say("There is no accrual of that month in the ledger."))
        if closed(firm, month):
            raise Refusal(say("{month} is closed. Open it again first.", month=as_figure(month, "%B %Y")))
        if row.reversal_id is not None:
            raise Stale(say("It was reversed already, on the first of the next month."))
        posting = _prepare_reversal(row, last_of(month))
        record(member, say("took an accrual back"), posting.subject)
    accounts.send_posting(posting, member)
    return row


def _prepare_reversal(row: Accrual, on: date) -> Posting:
    """Keep the reversal of an accrual on a day. Inside the caller's transaction, with its firm locked."""
    journal = journal_of(row.posting).reversed(f"{row.posting.key}:reversal")
    posting = accounts.prepare_posting(
        row.firm, journal, row.posting.subject, say("Reversal: {posting_title}", posting_title=row.posting.title), on
    )
    row.reversal, row.reversed_on = posting, on
    row.save(update_fields=["reversal", "reversed_on"])
    return posting


def reverse_due() -> int:
    """Reverse every accrual whose day has come; what broke off is finished with all other postings. Returns how many."""
    done = 0
    for row in Accrual.objects.filter(reversal__isnull=True, posting__state=Posting.State.ENTERED).select_related(
        "firm"
    ):
        if row.reversed_on > clock.today(row.firm.zone):
            continue
        try:
            done += _reverse(row.pk)
        except Exception:
            log.exception("could not reverse %s; it is tried again", row)
    return done


def _reverse(accrual_id: int) -> int:
    with transaction.atomic():
        row = (
            Accrual.objects.select_for_update(of=("self",), no_key=True)
            .select_related("firm", "posting__firm")
            .get(pk=accrual_id)
        )
        if row.reversal_id is not None:
            return 0
        posting = _prepare_reversal(row, row.reversed_on)
        record(None, say("reversed an accrual"), posting.subject, firm_id=row.firm_id)
    posting = accounts.send_posting(posting, None)
    if posting.state == Posting.State.REFUSED:
        for person in finance_of(row.firm_id):
            tell(
                person,
                say("The ledger refused to reverse {row}", row=row),
                f"/ledger/{posting.pk}/",
                posting.refusal_text,
            )
    return 1


@transaction.atomic
def close_period(member: Membership, month: date, why: str) -> Period:
    """Close a month: nothing more is posted into it. What is cleared or refused and not posted needs a reason. Raises ``Refusal``, ``Stale``."""
    must(member, "close")
    firm = Firm.objects.select_for_update(no_key=True).get(pk=member.firm_id)
    if last_of(month) > clock.today(firm.zone):
        raise Refusal(say("The month has not ended yet."))
    if closed(firm, month) is not None:
        raise Stale(say("{month} is closed already.", month=as_figure(month, "%B %Y")))
    if Posting.objects.filter(firm=firm, state=Posting.State.SENDING, date__range=(month, last_of(month))).exists():
        raise Refusal(say("A journal of it is on its way to the ledger. Wait until that has answered."))
    words = " ".join(why.split())[:300]
    left = [step for step in steps(firm, month) if step.blocks and step.count]
    if left and len(words) < 3:
        names = joined(say(" and "), (joined("", (step.count, " ", small(step.name))) for step in left))
        raise Refusal(
            say("{names}. Post them, or say why it is closed without them: they go to the next month.", names=names),
            "why",
        )
    made = Period.objects.create(firm=firm, month=month, why=words, by=member, time=clock.now())
    record(member, say("closed a month"), f"firm:{firm.pk}", after={"month": f"{month:%Y-%m}", "why": words})
    return made


@transaction.atomic
def reopen_period(member: Membership, month: date, why: str) -> None:
    """Open a closed month again, the last one first. Raises ``Refusal``, ``Stale``."""
    must(member, "close")
    firm = Firm.objects.select_for_update(no_key=True).get(pk=member.firm_id)
    row = closed(firm, month)
    if row is None:
        raise Stale(say("{month} is open already.", month=as_figure(month, "%B %Y")))
    later = Period.objects.filter(firm=firm, month__gt=month).order_by("month").first()
    if later is not None:
        raise Refusal(say("{month} is closed on top of it. Open that first.", month=as_figure(later.month, "%B %Y")))
    words = " ".join(why.split())[:300]
    if len(words) < 3:
        raise Refusal(say("Say why it is opened again."), "why")
    record(
        member,
        say("opened a month again"),
        f"firm:{firm.pk}",
        before={"month": f"{month:%Y-%m}", "closed by": row.by.person.name},
        after={"why": words},
    )
    row.delete()
