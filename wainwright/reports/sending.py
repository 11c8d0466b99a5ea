"""Reports that go out by themselves: when, in which forms, to whom; who may have what is asked anew each time.

Everybody gets the answer as they would see it: nobody is sent what they could not ask themselves.
"""

from __future__ import annotations

import logging
import re
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from zoneinfo import ZoneInfo

from django.conf import settings
from django.core.mail import EmailMultiAlternatives
from django.db import transaction
from django.db.models import Q
from django.utils.text import slugify
from huey.contrib.djhuey import on_commit_task

from wainwright import clock
from wainwright.accounts.models import Period
from wainwright.core.said import as_figure, joined, kept, say
from wainwright.core.spans import month_end
from wainwright.core.table import Table, as_data
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.fields import typed_day
from wainwright.language import ENGLISH, locale, read_by, written_for
from wainwright.news.services import Enclosed, tell
from wainwright.people.models import Firm, Membership
from wainwright.people.post import post
from wainwright.reading import again
from wainwright.reports.asked import read, read_rightly, sentence
from wainwright.reports.catalogue import reports
from wainwright.reports.files import FORMS, TYPES, Told, as_of, file_of
from wainwright.reports.following import catch_up
from wainwright.reports.keeping import kept_of, worked_out
from wainwright.reports.models import Run, Sending
from wainwright.reports.reader import Reader
from wainwright.trail.services import record

log = logging.getLogger(__name__)
MOST_TO, MOST_SENDINGS = 50, 20
# A run that nobody was at for so long was broken off, and is gone on with; one that never ends is given up.
BROKEN_OFF, GIVEN_UP = timedelta(minutes=10), timedelta(hours=6)
_ADDRESS = re.compile(r"[^@\s,;]+@[^@\s,;]+\.[^@\s,;]+")


@dataclass(frozen=True)
class SendingTyped:
    """A sending as it is typed."""

    every: str
    weekday: str = "0"
    day: str = ""
    hour: str = "7"
    forms: Sequence[str] = ()
    to: str = ""


@dataclass
class Recipients:
    """Whom a text names."""

    members: list[Membership] = field(default_factory=list)
    addresses: list[str] = field(default_factory=list)


def domains_of(firm: Firm) -> set[str]:
    """The firm's own domains: those by which its people sign in."""
    emails = Membership.objects.filter(firm=firm, active=True).values_list("person__email", flat=True)
    return {email.rpartition("@")[2].casefold() for email in emails}


def read_recipients(firm: Firm, text: str) -> Recipients:
    """Find whom a text names, names and addresses parted by commas. Raises ``Refusal`` naming each that is nobody's."""
    pieces = list(dict.fromkeys(piece.strip() for piece in re.split(r"[,;\n]", text) if piece.strip()))
    if not pieces:
        raise Refusal(say("Say to whom: names of people of the firm, or its mail addresses, parted by commas."), "to")
    if len(pieces) > MOST_TO:
        raise Refusal(
            say(
                "That is {pieces_count} people; {most_to} at most. Send a mail list of the firm instead.",
                pieces_count=len(pieces),
                most_to=MOST_TO,
            ),
            "to",
        )
    members = Membership.objects.filter(firm=firm, active=True).select_related("person")
    by_email = {each.person.email.casefold(): each for each in members}
    found, wrong, own = Recipients(), [], domains_of(firm)
    for piece in pieces:
        if _ADDRESS.fullmatch(piece):
            member = by_email.get(piece.casefold())
            if member is not None:
                found.members.append(member)
            elif piece.casefold().rpartition("@")[2] in own:
                found.addresses.append(piece.casefold())
            else:
                wrong.append(
                    say(
                        "{piece} is not an address of the firm ({list}).",
                        piece=piece[:60],
                        list=joined(", ", sorted(own)),
                    )
                )
            continue
        fits = [each for each in members if piece.casefold() in each.person.name.casefold()]
        same = [each for each in fits if each.person.name.casefold() == piece.casefold()]
        if len(same or fits) == 1:
            found.members.append((same or fits)[0])
        elif fits:
            wrong.append(
                say(
                    "“{piece}” fits several: {list}. Type more of one.",
                    piece=piece[:40],
                    list=joined(", ", (each.person.name for each in fits[:4])),
                )
            )
        else:
            wrong.append(say("Nobody of the firm is called “{piece}”.", piece=piece[:40]))
    if wrong:
        raise Refusal(joined(" ", wrong[:6]), "to")
    return found


def next_day(every: str, weekday: int, after: date) -> date | None:
    """Return the day on which a sending is due next, after a day; nothing where it waits for a closing or was once."""
    if every == Sending.Every.WEEK:
        return after + timedelta(days=(weekday - after.weekday() - 1) % 7 + 1)
    if every == Sending.Every.MONTH:
        end = month_end(after)
        return end if end > after else month_end(end + timedelta(days=1))
    return None


