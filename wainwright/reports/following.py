"""Keeping the read model current: what changed is found by its mark and read anew; all of it can be built again.

Nothing tells the read model of an act. It looks at what there is, so that no road can forget it: a thing whose mark is
another than when it was read, is read again. The trail says whether anything happened at all since it looked last.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime

from django.db import transaction
from django.db.models import CharField, Exists, F, OuterRef, Q, QuerySet, Subquery, Sum, TextField, Value
from django.db.models.functions import MD5, Cast, Coalesce, Concat

from wainwright import clock
from wainwright.bookings.models import Booking
from wainwright.claims.models import Claim
from wainwright.core.states import CLAIM_SENT
from wainwright.expenses.models import Expense
from wainwright.journals.models import Billed
from wainwright.people.models import Firm
from wainwright.reports.models import Follow, Head, SpendLine
from wainwright.reports.reading import READERS, keep
from wainwright.trail.models import Entry
from wainwright.trips.models import Trip

# So many things are read in one transaction; so many at most while somebody waits for an answer.
BATCH, AT_ONCE = 200, 400
UNSENT = ("Open", "Sent back")
_TRIPS = ("Authorised", "Under way", "Back")


@dataclass(frozen=True)
class Current:
    """How current the read model is: when it looked last, and how many changed things it has not read yet."""

    time: datetime | None
    left: int


def _text(name: str) -> Coalesce:
    return Coalesce(Cast(name, CharField()), Value(""))


def _marked(*parts: str | MD5) -> Concat:
    joined: list[object] = []
    for part in parts:
        joined += [part if not isinstance(part, str) else _text(part), Value(":")]
    return Concat(*joined, output_field=CharField())


def _stands() -> Q:
    """Trips whose plan stands for what they cost until a claim of them is sent."""
    return Q(claim__trip__state__in=_TRIPS) | (Q(claim__trip__isnull=False) & ~Q(claim__trip__standing={}))


def sources(firm: Firm) -> dict[Head.Kind, QuerySet]:
    """What of a firm the read model reads, each with its mark. What is in none of these has no lines."""
    own = Claim.objects.filter(trip=OuterRef("pk"), state__in=CLAIM_SENT)
    along = Claim.also.through.objects.filter(trip=OuterRef("pk"), claim__state__in=CLAIM_SENT)
    plans = Q(state__in=(*_TRIPS, "Awaiting sign-off")) | ~Q(standing={})
    trips = Trip.objects.filter(plans, firm=firm).exclude(state__in=Trip.OVER)
    claims = Claim.objects.filter(firm=firm, state__in=CLAIM_SENT, statement__isnull=False)
    loose = Q(claim__isnull=True) | Q(claim__state__in=UNSENT)
    standing = Exists(trips.filter(pk=OuterRef("trip")))
    # The same cost was recorded by hand, so that the draft of a claim left its booking alone.
    same = Expense.objects.filter(owner=OuterRef("trip__traveller"), claim__trip=OuterRef("trip"), paid_by="central", amount_minor__in=[OuterRef("price_minor"), OuterRef("lost_minor")])  # fmt: skip
    told = Billed.objects.filter(booking=OuterRef("pk")).order_by().values("booking").annotate(s=Sum("amount_minor")).values("s")  # fmt: skip
    billed = Booking.objects.filter(Q(state__in=("Confirmed", "Ticketed")) | Q(state="Cancelled", lost_minor__gt=0), firm=firm, paid_by="central", currency=firm.currency)  # fmt: skip
    return {
        Head.Kind.BOOKING: billed.filter(~standing, ~Exists(same), expenses__isnull=True).annotate(billed_minor=Subquery(told)).annotate(now=_marked("state", "price_minor", "lost_minor", "billed_minor", "trip__version")),
        Head.Kind.TRIP: trips.filter(~Exists(own), ~Exists(along)).annotate(now=_marked("state", "signed_id", "standing__trip__signed_id", "starts")),
        Head.Kind.CLAIM: claims.annotate(now=_marked("state", "statement_id", "trip_id", "trip__version")),
        Head.Kind.EXPENSE: Expense.objects.filter(loose, firm=firm).exclude(_stands()).annotate(now=_marked("version", "claim_id", "claim__version", "claim__trip__version", MD5(Cast("owner__codes", TextField())))),
    }  # fmt: skip


def _changed(firm: Firm, kind: Head.Kind, rows: QuerySet) -> QuerySet:
    """Those whose mark is another than when they were read, or that never were."""
    known = Head.objects.filter(firm=firm, kind=kind, thing=OuterRef("pk"), mark=OuterRef("now"))
    return rows.filter(~Exists(known)).order_by("pk").values_list("pk", "now")


def _gone(firm: Firm, kind: Head.Kind, rows: QuerySet) -> QuerySet[Head]:
    """What was read and is nothing any more that has lines."""
    return Head.objects.filter(~Exists(rows.filter(pk=OuterRef("thing"))), firm=firm, kind=kind)


def catch_up(firm: Firm, most: int = AT_ONCE) -> Current:
    """Read what changed since it was looked at last, at most so many things; how current it is then.

    Where the trail says that nothing happened, nothing is looked for: two queries.
    """
    newest = Entry.objects.filter(firm_id=firm.pk).order_by("-number").values_list("number", flat=True).first() or 0
    follow = Follow.objects.filter(firm=firm).first()
    if follow is not None and follow.entry == newest and not follow.left:
        return Current(clock.now(), 0)
    return _read(firm, newest, most)


def look_again(firm: Firm) -> Current:
    """Read whatever changed, all of it, also what no entry of the trail tells of; for the worker, each minute."""
    newest = Entry.objects.filter(firm_id=firm.pk).order_by("-number").values_list("number", flat=True).first() or 0
    return _read(firm, newest, None)


def follow_everywhere() -> None:
    """Keep the read model of every firm current."""
    for firm in Firm.objects.order_by("pk"):
        look_again(firm)


def rebuild(firm: Firm) -> int:
    """Build the read model of a firm anew from its sources; how many lines it has then."""
    with transaction.atomic():
        Follow.objects.get_or_create(firm=firm)
        Follow.objects.select_for_update(no_key=True).get(firm=firm)
        Head.objects.filter(firm=firm).delete()
    look_again(firm)
    return SpendLine.objects.filter(firm=firm).count()


def _read(firm: Firm, newest: int, most: int | None) -> Current:
    done, left = 0, 0
    for kind, rows in sources(firm).items():
        with transaction.atomic():
            _gone(firm, kind, rows).delete()
        changed = _changed(firm, kind, rows)
        if most is not None:
            room = max(0, most - done)
            pairs = list(changed[: room + 1])
            if len(pairs) > room:
                left += changed.count() - room
            pairs = pairs[:room]
        else:
            pairs = list(changed)
        for batch in _batches(pairs):
            _take(firm, kind, dict(batch))
        done += len(pairs)
    now = clock.now()
    Follow.objects.update_or_create(firm=firm, defaults={"entry": newest, "left": left, "time": now})
    return Current(now, left)


def _batches(pairs: list[tuple[int, str]]) -> Iterator[list[tuple[int, str]]]:
    for start in range(0, len(pairs), BATCH):
        yield pairs[start : start + BATCH]


@transaction.atomic
def _take(firm: Firm, kind: Head.Kind, marks: dict[int, str]) -> None:
    """Read some things anew. Two processes that do so wait for one another."""
    Follow.objects.get_or_create(firm=firm)
    Follow.objects.select_for_update(no_key=True).get(firm=firm)
    Head.objects.filter(kind=kind, thing__in=marks).delete()
    Head.objects.bulk_create(
        [Head(firm=firm, kind=kind, thing=thing, mark=mark[:200]) for thing, mark in marks.items()]
    )
    heads = {head.thing: head for head in Head.objects.filter(kind=kind, thing__in=marks)}
    keep(firm, heads, READERS[kind](firm, list(marks)))


def lines_as_they_are(firm: Firm) -> QuerySet:
    """The lines without their keys, in an order of their own, to be compared with another building of them."""
    fields = [f.attname for f in SpendLine._meta.fields if f.name not in ("id", "head")]
    return SpendLine.objects.filter(firm=firm).order_by(*fields).annotate(kind=F("head__kind"), thing=F("head__thing")).values_list(*fields, "kind", "thing")  # fmt: skip
