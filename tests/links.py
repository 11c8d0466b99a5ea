"""Walks the pages that somebody can get to by links, as they would: each link leads somewhere that is open to them."""

from __future__ import annotations

import random
import re

from django.test import Client

from wainwright.people.models import Membership

OK, BAD = 200, 400
LINK = re.compile(r'(?:href|hx-get)="(/[^"#]*)"')
# Ways in and out.
NOT_WALKED = ("/static/", "/accounts/", "/demo-sign-in/")


def walked(member: Membership, most: int, drawn: random.Random, besides: tuple[str, ...] = ()) -> tuple[int, list[str]]:
    """Open so many pages at most, in an order that is ``drawn``; return how many, and the links that led to none.

    ``besides`` are beginnings of addresses that are not walked.
    """
    client, wrong = Client(raise_request_exception=False), []
    client.force_login(member.person)
    seen, waiting, opened = {"/"}, [("/", "")], 0
    while waiting and opened < most:
        path, on = waiting.pop(drawn.randrange(len(waiting)))
        answer = client.get(path, HTTP_HOST="127.0.0.1")
        opened += 1
        if answer.status_code >= BAD:
            wrong.append(f"{member.person.name}: {path} on {on}: {answer.status_code}")
        if answer.status_code == OK and answer.headers.get("Content-Type", "").startswith("text/html"):
            for link in LINK.findall(answer.content.decode()):
                plain = link.replace("&amp;", "&")
                if plain not in seen and not plain.startswith((*NOT_WALKED, *besides)):
                    seen.add(plain)
                    waiting.append((plain, path))
        answer.close()
    return opened, wrong
