"""Small helpers of the templates."""

from __future__ import annotations

from datetime import date, datetime
from decimal import Decimal
from functools import cache
from pathlib import Path
from zoneinfo import ZoneInfo

from django import template
from django.conf import settings
from django.http import QueryDict
from django.template.loader import render_to_string
from django.utils.html import format_html, json_script
from django.utils.safestring import SafeString, mark_safe
from django.utils.translation import get_language, ngettext

from wainwright.core.journey import place_said
from wainwright.core.money import Money
from wainwright.core.rules import Level
from wainwright.core.said import as_figure, joined, say, say_many
from wainwright.core.states import STAGES
from wainwright.core.workings import as_number, day_text, moment_text
from wainwright.drawing.ribbon import day_range
from wainwright.language import day_words, in_box, in_signs, locale, lowered, range_words, strftime_words, sum_words
from wainwright.people.selectors import demo_people as people_of_demo
from wainwright.reading import again as said_again
from wainwright.web.script_words import script_words as in_their_words

register = template.Library()
ICONS = Path(__file__).resolve().parent.parent / "icons"
MODE_ICONS = {
    "air": "plane", "rail": "train-front", "ferry": "ship", "coach": "bus", "hire car": "car-front", "own car": "car",
    "taxi": "car-taxi-front", "on foot": "footprints", "stay": "bed", "fee": "file-text",
}  # fmt: skip


@register.filter
def money(amount: Money | str | None) -> str:
    """An amount with its decimals, a true minus, and no currency; one that was kept as text too."""
    if isinstance(amount, str):
        return str(as_number(amount))
    return "" if amount is None else sum_words(amount)


@register.filter
def figure(amount: Decimal) -> str:
    """Write an amount without its currency: 1,240.50."""
    return in_signs(f"{amount:,.2f}")


@register.filter
def entries_of(done: int, whole: int) -> str:
    """How far the reading of a file is: 12,000 of about 50,000 entries."""
    return say("{done} of about {whole} entries", done=as_figure(min(done, whole), ","), whole=as_figure(whole, ","))


@register.filter
def day(value: date | datetime | None) -> str:
    """``Mon 12 Oct``."""
    return day_words(value) if value else ""


@register.filter
def long_day(value: date | None) -> str:
    """``12 October 2026``."""
    if not value:
        return ""
    return strftime_words(value, "%-d %B %Y")


@register.filter
def clock_time(value: datetime, zone: str = "UTC") -> str:
    """A moment in somebody's zone: ``Mon 12 Oct 14:08``."""
    local = value.astimezone(ZoneInfo(zone))
    return moment_text(local)


@register.filter
def span(thing) -> str:
    """The days of a trip."""
    if locale() is None or thing.starts is None or thing.ends is None:
        return day_range(thing.starts, thing.ends)
    return range_words(thing.starts, thing.ends)


@register.filter
def days_left(value: int | None) -> str:
    """``due in 3 days``."""
    if value is None:
        return ""
    if value == 0:
        return say("due today")
    if value < 0:
        return say_many("{count} day late", "{count} days late", -value)
    return say_many("due in {count} day", "due in {count} days", value)


@register.filter
def plural(count: int, words: str) -> str:
    """``{{ 3|plural:"paper,papers" }}`` is "3 papers"."""
    one, many = (f"%(count)s {each}" for each in words.split(","))
    if locale() is None:
        return (one if count == 1 else many) % {"count": count}
    return ngettext(one, many, count) % {"count": count}


@register.filter
def said(text) -> str:
    """A text of ours that was kept, in the reader's language; what people typed is not given to it."""
    if not isinstance(text, str):
        return text
    words = said_again(text)
    return mark_safe(words) if isinstance(text, SafeString) else words


@register.filter
def place(name: str) -> str:
    """The name of a place as it is kept: an airport's in the reader's language."""
    return str(place_said(name))


@register.filter
def small(text) -> str:
    """Words within a sentence: they begin with a small letter, but in German, where a noun keeps its large one."""
    return lowered(str(text))


@register.filter
def number(text: str) -> str:
    """A number that was kept as text, with the signs of the reader's language; any other text as it stands."""
    return as_number(text)


