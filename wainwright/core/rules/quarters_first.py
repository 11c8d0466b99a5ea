"""Lodging elsewhere where quarters are supplied."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.allowance.lodging import NightAllowed
from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.said import say
from wainwright.core.workings import day_text


@kind
class QuartersFirst(Kind):
    """Supplied quarters come first; that they were full is recorded on the night."""

    code = "quarters_first"
    title = say("Supplied quarters not taken")
    about = say("Lodging elsewhere where quarters are supplied.")
    needs = frozenset({"journey"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield one hit for each house that was taken instead, from its first night on."""
        houses: dict[tuple[str, str], list[str]] = {}
        first: dict[tuple[str, str], NightAllowed] = {}
        for night in subject.nights:
            key = f"night:{night.night.date.isoformat()}"
            if key in subject.quarters:
                house = (night.night.name or night.night.place.town, subject.quarters[key])
                houses.setdefault(house, []).append(key)
                first.setdefault(house, night)
        for house, keys in houses.items():
            night = first[house]
            text = say(
                "{house} costs {cost} from {date}, while {house_2} is supplied in {town}. Without a "
                "record that it was full, nothing is allowed.",
                house=house[0],
                cost=night.cost,
                date=day_text(night.night.date),
                house_2=house[1],
                town=night.night.place.town,
            )
            yield Hit(keys[0], text, Cure(say("Record that it was full"), "quarters"), night.cost, tuple(keys[1:]))
