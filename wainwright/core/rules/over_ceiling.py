"""Lodging over the ceiling of its place."""

from __future__ import annotations

from collections.abc import Iterator

from wainwright.core.money import total
from wainwright.core.rules.base import Cure, Hit, Kind, Setting, kind
from wainwright.core.rules.facts import Subject
from wainwright.core.said import say
from wainwright.core.workings import day_text


@kind
class OverCeiling(Kind):
    """Nights of one stay at the same price over are one finding; where quarters could have been had, another kind speaks.

    On a claim a bill for a night whose quarters are supplied on the trip is over by all of it.
    """

    code = "over_ceiling"
    title = say("Lodging over the ceiling")
    about = say("Lodging over the ceiling of its place.")
    needs = frozenset({"journey"})

    def check(self, subject: Subject, setting: Setting) -> Iterator[Hit]:
        """Yield one hit for every stay that is over, with the figure a night."""
        stays: dict[tuple[str, str], list[int]] = {}
        for index, night in enumerate(subject.nights):
            apart = f"night:{night.night.date.isoformat()}" in subject.quarters
            if not apart and night.over and not night.night.supplied and night.ceiling is not None:
                key = (night.night.name or night.night.place.town, str(night.over))
                stays.setdefault(key, []).append(index)
        for night in subject.nights if subject.kind == "claim" else ():
            if night.night.supplied and night.cost.minor > 0:
                text = say(
                    "The night of {date} costs {cost}, while quarters are supplied on the trip. Without the "
                    "permission it is not paid.",
                    date=day_text(night.night.date),
                    cost=night.cost,
                )
                target = f"night:{night.night.date.isoformat()}"
                yield Hit(target, text, Cure(say("Say why quarters were paid"), target), night.cost)
        for (name, _), indexes in stays.items():
            first = subject.nights[indexes[0]]
            over = total((subject.nights[i].over for i in indexes), subject.currency)
            nights = (
                say("one night") if len(indexes) == 1 else say("{indexes_count} nights", indexes_count=len(indexes))
            )
            text = say(
                "{name} is {over} a night over the {ceiling} ceiling for {town}, {nights} from {date}.",
                name=name,
                over=first.over,
                ceiling=first.ceiling,
                town=first.night.place.town,
                nights=nights,
                date=day_text(first.night.date),
            )
            if subject.kind == "claim":
                text += say(" Without the permission {over} is not paid.", over=over)
            target = f"night:{first.night.date.isoformat()}"
            also = tuple(f"night:{subject.nights[i].night.date.isoformat()}" for i in indexes[1:])
            yield Hit(target, text, Cure(say("Choose a cheaper stay"), target), over, also)