@transaction.atomic
def set_sending(member: Membership, kept_id: int, typed: SendingTyped) -> Sending:
    """Let a kept question of one's own be sent, once or again and again. Raises ``Refusal``, ``NotAllowed``, ``Stale``."""
    kept = kept_of(member, kept_id)
    if member.prepared_by is not None or kept.owner_id != member.pk:
        raise NotAllowed(say("Only who kept a question lets it be sent. Keep it for yourself first."))
    if kept.sendings.filter(stopped="").count() >= MOST_SENDINGS:
        raise Refusal(
            say("It goes out {most_sendings} ways already. Take one away first.", most_sendings=MOST_SENDINGS), "every"
        )
    if typed.every not in Sending.Every.values:
        raise Refusal(say("Choose when it goes out."), "every")
    forms = [form for form in FORMS if form in typed.forms]
    weekday = int(typed.weekday) if typed.weekday in tuple("0123456") else 0
    hour = int(typed.hour) if typed.hour.isdigit() and int(typed.hour) < 24 else 7
    here = clock.now().astimezone(ZoneInfo(member.firm.zone))
    today = here.date()
    # "Every Monday at 8", said on a Monday, begins today only where it is not yet 8.
    day, since = next_day(typed.every, weekday, today if here.hour >= hour else today - timedelta(days=1)), None
    if typed.every == Sending.Every.ONCE:
        day = _day(typed.day, today)
    elif typed.every == Sending.Every.CLOSED:
        since = Period.objects.filter(firm=member.firm).order_by("-month").values_list("month", flat=True).first()
    to = read_recipients(member.firm, typed.to)
    sending = Sending.objects.create(
        kept=kept, by=Membership.objects.get(pk=member.pk), every=typed.every, weekday=weekday, day=day, hour=hour, since_month=since, forms=forms,
        addresses=to.addresses, time=clock.now(),
    )  # fmt: skip
    sending.members.set(to.members)
    names = [each.person.name for each in to.members] + to.addresses
    record(
        member,
        say("lets a report be sent"),
        f"firm:{member.firm_id}",
        after={"report": kept.name, "every": typed.every, "day": day, "forms": forms, "to": names},
    )
    if typed.every == Sending.Every.ONCE and day == today:
        start(sending)
    return sending


def _day(text: str, today: date) -> date:
    if not text.strip():
        return today
    try:
        day = typed_day(text)
    except ValueError as error:
        raise Refusal(say("Choose the day on which it goes out."), "day") from error
    if not today <= day <= today + timedelta(days=730):
        raise Refusal(say("Choose a day from today on, within two years."), "day")
    return day


@transaction.atomic
def take_away(member: Membership, sending_id: int) -> None:
    """Let a question be sent no more. Raises ``Stale``, ``NotAllowed``."""
    row = Sending.objects.filter(pk=sending_id, kept__firm=member.firm).select_related("kept").first()
    if row is None:
        raise Stale(say("It is not sent any more."))
    if row.by_id != member.pk:
        raise NotAllowed(say("Only who set it up takes it away."))
    record(
        member,
        say("lets a report be sent no more"),
        f"firm:{member.firm_id}",
        before={"report": row.kept.name, "every": row.every},
    )
    row.delete()


def send_due() -> None:
    """Start what is due, and go on with what broke off; for the worker, each minute."""
    now = clock.now()
    for row in Sending.objects.filter(Q(day__isnull=False) | Q(every=Sending.Every.CLOSED), stopped="").select_related(
        "kept__firm"
    ):
        firm = row.kept.firm
        here = now.astimezone(ZoneInfo(firm.zone))
        if row.every == Sending.Every.CLOSED:
            newest = Period.objects.filter(firm=firm).order_by("-month").values_list("month", flat=True).first()
            if newest is not None and (row.since_month is None or newest > row.since_month):
                start(row)
        elif row.day is not None and (here.date() > row.day or (here.date() == row.day and here.hour >= row.hour)):
            start(row)
    quiet = Q(beat__lt=now - BROKEN_OFF) | Q(beat=None, time__lt=now - BROKEN_OFF)
    for run in Run.objects.filter(quiet, state=Run.State.WAITING, sending__isnull=False).select_related(
        "by__person", "by__firm"
    ):
        if run.time < now - GIVEN_UP:
            _failed(run, say("It was begun again and again and never ended. Send it to fewer, or ask for less."))
        else:
            work(run.pk)


