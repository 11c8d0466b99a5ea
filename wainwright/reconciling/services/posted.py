"""What a line of a statement makes the ledger be told: once under the line's own key, and anew where it was undone."""

from __future__ import annotations

from django.db import transaction

from wainwright.accounts import services as accounts
from wainwright.accounts.models import Posting
from wainwright.accounts.refusals import refusal_words
from wainwright.core.posting import Journal
from wainwright.core.said import joined, say
from wainwright.errors import Refusal
from wainwright.people.models import Membership
from wainwright.reconciling.models import BankAccount, Line

AWAY = say("The ledger does not answer. Do it again in a few minutes: nothing is entered twice.")


def key_of(line: Line, what: str, subject: str) -> str:
    """The key of what is posted for a line: another for each time that it was undone."""
    key = f"{what}:{line.account.firm_id}:{line.pk}"
    undone = Posting.objects.filter(
        firm_id=line.account.firm_id, subject=subject, key__startswith=key, key__endswith=":undo", state=Posting.State.ENTERED
    ).count()  # fmt: skip
    return f"{key}:{undone + 1}" if undone else key


def posted_for(
    member: Membership, account: BankAccount, journal: Journal, subject: str, title: str, line: Line
) -> Posting:
    """Enter a line's journal and return it; the one that is there already where the act broke off before. Raises ``Refusal``."""
    known = Posting.objects.filter(firm=account.firm, key=journal.key, state=Posting.State.ENTERED).first()
    if known is not None:
        return known
    with transaction.atomic():
        posting = accounts.prepare_posting(account.firm, journal, subject, title[:160], line.day)
    return must_be_entered(accounts.send_posting(posting, member))


def must_be_entered(posting: Posting) -> Posting:
    """Return what the ledger has entered. Raises ``Refusal`` with its words, or where it does not answer."""
    if posting.state == Posting.State.REFUSED:
        raise Refusal(joined("", (posting.title, ": ", refusal_words(posting))))
    if posting.state == Posting.State.SENDING:
        raise Refusal(AWAY)
    return posting
