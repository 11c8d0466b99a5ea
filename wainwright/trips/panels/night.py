"""A stay: nights alike, one after the other, with the room that is booked for them."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, time
from decimal import Decimal
from typing import Any

from wainwright.core.money import Money, total
from wainwright.core.rules import Level
from wainwright.core.said import joined, say, say_many
from wainwright.errors import Refusal
from wainwright.trips.figures import b_key
from wainwright.trips.forms import FullForm, StayForm
from wainwright.trips.models import Night
from wainwright.trips.panels.base import Line, LinePanel, Page, act
from wainwright.trips.panels.booked import PAYS, booked_facts, booking_of, level_on, said_on, until_words
from wainwright.trips.selectors import load_file, trip_for
from wainwright.trips.services import nights, plan

# Where a stay stands among the moves of its first day: after them all.
LATE = time(23, 59)


def _key(night: Night) -> str:
    return f"night:{night.date.isoformat()}"


class NightPanel(LinePanel):
    """A stay against its ceiling: another house, supplied, the ceiling lifted, slept elsewhere from a night on."""

    name = "night"
    title = say("Stay")

    def lines(self, page: Page) -> Sequence[Line]:
        """One for each stay, with what its nights come to."""
        return [self._line(page, stay) for stay in page.file.stays]

    def _line(self, page: Page, stay: list[Night]) -> Line:
        first, booking = stay[0], booking_of(page, stay[0].booking_id)
        town, keys = first.place["town"], [_key(night) for night in stay]
        price = total((Money.from_minor(n.cost_minor, page.trip.currency) for n in stay), page.trip.currency)
        what = joined("", (first.name, ", ", town)) if first.name and town not in first.name else first.name or town
        words = ["" if first.name or first.supplied else say("no house yet"), _against(page, first)]
        said = said_on(page, *keys)
        state = booking.state if booking else "supplied" if first.supplied else "planned"
        return Line(
            f"night-{first.date.isoformat()}", datetime.combine(first.date, LATE), "stay",
            say_many("{count} night", "{count} nights", len(stay)), what, joined(", ", filter(None, [*words, say("“{text}”", text=said) if said else ""])),
            state, until_words(page, booking), bool(booking and booking.problem), price,
            level_on(page, *keys, *([b_key(booking)] if booking else []), *(["quarters"] if _unrecorded(page, stay) else [])),
        )  # fmt: skip

    def proper(self, page: Page, which: str) -> str | None:
        """A stay is found by any of its nights, since it grows and shrinks; its first one names it."""
        stay = _stay(page, which)
        return stay[0].date.isoformat() if stay else None

    def answers(self, target: str, page: Page) -> str:
        """A night, the supplied quarters of the first that has none, and a room."""
        kind, _, which = target.partition(":")
        if kind == "quarters" and page.file.figures.quarters:
            which = min(page.file.figures.quarters).partition(":")[2]
            kind = "night"
        if kind == "night":
            stay = _stay(page, which)
            return f"night-{stay[0].date.isoformat()}" if stay else ""
        if kind == "booking":
            found = next((n for n in page.file.nights if str(n.booking_id) == which), None)
            return f"night-{found.date.isoformat()}" if found else ""
        return ""

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """The stay, its ceiling with workings, and the forms that are asked for."""
        stay = _stay(page, which) or []
        first, booking = stay[0], booking_of(page, stay[0].booking_id)
        found = {n.night.date: n for n in page.file.figures.nights}
        initial = {
            "name": first.name, "cost": Money.from_minor(first.cost_minor, page.trip.currency).amount, "paid_by": first.paid_by,
            "supplied": first.supplied, "lifted": first.lifted, "lodging": first.lodging,
        }  # fmt: skip
        # Whoever opens a night that is not booked has come to say where they sleep; one that is booked has other acts.
        change = page.editable and (page.do == "change" or (booking is None and page.do == ""))
        return {
            "stay": stay, "first": first, "allowed": found.get(first.date), "night_pays": PAYS[first.paid_by],
            "free": page.editable and booking is None,
            "form": page.form("stay_form", lambda: StayForm(initial=initial, auto_id="stay_%s", lodgings=page.file.book.lodgings)) if change else None,
            "full_form": page.form("full_form", FullForm) if page.editable and page.do in ("", "full") and _unrecorded(page, stay) else None,
            **booked_facts(page, booking),
        }  # fmt: skip

    @act("stay/", "stay", sums=True)
    def change(self, page: Page) -> str:
        """Change the nights of a stay together."""
        post = page.request.POST
        try:
            dates = [date.fromisoformat(text) for text in post.getlist("night")]
        except ValueError:
            dates = []
        name = f"night-{dates[0].isoformat()}" if dates else ""
        form = StayForm(post, auto_id="stay_%s", lodgings=page.file.book.lodgings)
        d = page.valid("stay_form", form, name, "change")
        with page.trying("stay_form", form, name, "change"):
            nights.set_stay(
                page.member, page.trip.pk, dates, d["name"], d["cost"] or Decimal(0), d["paid_by"], d["supplied"], d["lifted"], d.get("lodging")
            )  # fmt: skip
            if d["why"]:
                _explain(page, dates, d["why"])
        return name

    @act("stay/stretch/", "stay-stretch", sums=True)
    def stretch(self, page: Page) -> None:
        """Move the end of a stay, as it was dragged."""
        start, last = (
            day_of(page.request.POST.get(n, ""), say("Say from which night to which.")) for n in ("start", "last")
        )
        nights.stretch_stay(page.member, page.trip.pk, start, last)

    @act("stay/split/", "stay-split", sums=True)
    def split(self, page: Page) -> str:
        """Sleep elsewhere from a night on."""
        day = day_of(page.request.POST.get("day", ""), say("Choose the night."))
        nights.split_stay(page.member, page.trip.pk, day)
        return f"night-{day.isoformat()}"

    @act("quarters/", "quarters", sums=True)
    def quarters_full(self, page: Page) -> str:
        """Record that supplied quarters were full."""
        form, keys = FullForm(page.request.POST), sorted(page.file.figures.quarters)
        name = f"night-{keys[0].partition(':')[2]}" if keys else ""
        d = page.valid("full_form", form, name, "full")
        dates = [date.fromisoformat(key.partition(":")[2]) for key in keys]
        with page.trying("full_form", form, name, "full"):
            nights.record_full(page.member, page.trip.pk, dates, d["when"].isoformat(), d["who"], d["reference"])
        return name


def _explain(page: Page, dates: Sequence[date], words: str) -> None:
    """Answer what asks for a reason of these nights, and of the ceiling that is lifted for them, with the same words."""
    file = load_file(page.member, trip_for(page.member, page.trip.pk))
    asked = [each.finding for each in file.findings if each.open and each.finding.level == Level.EXPLAIN]
    about = {_key(night) for night in file.nights if night.date in dates}
    mine = [each for each in asked if each.target in about or each.identity.startswith("permission-ceiling")]
    if mine:
        reasons = {each.identity: each.reasons[0] for each in mine if each.reasons}
        plan.explain(page.member, page.trip.pk, mine, [each.identity for each in mine], reasons, words)


def day_of(text: str, words: str) -> date:
    """Read a day of a form's hidden field or date box. Raises ``Refusal`` with these words."""
    try:
        return date.fromisoformat(text)
    except ValueError as error:
        raise Refusal(words) from error


def _stay(page: Page, which: str) -> list[Night] | None:
    return next((stay for stay in page.file.stays if any(n.date.isoformat() == which for n in stay)), None)


def _unrecorded(page: Page, stay: list[Night]) -> bool:
    return any(_key(night) in page.file.figures.quarters for night in stay)


def _against(page: Page, night: Night) -> str:
    """A night against its ceiling, in words."""
    found = next((n for n in page.file.figures.nights if n.night.date == night.date), None)
    if found is None or night.supplied or found.ceiling is None:
        return ""
    if found.over:
        return say("{over} a night over the ceiling of {ceiling}", over=found.over, ceiling=found.ceiling)
    under = found.ceiling - found.cost
    return say("ceiling {ceiling}", ceiling=found.ceiling) + (
        say(", {under} under", under=under) if under.minor else ""
    )


PANEL = NightPanel()
