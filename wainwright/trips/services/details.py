"""What else stands on a trip: answers, engagements, permissions, papers, the split, the copy of the profile."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from datetime import datetime
from pathlib import PurePath

from django.core.exceptions import ValidationError
from django.core.files.base import ContentFile
from django.core.validators import validate_email
from django.db import transaction

from wainwright import clock
from wainwright.accounts.selectors import books
from wainwright.accounts.splits import must_hold, parts_data
from wainwright.core.journey import Place
from wainwright.core.money import Money
from wainwright.core.rules.facts import PAPERS
from wainwright.core.said import said_by, say
from wainwright.core.splits import SplitPart
from wainwright.errors import Refusal, Stale
from wainwright.formats.pictures import media_type
from wainwright.formats.places import best_place
from wainwright.formats.problems import Unreadable
from wainwright.people.acting import must_be_oneself
from wainwright.people.files import drop_file
from wainwright.people.models import Membership
from wainwright.rulebook.selectors import rulebook
from wainwright.trips.figures import THROUGHOUT
from wainwright.trips.models import Paper, Trip
from wainwright.trips.moving import asked_of
from wainwright.trips.profile import FOR_ONE_TRIP, copy_of
from wainwright.trips.services.base import changed, mine

MOST_PAPERS, MOST_BYTES = 30, 15_000_000
_ENDINGS = {
    "image/jpeg": ".jpg",
    "image/png": ".png",
    "image/webp": ".webp",
    "image/heic": ".heic",
    "application/pdf": ".pdf",
}
HANDY = {"by-hand": "", THROUGHOUT: say("Meals are supplied throughout")}


@transaction.atomic
def answer(member: Membership, trip_id: int, answers: dict[str, str]) -> None:
    """Keep the answers to the firm's own questions; those it does not ask are left out."""
    trip = mine(member, trip_id)
    given = {code: text.strip()[:300] for code, text in answers.items() if text.strip()}
    before, trip.answers = trip.answers, {}
    for question in asked_of(rulebook(trip.firm), trip, given):
        if question.code not in given:
            continue
        try:
            trip.answers[question.code] = question.read(given[question.code])
        except ValueError as wrong:
            raise Refusal(said_by(wrong), question.code) from wrong
    changed(member, trip, say("answered the firm's questions"), before, trip.answers)


@transaction.atomic
def add_engagement(member: Membership, trip_id: int, title: str, place: Place, at: datetime) -> None:
    """Say what the traveller must be in time for: what, in which town, from when (local). Raises ``Refusal``."""
    trip = mine(member, trip_id)
    if len(title.strip()) < 2:
        raise Refusal(say("Say what it is that you must be in time for."), "title")
    if not 2000 <= at.year <= 2100:
        raise Refusal(say("Check the year."), "day")
    if len(trip.engagements) >= 20:
        raise Refusal(say("Twenty are enough for one trip. Take one off first."), "title")
    row = {
        "title": title.strip()[:80],
        "town": place.town,
        "zone": place.zone,
        "lat": place.lat,
        "lon": place.lon,
        "at": at.isoformat(),
    }
    trip.engagements = sorted([*trip.engagements, row], key=lambda r: r["at"])
    changed(member, trip, say("added an engagement"), None, row)


@transaction.atomic
def remove_engagement(member: Membership, trip_id: int, index: int) -> None:
    """Take an engagement off."""
    trip = mine(member, trip_id)
    if not 0 <= index < len(trip.engagements):
        raise Stale(say("That is gone already."))
    before, trip.engagements = trip.engagements[index], [r for n, r in enumerate(trip.engagements) if n != index]
    changed(member, trip, say("took an engagement off"), before, None)


@transaction.atomic
def add_permission(member: Membership, trip_id: int, code: str, title: str, comment: str) -> None:
    """Ask for a special permission by hand; each has a comment. Raises ``Refusal``."""
    trip = mine(member, trip_id)
    if code not in HANDY:
        raise Refusal(say("Choose a permission of the list."), "code")
    title = HANDY[code] or title.strip()[:80]
    if len(title) < 3:
        raise Refusal(say("Say what is to be allowed."), "title")
    if len(comment.strip()) < 5:
        raise Refusal(say("Say in a few words why it is needed."), "comment")
    if any(p["title"] == title for p in trip.permissions):
        raise Refusal(say("That permission stands on the trip already."), "title")
    row = {"code": code, "title": title, "comment": comment.strip()[:300]}
    trip.permissions = [*trip.permissions, row]
    changed(member, trip, say("asked for a special permission"), None, row)


@transaction.atomic
def remove_permission(member: Membership, trip_id: int, index: int) -> None:
    """Take a permission off that was added by hand."""
    trip = mine(member, trip_id)
    if not 0 <= index < len(trip.permissions):
        raise Stale(say("That permission is gone already."))
    before, trip.permissions = trip.permissions[index], [p for n, p in enumerate(trip.permissions) if n != index]
    changed(member, trip, say("took a special permission off"), before, None)