@transaction.atomic
def start(sending: Sending) -> Run | None:
    """Begin a run of a sending and say when the next is due: whoever comes second begins nothing."""
    row = (
        Sending.objects.select_for_update(no_key=True)
        .select_related("kept__firm")
        .filter(pk=sending.pk, stopped="")
        .first()
    )
    if row is None or (row.day, row.since_month) != (sending.day, sending.since_month):
        return None
    today = clock.today(row.kept.firm.zone)
    if row.every == Sending.Every.CLOSED:
        row.since_month = (
            Period.objects.filter(firm=row.kept.firm).order_by("-month").values_list("month", flat=True).first()
        )
    # What was missed while nothing worked is sent once, not once for each day.
    row.day = next_day(row.every, row.weekday, max(today, row.day or today))
    row.save(update_fields=["day", "since_month"])
    run = Run.objects.create(
        firm=row.kept.firm,
        by=row.by,
        report=row.kept.report,
        kept=row.kept,
        sending=row,
        title=row.kept.name,
        sentence="",
        asked=row.kept.asked,
        time=clock.now(),
    )
    work(run.pk)
    return run


@on_commit_task()
def work(run_id: int) -> None:
    """Work a run out and send it to whom it was not sent yet; safe to call again. What fails is told to who set it up, and not tried for ever."""
    run = (
        Run.objects.select_related("by__person", "by__firm", "sending", "kept")
        .filter(pk=run_id, state=Run.State.WAITING)
        .first()
    )
    if run is None or run.sending is None:
        return
    try:
        _work(run, run.sending)
    except Refusal as refusal:
        _failed(run, refusal.message)
    except Exception:
        log.exception("run %s of a report failed", run_id)
        _failed(
            run,
            say(
                "Something went wrong that an administrator finds in the log. Ask it again; the next "
                "time it is due it is tried again."
            ),
        )


@dataclass(frozen=True)
class Seen:
    """An answer as somebody sees it."""

    words: str
    table: Table


def _work(run: Run, sending: Sending) -> None:
    owner = run.by
    if not owner.active:
        _stop(run, sending, say("{owner}, who set it up, has left the firm.", owner=owner.person.name))
        return
    report = reports().get(run.report)
    if report is None or not report.open_to(owner):
        _stop(run, sending, say("The report is not open any more to who set it up."))
        return
    catch_up(run.firm, most=10_000)
    owners = _Owners(run)
    mine = owners.seen()
    run.result, run.sentence, run.count = as_data(mine.table), mine.words[:400], len(mine.table.rows)
    run.beat = clock.now()
    run.save(update_fields=["result", "sentence", "count", "beat"])
    whom: list[Membership | str] = [
        *sending.members.select_related("person", "firm").order_by("pk"),
        *sending.addresses,
    ]
    # In one order each time: whoever stands within what is said to be sent has it, whatever they are called.
    for n, each in enumerate(whom[len(run.sent) :], len(run.sent) + 1):
        if not Run.objects.filter(pk=run.pk, state=Run.State.WAITING).exists():
            return
        name = each if isinstance(each, str) else each.person.name
        with transaction.atomic():
            became = (
                _to_address(run, sending, each, owners)
                if isinstance(each, str)
                else _to_member(run, sending, each, owners)
            )
            run.sent = [*run.sent, [name, became]]
            run.done = n * 100 // len(whom)
            run.beat = clock.now()
            run.save(update_fields=["sent", "done", "beat"])
    _ended(
        run,
        Run.State.DONE if run.count else Run.State.EMPTY,
        "" if run.count else say("Nothing fits the question: {mine_words}.", mine_words=mine.words),
    )


def _seen(run: Run, reader: Membership) -> Seen:
    report, eyes = reports()[run.report], Reader(reader)
    asked = read_rightly(report, eyes, run.asked)
    return Seen(sentence(report, eyes, asked), worked_out(report, eyes, asked))


class _Owners:
    """What whoever set a report up sees, worked out once in each language: names of countries are those of the language."""

    def __init__(self, run: Run) -> None:
        self._run = run
        self._found: dict[str, Seen] = {}

    def seen(self) -> Seen:
        """Return it in the language that is read now."""
        code = str(locale() or ENGLISH)
        if code not in self._found:
            self._found[code] = _seen(self._run, self._run.by)
        return self._found[code]


def _to_member(run: Run, sending: Sending, member: Membership, owners: _Owners) -> str:
    """Send it to somebody of the firm, as they see it."""
    if not member.active:
        return say("not sent: they have left the firm")
    report = reports()[run.report]
    if not report.open_to(member):
        return say("not sent: the report is not open to them")
    same = member.pk == run.by_id or (member.may["read_all"] and run.by.may["read_all"])
    with read_by(member.person.language, member.firm.language):
        seen = owners.seen() if same else _seen(run, member)
        text, body = _words(run, seen)
        files, problem = _files(run, sending, member, seen)
    tell(member, text, _link(run), joined("", (body, problem)), files)
    return (
        say("sent: came empty{problem}", problem=problem)
        if not seen.table.rows
        else say("sent{problem}", problem=problem)
    )


