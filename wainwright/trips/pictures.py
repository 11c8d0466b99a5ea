"""The pictures of a trip: its ribbon and its map."""

from __future__ import annotations

from datetime import date

from wainwright.core.journey import Mode
from wainwright.core.said import kept
from wainwright.drawing.map import draw_map
from wainwright.drawing.ribbon import Ribbon, RibbonData, Spend, draw
from wainwright.trips.facts import hosted
from wainwright.trips.figures import TripFigures
from wainwright.trips.selectors import TripFile


def ribbon_of(file: TripFile, spends: list[Spend], room: int | None = None) -> Ribbon | None:
    """Draw the ribbon of a trip, with what holds still and what is due on which day."""
    data = data_of(file, spends)
    return draw(data, room) if room else draw(data)


def data_of(file: TripFile, spends: list[Spend]) -> RibbonData:
    """Return what the ribbon of a trip is drawn from."""
    booked = frozenset(f"leg:{leg.pk}" for leg in file.legs if leg.booking_id)
    asks: dict[date, str] = {}
    if file.trip.starts:
        for kind in papers_asked(file):
            asks.setdefault(paper_day(file), kind)
    ends = {stay[0].date: stay[-1].date for stay in file.stays if stay[0].booking_id is None}
    firsts = {night.date: stay[0].date for stay in file.stays for night in stay}
    return RibbonData(
        file.figures.journey, file.figures.allowance, file.figures.nights, spends, booked, asks, ends, firsts
    )  # fmt: skip


def papers_asked(file: TripFile) -> list[str]:
    """The kinds of paper that findings still ask for."""
    open_ones = [each.finding for each in file.judged if each.finding.cure.target == "papers" and each.open]
    return list(dict.fromkeys(f.cure.label.removeprefix("Attach the ") for f in open_ones))


def paper_day(file: TripFile) -> date | None:
    """The day on which a paper is due: that of its night, the first with a supplied meal, else the first."""
    lifted = [night.date for night in file.nights if night.lifted]
    if lifted:
        return lifted[0]
    days = hosted(file.figures.journey, file.nights)
    return days[0] if days else file.trip.starts


def spends_of(file: TripFile, expenses: list) -> list[Spend]:
    """What was spent, day by day; before that, what is expected."""
    if expenses:
        return [
            Spend(e.date, e.label, e.amount, e.paid_by != "self",
                  e.kind == "mileage" or e.personal or bool(e.receipts.all()), f"/expenses/{e.pk}/")
            for e in expenses
        ]  # fmt: skip
    return [
        Spend(e.day, str(kept(e.label)), e.amount, e.paid_by != "self", True) for e in file.figures.estimates if e.day
    ]


def map_of(done: TripFigures):
    """The journey on the map."""
    legs = [(leg.origin, leg.target, Mode(leg.mode)) for leg in done.journey.legs]
    return draw_map(legs, [night.place for night in done.journey.nights])
