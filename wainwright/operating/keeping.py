"""What need not be kept any more: counted for whoever decides it, and taken away when an administrator says so."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

from django.db import transaction
from django.db.models import CharField, DateTimeField, OuterRef, Q, QuerySet, Subquery, Value
from django.db.models.fields.files import FieldFile
from django.db.models.functions import Cast, Coalesce, Concat
from huey.contrib.djhuey import on_commit_task

from wainwright import clock
from wainwright.accounts.models import BankAnswer, PayRun
from wainwright.claims.models import Binder, Claim
from wainwright.core.keeping import LEAST, MOST, USUAL, last_day_over
from wainwright.core.said import as_figure, say
from wainwright.errors import Refusal
from wainwright.expenses.models import CardFile, Receipt
from wainwright.news.services import tell
from wainwright.operating.forgetting import forget, named
from wainwright.operating.models import Keeping, TakenAway
from wainwright.people.files import drop_file
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership
from wainwright.reconciling.models import StatementFile
from wainwright.trail.models import Entry
from wainwright.trail.services import record
from wainwright.trips.models import Paper, Trip

# So many papers are taken away in one transaction.
AT_ONCE = 200
ENDED = ("Settled", *Claim.OVER)


@dataclass(frozen=True)
class Over:
    """What need not be kept any more: up to which day, how many papers, and which people who left."""

    until: date
    papers: int
    people: Sequence[Membership]

    @property
    def any(self) -> bool:
        """Whether there is anything."""
        return bool(self.papers or self.people)


def years_of(firm: Firm) -> int:
    """For how many years a firm keeps papers. One query."""
    row = Keeping.objects.filter(firm=firm).first()
    return row.years if row is not None else USUAL


def over(firm: Firm) -> Over:
    """Return what a firm need not keep any more. Nine queries."""
    until = last_day_over(clock.today(firm.zone), years_of(firm), firm.year_begins)
    papers = _papers(firm, until).count() + sum(rows.count() for rows, _ in _others(firm, until))
    return Over(until, papers, _people(firm, until))


@transaction.atomic
def set_years(member: Membership, years: int | None) -> None:
    """Say for how many years the firm keeps papers. Raises ``NotAllowed``, ``Refusal``."""
    must(member, "firm")
    if years is None or not LEAST <= years <= MOST:
        raise Refusal(say("Say a number of years from {least} to {most}.", least=LEAST, most=MOST), "years")
    before = years_of(member.firm)
    if years != before:
        Keeping.objects.update_or_create(firm=member.firm, defaults={"years": years})
        record(
            member,
            say("set for how long papers are kept"),
            f"firm:{member.firm_id}",
            before={"years": before},
            after={"years": years},
        )


@transaction.atomic
def take_away(member: Membership, until: date) -> TakenAway:
    """Take away what was last touched on ``until`` or before: the day that the page showed.

    Raises ``NotAllowed``; ``Refusal`` where nothing is over, another day is meant by now, or it goes on already.
    """
    must(member, "firm")
    firm = Firm.objects.select_for_update(no_key=True).get(pk=member.firm_id)
    if firm.taken_away.filter(done=None).exists():
        raise Refusal(say("It goes on already. This page says when it is done."))
    found = over(firm)
    if until != found.until:
        raise Refusal(say("For how long papers are kept was changed meanwhile. Look at what it comes to now."))
    if not found.any:
        raise Refusal(say("There is nothing that need not be kept any more."))
    row = TakenAway.objects.create(firm=firm, by=member, time=clock.now(), until=until)
    record(
        member,
        say("had taken away what need not be kept any more"),
        f"firm:{firm.pk}",
        after={"until": until, "papers": found.papers, "people": len(found.people)},
    )
    go_on(row.pk)
    return row


@on_commit_task(retries=1, retry_delay=5)
def go_on(row_id: int) -> None:
    """Take away, part by part; a second start goes on where the first broke off."""
    row = TakenAway.objects.select_related("firm", "by").filter(pk=row_id, done=None).first()
    if row is None:
        return
    while _some_papers(row):
        pass
    while _somebody(row):
        pass
    with transaction.atomic():
        TakenAway.objects.filter(pk=row.pk).update(done=clock.now())
        tell(
            row.by,
            say(
                "{papers} papers and the names of {people} who left were taken away",
                papers=row.papers,
                people=row.people,
            ),
            "/firm/keeping/",
        )


def go_on_with_what_broke_off(after: timedelta = timedelta(hours=1)) -> None:
    """Begin again what ended with its process."""
    for row in TakenAway.objects.filter(done=None, time__lt=clock.now() - after):
        go_on(row.pk)


def tell_what_is_over() -> None:
    """Tell a firm's administrators, on the first day of a month, that something need not be kept any more."""
    for firm in Firm.objects.all():
        if clock.today(firm.zone).day == 1 and (found := over(firm)).any:
            words = say(
                "{papers} papers and the names of {people_count} who left need not be kept any more",
                papers=found.papers,
                people_count=len(found.people),
            )
            for admin in Membership.objects.filter(firm=firm, active=True, administrator=True).select_related(
                "firm", "person"
            ):
                tell(admin, words, "/firm/keeping/")


def _moment(firm: Firm, until: date) -> datetime:
    """The end of a day where the firm is."""
    return datetime.combine(until + timedelta(days=1), time.min, ZoneInfo(firm.zone))


def _subject(kind: str, key: str | OuterRef) -> Concat:
    """What a claim, a trip or a person is called in the trail."""
    return Concat(Value(f"{kind}:"), Cast(key, CharField()))


