"""Every form of every page, with odd values in one field among good ones: nothing breaks, no script comes back as it went in."""

from __future__ import annotations

import random
import re
from dataclasses import dataclass, field

from django.test import Client
from lxml import html

from tests.attack.matrix import BROKEN, NOT_ASKED, clients
from tests.attack.place import Made
from tests.attack.things import addresses, things_of

MARK = "<script>wz9()</script>"
ODD = (
    "", " ", "\x00", "\ud800", "x" * 20_000, "🧾" * 200, "-1", "1e999", "1E+1000000", "NaN", "²", "0001-01-01", "9999-12-31", "2026-13-45", "<![", MARK,
    "'; drop table trips_trip; --", "9" * 400, "../../etc/passwd", "a\r\nBcc: x@y.z", "\u202ex", "1,2.3", "0x10", "[]", "{}", "True", "../", "%00", "." * 5000,
)  # fmt: skip
READ, OPENED = "text/html", 200
# What a page of panels offers to open, and what it asks for then.
PANEL = re.compile(r'data-open="([^"]+)"')
# Forms that are looked for, for each that is sent.
ENOUGH = 3
ACTS = ("change", "split", "pay", "cancel", "ask")


@dataclass
class Outcome:
    """How many forms were sent, and what was found."""

    tried: int = 0
    faults: list[str] = field(default_factory=list)


@dataclass(frozen=True)
class Form:
    """A form as a page shows it: where it goes, and what stands in it."""

    who: str
    page: str
    action: str
    values: tuple[tuple[str, str], ...]


def attack(made: Made, seed: int, most: int) -> Outcome:
    """Send up to ``most`` forms, drawn by ``seed``."""
    outcome, drawn, who_is = Outcome(), random.Random(seed), clients(made)
    found = _forms(made, who_is, drawn, most)
    tries = [
        (form, name, value) for form in found for name in dict.fromkeys(n for n, _ in form.values) for value in ODD
    ]
    tries = drawn.sample(tries, min(most, len(tries)))
    for form, name, value in tries:
        # The value as a browser would send it: what no browser can encode comes as bytes of its own.
        data = {n: v for n, v in form.values if n != "once"} | {
            name: value.encode("utf-8", "surrogatepass").decode("utf-8", "replace")
        }
        response = who_is[form.who].post(form.action, data, headers={"Referer": f"http://testserver{form.page}"})
        for closer in response._resource_closers if response.streaming else ():
            closer()
        outcome.tried += 1
        where = f"{form.action} by {form.who}, {name} = {value[:24]!r}"
        if response.status_code >= BROKEN:
            outcome.faults.append(f"{where}: {response.status_code}")
        elif MARK in _text(response):
            outcome.faults.append(f"{where}: the script came back")
    for form in {form.page: form for form in found}.values():
        response = who_is[form.who].get(form.page)
        if response.status_code >= BROKEN or MARK in _text(response):
            outcome.faults.append(f"{form.page} by {form.who} afterwards: {response.status_code}")
    return outcome


def _text(response) -> str:
    return (
        response.content.decode("utf-8", "replace")
        if not response.streaming and READ in response.get("Content-Type", "")
        else ""
    )


def _forms(made: Made, who_is: dict[str, Client], drawn: random.Random, most: int) -> list[Form]:
    """Forms of the pages that somebody can open with things of their own, in an order drawn: all, or enough to draw from."""
    found: dict[tuple, Form] = {}
    of_maren, of_callum = things_of(made.maren), things_of(made.callum)
    pages = [
        (who, address.pattern % (of_callum if who == "callum" else of_maren))
        for who in ("maren", "tobias", "priya", "callum")
        for address in addresses()
        if address.name not in NOT_ASKED and not address.pattern.startswith("/accounts/")
    ]
    drawn.shuffle(pages)
    for who, path in pages:
        if len(found) >= ENOUGH * most:
            break
        response = who_is[who].get(path)
        _collect(found, who, path, response)
        behind = _panels(path, response)
        for panel in drawn.sample(behind, min(most // 5, len(behind))):
            _collect(found, who, panel, who_is[who].get(panel))
    return list(found.values())


def _panels(path: str, response) -> list[str]:
    """A page with each panel open that it offers: most of a trip's forms stand behind one."""
    text = _text(response) if response.status_code == OPENED else ""
    offered = sorted(set(PANEL.findall(text)))
    return [
        *(f"{path}?open={name}" for name in offered),
        *(f"{path}?open={name}&do={act}" for name in offered for act in ACTS),
    ]


def _collect(found: dict[tuple, Form], who: str, path: str, response) -> None:
    """Keep the forms of a page that somebody opened."""
    if response.status_code != OPENED or not _text(response).strip():
        return
    for form in html.fromstring(response.content).forms:
        if (
            (form.method or "GET").upper() == "POST"
            and "logout" not in (form.action or "")
            and "demo" not in (form.action or "")
        ):
            form.make_links_absolute(f"http://testserver{path}")
            action = (form.action or path).replace("http://testserver", "")
            values = tuple(
                (str(name), str(value or ""))
                for name, value in form.fields.items()
                if name and name != "csrfmiddlewaretoken"
            )
            found.setdefault((who, action, tuple(name for name, _ in values)), Form(who, path, action, values))
