"""Writing versions of a plan: one at each certification, one by each later act that changes what was authorised."""

from __future__ import annotations

from dataclasses import replace

from django.utils import translation

from wainwright import clock
from wainwright.accounts.services import use_budgets
from wainwright.core.said import say
from wainwright.language import ENGLISH
from wainwright.people.models import Membership
from wainwright.trail.services import record
from wainwright.trips import letters
from wainwright.trips.frozen import as_signed, freeze, thaw
from wainwright.trips.models import Trip, TripVersion
from wainwright.trips.selectors import TripFile, load_file
from wainwright.trips.versions import as_data, frozen_of, lines_of

COMMITTED = ("Authorised", "Under way")


def write(file: TripFile, act: str, signed_name: str = "", signed_by: str = "") -> TripVersion:
    """Keep a plan as the next version of its trip. Inside the caller's transaction; the caller saves the trip."""
    trip, done = file.trip, file.figures
    last = trip.versions.order_by("-number").values_list("number", flat=True).first() or 0
    by_category: dict[str, int] = {}
    for each in done.estimates:
        by_category[each.category] = by_category.get(each.category, 0) + each.amount.minor
    # Kept in English, whoever signs: letters say it again in the firm's language.
    with translation.override(ENGLISH):
        frozen = freeze(frozen_of(file, letters.rows_of(file)))
    version = TripVersion.objects.create(
        trip=trip, number=last + 1, lines=as_data(lines_of(file)), act=act[:200], total_minor=done.total.minor,
        allowance_minor=done.allowance.amount.minor, by_category=by_category,
        frozen=frozen, signed_name=signed_name, signed_by=signed_by,
        time=clock.now(),
    )  # fmt: skip
    if signed_name:
        trip.signed = version
    return version


def amend(who: Membership, trip: Trip, act: str) -> None:
    """Keep what an act has made of an authorised plan as its next version, and commit that of the budgets.

    What the act did not touch stays as it was signed, whatever rates say today. Inside the caller's transaction.
    """
    if trip.state not in COMMITTED:
        return
    before = trip.versions.order_by("-number").first()
    file = load_file(trip.traveller, trip)
    plan = thaw(before.frozen) if before else None
    if plan is not None:
        file = replace(file, figures=as_signed(plan.figures, file.figures))
    version = write(file, act)
    commit(trip, file)
    record(
        who, say("changed what was authorised"), trip.subject,
        before={"version": before.number if before else 0, "total": before.total_minor if before else 0},
        after={"version": version.number, "total": version.total_minor, "act": act},
    )  # fmt: skip


def commit(trip: Trip, file: TripFile) -> None:
    """Commit of the budgets what a plan comes to. Inside the caller's transaction."""
    year = trip.firm.year_of(trip.starts or clock.today(trip.firm.zone))
    use_budgets(trip.firm, year, trip.subject, file.by_code, actual=False)