@register.filter
def in_full(number: Decimal) -> str:
    """A number with all of its decimals, as the reader's language writes it."""
    return in_signs(f"{number:,}")


@register.filter
def quoted(text: str) -> str:
    """What somebody said, between the marks of the reader's language; nothing of nothing."""
    return str(say("“{text}”", text=text)) if text else ""


@register.filter
def box(number: Decimal) -> str:
    """A number as it stands in a box to be typed over, in the reader's language; what was typed before stays as it was typed."""
    return in_box(number) if isinstance(number, Decimal) else f"{number}"


@register.filter
def as_key(text: str) -> str:
    """A text of ours as a page sends it back: the same whoever reads it."""
    return f"{text}"


@register.filter
def per_cent(share: float) -> str:
    """A share from 0 to 1 as per cent."""
    return in_signs(f"{float(share) * 100:.0f} %")


@register.filter
def share(per_cent: Decimal) -> str:
    """A share in per cent, with as many decimals as it has, the same everywhere: "33.3 %", "60 %"."""
    return in_signs(f"{round(Decimal(per_cent), 4).normalize():f}") + " %"


@register.filter
def times(value: float, factor: float) -> float:
    """Multiply, for drawing."""
    return round(float(value) * float(factor), 2)


@register.filter
def add_float(one: float, other: float) -> float:
    """Add, for drawing."""
    return round(one + other, 2)


@register.filter
def minus(one: float, other: float) -> float:
    """Subtract, for drawing."""
    return round(one - other, 2)


@register.filter
def add_text(text: str, value) -> str:
    """Put something after a text."""
    return f"{text}{value}"


@register.filter
def from_minor(minor: int, currency: str) -> Money:
    """An amount from whole minor units."""
    return Money.from_minor(minor, currency)


@register.filter
def cure_of(finding) -> str:
    """Where a finding is cured: where the thing itself stands; nothing where a reason is all there is to give."""
    gives_reason = finding.level == Level.EXPLAIN and finding.cure.label.startswith("Say ")
    return "" if gives_reason else cure_link(finding.target)


@register.filter
def read(receipt, name: str) -> str:
    """A field of a receipt as it was read, a sum with the signs of the reader's language; or nothing."""
    return as_number(receipt.value(name))


@register.filter
def read_day(receipt) -> str:
    """The date of a receipt as people write it."""
    text = receipt.value("date")
    return day_text(date.fromisoformat(text)) if text else say("no date read")


@register.filter
def cure_link(target: str) -> str:
    """Where the cure of a finding is found: the expense itself, or the place on the page."""
    kind, _, number = target.partition(":")
    if kind == "expense":
        return f"/expenses/{number}/"
    return {"trip": "#certify", "claim": "#certify", "profile": "/profile/"}.get(kind, f"#{target}")


@register.filter
def get(mapping, key):
    """A value of a mapping by a key that is a variable."""
    return mapping.get(key, "")


@register.filter
def at(items, index: int):
    """An item of a list, or nothing."""
    return items[index] if index < len(items) else {}


@register.filter
def iso_day(text: str) -> str:
    """A kept day: "Mon 12 Oct"."""
    return day_text(date.fromisoformat(text))


@register.filter
def iso_moment(text: str) -> str:
    """A kept local moment: "Mon 12 Oct 14:00"."""
    moment = datetime.fromisoformat(text)
    return moment_text(moment)


@register.filter
def line_name(key: str, estimates) -> str:
    """What a line of a plan is called."""
    return next((e.label for e in estimates if e.key == key), say("a line that is gone"))


@register.filter
def again(booking) -> str:
    """The address of a search for what would take a booking's place: its ways, each on its own day."""
    query = QueryDict(mutable=True)
    ways: dict[str, list[dict]] = {}
    for hop in booking.hops:
        ways.setdefault(hop["key"], []).append(hop)
    for hops in ways.values():
        query.appendlist("from", f"{hops[0]['origin']['name']} ({hops[0]['origin']['code']})")
        query.appendlist("to", f"{hops[-1]['target']['name']} ({hops[-1]['target']['code']})")
        query.appendlist("on", hops[0]["leaves"][:10])
        query.appendlist("when", "any")
        query.appendlist("at", "")
    return f"&{query.urlencode()}"