@transaction.atomic
def add_paper(member: Membership, trip_id: int, kind: str, name: str, content: bytes) -> Paper:
    """Attach a paper of a kind: a picture or a PDF, judged by its content. Raises ``Refusal``."""
    trip = mine(member, trip_id, editable=False)
    if trip.state in Trip.OVER:
        raise Stale(say("The trip stands at {state}: nothing is attached to it now.", state=trip.state))
    if kind not in PAPERS:
        raise Refusal(say("Say what kind of paper it is."), "kind")
    if not content:
        raise Refusal(say("Choose a file first; this one is empty."), "file")
    if len(content) > MOST_BYTES:
        raise Refusal(
            say("The file has {content_count} MB; 15 MB is the most.", content_count=len(content) // 1000000), "file"
        )
    try:
        media = media_type(content)
    except Unreadable as error:
        raise Refusal(said_by(error), "file") from error
    digest = hashlib.sha256(content).hexdigest()
    if Paper.objects.filter(trip=trip, sha256=digest).exists():
        raise Refusal(say("This file is on the trip already."), "file")
    if Paper.objects.filter(trip=trip).count() >= MOST_PAPERS:
        raise Refusal(say("A trip has at most {most_papers} papers.", most_papers=MOST_PAPERS), "file")
    shown = PurePath(name.replace("\\", "/")).name[-120:] or kind
    paper = Paper(trip=trip, kind=kind, name=shown, sha256=digest, media_type=media, added=clock.now())
    paper.file.save(f"{digest[:24]}{_ENDINGS[media]}", ContentFile(content), save=False)
    paper.save()
    changed(member, trip, say("attached a paper"), None, {"kind": kind, "name": shown, "sha256": digest})
    return paper


@transaction.atomic
def remove_paper(member: Membership, trip_id: int, paper_id: int) -> None:
    """Take a paper off a plan that is not signed yet."""
    trip = mine(member, trip_id)
    paper = Paper.objects.filter(trip=trip, pk=paper_id).first()
    if paper is None:
        raise Stale(say("That paper is gone already."))
    before = {"kind": paper.kind, "name": paper.name, "sha256": paper.sha256}
    drop_file(paper.file)
    paper.delete()
    changed(member, trip, say("took a paper off"), before, None)


@transaction.atomic
def split_plan(
    member: Membership, trip_id: int, about: str, label: str, parts: Sequence[SplitPart], whole: Money | None = None
) -> None:
    """Split the plan as a whole ("all"), a category ("category:lodging") or one cost ("line:leg:3") over codings.

    No parts take the split off. Raises ``Refusal`` where shares do not add up, amounts not to ``whole``, or a coding does
    not hold together.
    """
    trip = mine(member, trip_id)
    if not (about == "all" or about.startswith(("category:", "line:"))) or len(about) > 60:
        raise Refusal(say("Say what is to be split."), "about")
    rows = [row for row in trip.shares if row["about"] != about]
    if parts:
        must_hold(parts, whole, books(trip.firm), trip.starts or clock.today(trip.firm.zone))
        rows.append({"about": about, "label": label[:80], "parts": parts_data(parts)})
    before, trip.shares = trip.shares, rows
    changed(member, trip, say("split the plan"), before, rows)


@transaction.atomic
def change_copy(member: Membership, trip_id: int, name: str, value: str, for_good: bool) -> None:
    """Change one field of the copy of the profile, for this trip alone or for the profile too. Raises ``Refusal``."""
    trip = mine(member, trip_id, editable=False)
    if trip.state in Trip.OVER or name not in FOR_ONE_TRIP:
        raise Refusal(say("That cannot be changed on this trip."), name)
    value = value.strip()[:120]
    if name == "itinerary_email":
        try:
            validate_email(value)
        except ValidationError as error:
            raise Refusal(say("“{value}” is no e-mail address.", value=value), name) from error
    if name in ("home", "work") and value:
        found = best_place(value)
        if found is None:
            raise Refusal(say("No place is known as “{value}”.", value=value), name)
        value = found.code
    before = dict(trip.profile)
    trip.profile = trip.profile | {name: value}
    if for_good:
        must_be_oneself(member)
        kept = Membership.objects.select_for_update(no_key=True).get(pk=member.pk)
        limit = {"home": 20, "work": 20, "phone": 30}.get(name, 120)
        setattr(kept, {"home": "home_code", "work": "work_code"}.get(name, name), value[:limit])
        kept.save()
    changed(
        member,
        trip,
        say("changed details for the trip") + (say(" and for good") if for_good else ""),
        before,
        trip.profile,
    )


@transaction.atomic
def take_profile(member: Membership, trip_id: int) -> None:
    """Take the profile as it is now for this trip."""
    trip = mine(member, trip_id, editable=False)
    if trip.state in Trip.OVER:
        raise Stale(say("The trip stands at {state}: it stays as it was.", state=trip.state))
    before, trip.profile = trip.profile, copy_of(Membership.objects.select_related("person").get(pk=member.pk))
    changed(member, trip, say("took the profile as it is"), before, trip.profile)


def file_of(trip: Trip, paper_id: int) -> Paper:
    """Return a paper of a trip. Raises ``Paper.DoesNotExist``."""
    return Paper.objects.get(trip=trip, pk=paper_id)
