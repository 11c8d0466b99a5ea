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
    found = _forms(made, who_is)
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


def _forms(made: Made, who_is: dict[str, Client]) -> list[Form]:
    """Every form of every page that somebody can open with things of their own."""
    found: dict[tuple, Form] = {}
    for who in ("maren", "tobias", "priya", "callum"):
        values = things_of(made.maren if who != "callum" else made.callum)
        for address in addresses():
            if address.name in NOT_ASKED or address.pattern.startswith("/accounts/"):
                continue
            for path in _with_panels(who_is[who], address.pattern % values):
                _collect(found, who, path, who_is[who].get(path))
    return list(found.values())


def _with_panels(client: Client, path: str) -> list[str]:
    """A page as it is, and with each panel open that it offers: most of a trip's forms stand behind one."""
    response = client.get(path)
    text = _text(response) if response.status_code == OPENED else ""
    offered = sorted(set(PANEL.findall(text)))
    return [
        path,
        *(f"{path}?open={name}" for name in offered),
        *(f"{path}?open={name}&do={act}" for name in offered for act in ACTS),
    ]


def _collect(found: dict[tuple, Form], who: str, path: str, response) -> None:
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