def _to_address(run: Run, sending: Sending, address: str, owners: _Owners) -> str:
    """Send it to an address of the firm that is nobody's own, as who set it up sees it."""
    if address.rpartition("@")[2] not in domains_of(run.firm):
        return say("not sent: it is not an address of the firm any more")
    with written_for(run.firm):
        seen = owners.seen()
        text, body = _words(run, seen)
        files, problem = _files(run, sending, run.by, seen)
        set_up = say("Set up by {by}, {run}.", by=run.by.person.name, run=run.firm.name)
        words = "\n\n".join((str(joined("", (body, problem))), f"{settings.ADDRESS}{_link(run)}", str(set_up)))
        mail = EmailMultiAlternatives(again(text)[:150], words, settings.DEFAULT_FROM_EMAIL, [address])
    for each in files:
        mail.attach(each.name, each.content, each.media_type)
    post(mail)
    return say("sent{problem}", problem=problem)


def _words(run: Run, seen: Seen) -> tuple[str, str]:
    if not seen.table.rows:
        return say("{run_title}: came empty", run_title=run.title), say(
            "{seen_words}: nothing fits the question this time.", seen_words=seen.words
        )
    return run.title, say("{seen_words}: {rows_count} rows.", seen_words=seen.words, rows_count=len(seen.table.rows))


def _files(run: Run, sending: Sending, member: Membership, seen: Seen) -> tuple[tuple[Enclosed, ...], str]:
    """The files that go with it, and what could not be made, in words. An empty answer needs none."""
    if not seen.table.rows:
        return (), ""
    told = Told(kept(run.title), seen.words, member, as_of(run.firm.zone))
    found, problems = [], []
    for form in sending.forms:
        try:
            found.append(
                Enclosed(
                    f"{slugify(run.title) or 'report'}.{form}",
                    file_of(form, told, seen.table),
                    TYPES[form].partition(";")[0],
                )
            )
        except Refusal as refusal:
            problems.append(refusal.message)
    return tuple(found), joined(" ", ("", *problems)) if problems else ""


def _link(run: Run) -> str:
    """Where the question is asked anew; it says of which firm it is, since its reader may be of several."""
    asked = read(reports()[run.report], Reader(run.by), run.asked).asked
    return f"/reports/{run.report}/?at={run.firm.slug}&{asked.address()}"


def _failed(run: Run, why: str) -> None:
    _ended(run, Run.State.FAILED, why)
    tell(
        run.by,
        say("{run_title} could not be worked out: {why}", run_title=run.title, why=why),
        f"/reports/runs/{run.pk}/",
    )


def _ended(run: Run, state: str, problem: str = "") -> None:
    Run.objects.filter(pk=run.pk, state=Run.State.WAITING).update(state=state, problem=problem[:300], done=100)


def _stop(run: Run, sending: Sending, why: str) -> None:
    Sending.objects.filter(pk=sending.pk).update(stopped=why[:200], day=None)
    _ended(run, Run.State.FAILED, why)


@transaction.atomic
def call_off(member: Membership, run_id: int) -> None:
    """Call off a run on its way: whom it was not sent yet, it is not sent. Raises ``Stale``."""
    done = Run.objects.filter(pk=run_id, by=member, firm=member.firm, state=Run.State.WAITING).update(
        state=Run.State.STOPPED, problem=say("Called off.")
    )
    if not done:
        raise Stale(say("It has ended already."))
    record(member, say("called off a report"), f"firm:{member.firm_id}", after={"run": run_id})


def when_words(sending: Sending, today: date) -> str:
    """When it goes out, in words."""
    if sending.stopped:
        return say("stopped: {stopped}", stopped=sending.stopped)
    if sending.every == Sending.Every.WEEK:
        return say(
            "every {date} at {hour}:00",
            date=as_figure(date(2024, 1, 1 + sending.weekday), "%A"),
            hour=as_figure(sending.hour, "02d"),
        )
    if sending.every == Sending.Every.ONCE:
        return (
            say("on {day}", day=as_figure(sending.day, "%d %b %Y"))
            if sending.day is not None
            else say("once; it was sent")
        )
    return (
        joined("", (kept(sending.get_every_display()), say(" at {hour}:00", hour=f"{sending.hour:02d}")))
        if sending.every == Sending.Every.MONTH
        else kept(sending.get_every_display())
    )
