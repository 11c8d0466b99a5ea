"""People who click, from the outside: each has a session, looks at pages, and types a cost in a tenth of what they do."""

from __future__ import annotations

import asyncio
import random
import statistics
import time
from dataclasses import dataclass, field

import aiohttp

PAGES = (
    "/",
    "/",
    "/trips/",
    "/tray/",
    "/claims/",
    "/claims/",
    "/claims/{claim}/",
    "/expenses/new/",
    "/news/",
    "/profile/",
    "/reports/",
)
WRITES = 0.1


@dataclass
class Found:
    """What was measured: for each page how long it took, in ms; and what was not as it should be."""

    took: dict[str, list[float]] = field(default_factory=dict)
    wrong: list[str] = field(default_factory=list)
    seconds: float = 0.0

    def line(self, name: str) -> str:
        """One line of the table."""
        every = sorted(each for some in self.took.values() for each in some)
        p95 = every[int(len(every) * 0.95)] if every else 0
        return f"{name:<34}{len(every) / self.seconds:>9.1f}/s{statistics.median(every):>9.0f} ms{p95:>9.0f} ms{len(self.wrong):>7} wrong"


async def click(address: str, people: list[tuple[int, str, int]], seconds: float, pause: float) -> Found:
    """Let people click for so long, each with so many seconds between clicks (about); every answer from 500 up is wrong."""
    found, until = Found(), time.monotonic() + seconds
    async with aiohttp.ClientSession(
        connector=aiohttp.TCPConnector(limit=0), cookie_jar=aiohttp.DummyCookieJar()
    ) as net:
        await asyncio.gather(
            *(_person(net, address, *person, until, pause, found, random.Random(n)) for n, person in enumerate(people))
        )
    found.seconds = seconds
    return found


async def _person(
    net,
    address: str,
    member: int,
    session: str,
    claim: int,
    until: float,
    pause: float,
    found: Found,
    dice: random.Random,
) -> None:
    cookies, token, day = {"sessionid": session}, "", ""
    if pause:
        await asyncio.sleep(dice.uniform(0, pause))
    while time.monotonic() < until:
        if token and dice.random() < WRITES:
            typed = {
                "date": day,
                "merchant": f"Load {member} {dice.random()}",
                "category": "taxi",
                "amount": "7.50",
                "currency": "EUR",
                "paid_by": "self",
            }
            sent = {
                "data": typed,
                "headers": {"X-CSRFToken": token, "Referer": f"{address}/expenses/new/"},
                "allow_redirects": False,
            }
            await _ask(net, "POST", f"{address}/expenses/new/", "type a cost", cookies, found, (302,), **sent)
        elif not token:
            answer = await _ask(net, "GET", f"{address}/today/", "/today/", cookies, found, (200,))
            if answer is not None:
                token, day = answer[0]["csrf"], answer[0]["day"]
                cookies["csrftoken"] = answer[1]
        else:
            page = dice.choice(PAGES)
            await _ask(
                net, "GET", address + page.format(claim=claim), page, cookies, found, (200,), allow_redirects=False
            )
        if pause:
            await asyncio.sleep(dice.uniform(0.6, 1.4) * pause)


async def _ask(
    net, method: str, url: str, name: str, cookies: dict[str, str], found: Found, fine: tuple[int, ...], **more
):
    began = time.perf_counter()
    headers = {"Cookie": "; ".join(f"{key}={value}" for key, value in cookies.items()), **more.pop("headers", {})}
    try:
        async with net.request(method, url, headers=headers, timeout=aiohttp.ClientTimeout(total=60), **more) as answer:
            body = await answer.read()
            status = answer.status
            said = (
                (await answer.json(), answer.cookies["csrftoken"].value)
                if name == "/today/" and status == 200
                else None
            )
    except (aiohttp.ClientError, TimeoutError) as error:
        found.wrong.append(f"{name}: {type(error).__name__}")
        return None
    found.took.setdefault(name, []).append((time.perf_counter() - began) * 1000)
    if status not in fine:
        found.wrong.append(f"{name}: {status} {body[:60]!r}")
    return said