def _last(kind: str) -> Subquery:
    """When something was last done about a claim, a trip or a person, as the trail says."""
    return Subquery(Entry.objects.filter(subject=_subject(kind, OuterRef("pk"))).order_by("-number").values("time")[:1])


def _ended_claims(firm: Firm, until: date) -> QuerySet[Claim]:
    moment = _moment(firm, until)
    rows = Claim.objects.filter(firm=firm, state__in=ENDED, created__lt=moment)
    last = Coalesce(_last("claim"), "sent", "created", output_field=DateTimeField())
    return rows.annotate(last=last).filter(last__lt=moment)


def _ended_trips(firm: Firm, until: date) -> QuerySet[Trip]:
    moment = _moment(firm, until)
    open_ = (
        Claim.objects.filter(firm=firm)
        .exclude(pk__in=_ended_claims(firm, until).values("pk"))
        .filter(trip__isnull=False)
    )
    rows = Trip.objects.filter(Q(ends__lte=until) | Q(ends=None), firm=firm).exclude(pk__in=open_.values("trip_id"))
    # Of one whose entries were taken away with another's name nothing younger is left.
    return rows.annotate(last=_last("trip")).filter(Q(last__lt=moment) | Q(last=None))


def _papers(firm: Firm, until: date) -> QuerySet[Receipt]:
    return Receipt.objects.filter(firm=firm, expense__claim__in=_ended_claims(firm, until).values("pk")).exclude(
        file=""
    )


def _others(firm: Firm, until: date) -> list[tuple[QuerySet, dict[str, object]]]:
    """Papers that are no receipts, and what is left of each: of trips, orders to the bank and its answers, what banks and issuers sent."""
    moment = _moment(firm, until)
    runs = PayRun.objects.filter(firm=firm, date__lte=until, time__lt=moment, state=PayRun.State.ANSWERED)
    cards = CardFile.objects.filter(
        member__firm=firm, time__lt=moment, state__in=[CardFile.State.TAKEN, CardFile.State.AWAY]
    )
    told = StatementFile.objects.filter(
        account__firm=firm, time__lt=moment, state__in=[StatementFile.State.TAKEN, StatementFile.State.AWAY]
    )
    gone = {"file": "", "sample": [], "header": [], "left": []}
    return [
        (
            Paper.objects.filter(trip__in=_ended_trips(firm, until).values("pk")).exclude(file=""),
            {"file": "", "name": say("A paper")},
        ),
        (runs.exclude(file=b""), {"file": b""}),
        (BankAnswer.objects.filter(run__in=runs.values("pk")).exclude(content=b""), {"content": b""}),
        (cards.exclude(file=""), gone | {"rows": []}),
        (told.exclude(file=""), gone),
    ]


def _people(firm: Firm, until: date) -> list[Membership]:
    """Those who left, of whom nothing is younger than that, and who were not forgotten yet. Two queries."""
    moment = _moment(firm, until)
    claims = Claim.objects.filter(firm=firm).exclude(pk__in=_ended_claims(firm, until).values("pk"))
    trips = Trip.objects.filter(firm=firm).exclude(pk__in=_ended_trips(firm, until).values("pk"))
    rows = (
        Membership.objects.filter(firm=firm, active=False)
        .exclude(pk__in=claims.values("claimant_id"))
        .exclude(pk__in=trips.values("traveller_id"))
    )
    rows = (
        rows.annotate(last=_last("member"))
        .filter(last__lt=moment)
        .select_related("person", "firm")
        .order_by("person__name", "pk")
    )
    found = list(rows)
    # What they did for others counts too: the trail names them with their address.
    return [who for who in found if not _acted_since(who, moment)]


def _acted_since(who: Membership, moment: datetime) -> bool:
    named = f"{who.person.name} <{who.person.email}>"
    return Entry.objects.filter(firm_id=who.firm_id, time__gte=moment, who=named).exists()


@transaction.atomic
def _some_papers(row: TakenAway) -> int:
    """Take some papers away; what was certified of them stays, with the hash that each had."""
    firm, until = row.firm, row.until
    day = clock.today(firm.zone)
    papers = list(_papers(firm, until).order_by("pk").prefetch_related("pages")[:AT_ONCE])
    for paper in papers:
        for file in paper.all_files:
            drop_file(file)
        paper.pages.all().delete()
        paper.file = paper.thumb = ""
        paper.fields, paper.lines, paper.invoice, paper.state = {}, [], {}, Receipt.State.UNREADABLE
        paper.name, paper.problem = (
            say("A paper"),
            say("Taken away on {day}: it need not be kept any more.", day=as_figure(day, "%d %b %Y")),
        )
        paper.save()
    if papers:
        ended = _ended_claims(firm, until).annotate(subject_=_subject("claim", "pk")).values("subject_")
        for bound in Binder.objects.filter(firm=firm, subject__in=ended):
            drop_file(bound.file)
            bound.delete()
    count = len(papers) + sum(_some_others(rows, left, AT_ONCE) for rows, left in _others(firm, until))
    row.papers += count
    row.save(update_fields=["papers"])
    return count


def _some_others(rows: QuerySet, left: dict[str, object], most: int) -> int:
    found = list(rows.order_by("pk")[:most])
    for paper in found:
        if isinstance(file := getattr(paper, "file", None), FieldFile):
            drop_file(file)
    rows.model._base_manager.filter(pk__in=[paper.pk for paper in found]).update(**left)
    return len(found)


def _somebody(row: TakenAway) -> bool:
    """Forget one person; nothing is left to do where none is left."""
    who = next(iter(_people(row.firm, row.until)), None)
    if who is None:
        return False
    found = named(who)
    with transaction.atomic():
        row.entries += forget(who, found)
        row.people += 1
        row.save(update_fields=["people", "entries"])
    return True
