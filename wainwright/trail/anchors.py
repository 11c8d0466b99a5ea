"""Anchors of the trail: how far it went and with which hash, kept outside the database, so that nobody who can write there
can cut its end off, or write it anew, unnoticed.

An anchor is a line of text, signed with the machine's key. It is added to a file (``WAINWRIGHT_ANCHORS``, beside the
backups) and mailed to the auditors, every day on which something happened and at each pay run.
"""

from __future__ import annotations

import os
from datetime import datetime

from django.conf import settings
from django.core.mail import EmailMessage
from django.core.signing import BadSignature, Signer
from django.db import transaction

from wainwright import clock
from wainwright.core.said import say
from wainwright.core.text import one_line
from wainwright.core.trail import RESTORED, Anchor
from wainwright.errors import Refusal
from wainwright.people.models import Membership
from wainwright.people.post import post
from wainwright.trail.models import Entry
from wainwright.trail.selectors import last_entry
from wainwright.trail.services import record

DAILY = say("the day")
_signer = Signer(salt="trail", sep=" ~ ")


def line_of(anchor: Anchor) -> str:
    """An anchor as its signed line."""
    return _signer.sign(f"{anchor.number} | {anchor.digest} | {anchor.time.isoformat()} | {one_line(anchor.why, 80)}")


def read_line(line: str) -> Anchor:
    """Read a signed line, wherever it was kept. Raises ``Refusal`` for one that was not written by this machine."""
    try:
        number, digest, time, why = _signer.unsign(line.strip()).split(" | ", 3)
        return Anchor(int(number), digest, datetime.fromisoformat(time), why)
    except (BadSignature, ValueError) as error:
        raise Refusal(
            say("This line was not written by this machine, or was changed: {line}", line=line.strip()[:60])
        ) from error


def lines() -> list[str]:
    """Every line of the file, in order."""
    path = settings.ANCHORS
    return path.read_text().splitlines() if path.exists() else []


def drop(why: str, firm_id: int | None = None) -> str:
    """Drop an anchor at the newest entry: a line in the file, a mail to the auditors (of one firm, or of all). Returns the line."""
    number, digest = last_entry()
    line = line_of(Anchor(number, digest, clock.now(), why))
    path = settings.ANCHORS
    path.parent.mkdir(parents=True, exist_ok=True)
    with os.fdopen(os.open(path, os.O_WRONLY | os.O_APPEND | os.O_CREAT, 0o600), "w") as file:
        file.write(line + "\n")
        file.flush()
        os.fsync(file.fileno())
    _mail(line, number, firm_id)
    return line


def drop_when_kept(why: str, firm_id: int) -> None:
    """Drop an anchor once the transaction is kept, so that it names its last entry too. The act never fails for it."""
    transaction.on_commit(lambda: drop(why, firm_id), robust=True)


def drop_of_the_day() -> str | None:
    """Drop the day's anchor, if anything happened since the last."""
    kept = lines()
    if kept:
        try:
            if read_line(kept[-1]).number == last_entry()[0]:
                return None
        except Refusal:
            # A last line that is not ours is for ``verify_trail`` to tell; the next one stands under it.
            pass
    return drop(DAILY) if Entry.objects.exists() else None


def after_restoring(words: str) -> str:
    """Say that a backup was put back: what was entered after it is given up, and no longer missed. Stands in the trail too."""
    number, _ = last_entry()
    line = drop(f"{RESTORED}: {words}")
    with transaction.atomic():
        record(None, say("put a backup back"), "trail", after={"up to entry": number, "words": words[:200]})
    return line


def _mail(line: str, number: int, firm_id: int | None) -> None:
    auditors = Membership.objects.filter(auditor=True, active=True).select_related("person")
    if firm_id is not None:
        auditors = auditors.filter(firm_id=firm_id)
    words = say(
        "This line says how far the record of every act went, and its hash. Keep it: with it, "
        "whoever runs the machine can\nprove that nothing up to here was taken away or changed "
        "(manage.py verify_trail --line).\n\n"
    )
    for address in sorted({member.person.email for member in auditors}):
        post(
            EmailMessage(
                say("The trail, up to entry {number}", number=number),
                words + line + "\n",
                settings.DEFAULT_FROM_EMAIL,
                [address],
            )
        )