@cache
def _svg(name: str) -> str:
    return (ICONS / f"{name}.svg").read_text(encoding="utf-8")


@register.simple_tag
def script_words() -> SafeString:
    """The texts of scripts in the reader's language, for ``words.js``; nothing in English."""
    words = in_their_words()
    return json_script(words, "script-words") if words else SafeString("")


@register.simple_tag
def icon(name: str) -> SafeString:
    """An icon of the one set; ``name`` may be a mode of travel."""
    return mark_safe(_svg(MODE_ICONS.get(name, name)))


@register.filter
def modulo(number: int, by: int) -> int:
    """What is left of a division, for what comes round again."""
    return number % by


@register.inclusion_tag("ui/split_small.html")
def divided(pieces):
    """A small divided bar of the codings of one line, each with its share."""
    x, found = Decimal(0), []
    for n, piece in enumerate(pieces):
        width = min(Decimal(piece.share or 0), 100 - x)
        found.append(
            {
                "x": round(float(x), 2),
                "width": round(float(width), 2),
                "shade": n % 6,
                "words": joined("", (piece.coding, " ", share(piece.share))),
            }
        )
        x += width
    return {"pieces": found}


@register.simple_tag
def swap() -> SafeString:
    """Attributes that let a form change only the page's main part, keeping focus and scroll; without JavaScript it posts."""
    return mark_safe(
        'hx-boost="true" hx-target="#page" hx-select="#page" hx-swap="outerHTML show:none focus-scroll:false" hx-push-url="false"'
    )


@register.simple_tag
def here() -> SafeString:
    """Let a form of a page of panels answer in place: what it changed is put where it belongs; without JavaScript it posts."""
    return mark_safe('hx-boost="true"')


@register.simple_tag
def demo_people():
    """Who can sign in to the demo."""
    return people_of_demo() if settings.DEMO else []


@register.inclusion_tag("ui/stage_line.html")
def stage_line(reached: int):
    """The eight stages, with the one at hand."""
    rows = [
        {"name": said(name), "x": 44 + n * 69, "state": "done" if n < reached else "now" if n == reached else "ahead"}
        for n, name in enumerate(STAGES)
    ]
    done_x = 44 + min(reached, 7) * 69
    word = said(STAGES[reached]) if reached < len(STAGES) else say("all done")
    return {"rows": rows, "done_x": done_x, "last_x": 44 + 7 * 69, "word": word}


@register.simple_tag
def wheel(reached: int, size: int = 40) -> SafeString:
    """The small form of the stage line: eight spokes. There are few of them, and a list has one in each row."""
    return _wheel(reached, size, get_language() or "")


@cache
def _wheel(reached: int, size: int, language: str) -> SafeString:
    ends = [(0, -14), (9.9, -9.9), (14, 0), (9.9, 9.9), (0, 14), (-9.9, 9.9), (-14, 0), (-9.9, -9.9)]
    spokes = [{"x": x, "y": y, "done": n < reached} for n, (x, y) in enumerate(ends)]
    word = say("{reached} of 8 stages done", reached=reached)
    context = {"spokes": spokes, "size": size, "word": word, "all": reached >= len(STAGES)}
    return render_to_string("ui/wheel.html", context)


@register.simple_tag
def mark(level: str, size: int = 13) -> SafeString:
    """A finding's shape: square, half-filled diamond, ring."""
    words = said({"stop": "Stop", "explain": "Explain", "note": "Note"}[level])
    shapes = {
        "stop": '<rect x="1.5" y="1.5" width="11" height="11" class="fill-stop"/>',
        "explain": '<path d="M7 .8 13.2 7 7 13.2.8 7Z" class="fill-sheet stroke-explain" stroke-width="1.4"/><path d="M7 .8 13.2 7 7 13.2Z" class="fill-explain"/>',
        "note": '<circle cx="7" cy="7" r="5" fill="none" class="stroke-note" stroke-width="1.6"/>',
    }
    return format_html(
        '<svg class="mark" width="{}" height="{}" viewBox="0 0 14 14" role="img" aria-label="{}">{}</svg>',
        size, size, words, mark_safe(shapes[level]),
    )  # fmt: skip
