"""What has happened to a claim since it was first sent: who did what and when, to its payment, told in the order of time."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime

from django.db.models import QuerySet

from wainwright.accounts.models import Payment, Posting
from wainwright.claims.models import Claim
from wainwright.claims.paying import CLAIM, ISSUER
from wainwright.core.said import say
from wainwright.prepared import prepared
from wainwright.signoff.models import Remark
from wainwright.trail.models import Entry

# What the trail calls it, and how it is told here.
TOLD = {
    "certified and sent the claim": say("sent"), "took the claim back": say("taken back"),
    "signed the claim off": say("signed off, came to finance"), "goes to finance to be looked at": say("came to finance"),
    "cleared the claim": say("checked and cleared"), "cleared by itself": say("cleared: finance did not need to look at it"),
    "sent the claim back": say("sent back"), "turned the claim down": say("turned down"), "objected": say("objected to"),
    "claim settled": say("settled"),
}  # fmt: skip
SENT_WORDS = {
    Payment.State.UNDER_WAY: say("given to the bank"), Payment.State.PAID: say("paid"),
    Payment.State.FAILED: say("failed"), Payment.State.UNCLEAR: say("is unclear: finance asks the bank"),
}  # fmt: skip


@dataclass(frozen=True)
class Happened:
    """Something that happened: when, what in words, by whom (nobody where it came of itself), and whether it went wrong."""

    time: datetime
    words: str
    who: str = ""
    wrong: bool = False


def so_far(claim: Claim, posting: Posting | None, said: Iterable[Remark]) -> list[Happened]:
    """Return what happened to a claim that was sent, the oldest first; ``said`` are remarks that are dealt with. Two queries."""
    if claim.sent is None:
        return []
    # The trail names a person with their address, which is more than is asked here.
    found = [Happened(each.time, TOLD[each.what], each.who.partition(" <")[0]) for each in _told(claim.subject)]
    found += [Happened(each.time, say("“{text}”", text=each.words), each.by.person.name) for each in said]
    if posting is not None and posting.state != Posting.State.SENDING:
        entered = posting.state == Posting.State.ENTERED
        words = (
            say("posted to the accounts under {number}", number=posting.number)
            if entered
            else say("refused by the ledger")
        )
        found.append(Happened(posting.time, words, wrong=not entered))
    # Settled is what comes of a posting or a payment, in the same moment.
    return sorted([*found, *_payments(claim)], key=lambda each: (each.time, each.words == TOLD["claim settled"]))


@prepared
def _told(subject: str) -> QuerySet[Entry]:
    return Entry.objects.filter(subject=subject, what__in=TOLD).order_by("number")


@prepared
def _paid(own: str, issuer: str) -> QuerySet[Payment]:
    return Payment.objects.filter(subject__in=[own, issuer]).select_related("run")


def _payments(claim: Claim) -> Iterator[Happened]:
    for each in _paid(f"{CLAIM}:{claim.pk}", f"{ISSUER}:{claim.pk}"):
        to = (
            say("to the issuer of the card")
            if each.subject.startswith(ISSUER)
            else say("to the account ending {iban}", iban=each.iban[-4:])
        )
        why = f": {each.failure}" if each.failure else ""
        wrong = each.state in (Payment.State.FAILED, Payment.State.UNCLEAR)
        words = say(
            "payment of {amount} {currency} {to} {sent_words}{why}",
            amount=each.amount,
            currency=each.run.currency,
            to=to,
            sent_words=SENT_WORDS[each.state],
            why=why,
        )
        yield Happened(each.run.time, words, wrong=wrong)
