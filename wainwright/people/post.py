"""The one way by which mail goes out: once the act is kept, by the queue, tried again while no server takes it."""

from __future__ import annotations

import logging

from django.core.mail import EmailMessage, get_connection
from django.db import transaction
from huey.contrib.djhuey import task

from wainwright.core.text import clean, one_line

log = logging.getLogger(__name__)
# Some nine hours of trying: a server that is down for a night loses nothing.
TRIES, PAUSE = 110, 300


def post(mail: EmailMessage) -> None:
    """Send a mail once the transaction is kept. An act never fails for its mail: what is said stands in the news at once."""
    mail.subject, mail.body = one_line(mail.subject, 200), clean(mail.body)
    transaction.on_commit(lambda: _queue(mail))


def _queue(mail: EmailMessage) -> None:
    try:
        _send(mail)
    except Exception:
        log.exception("a mail to %s could not be queued", ", ".join(mail.to))


@task(retries=TRIES, retry_delay=PAUSE)
def _send(mail: EmailMessage) -> None:
    """Hand one mail to the server.

    Not by ``mail.send()``: that keeps the connection, with its lock, on the mail, which then could not be put into the queue
    again when the server takes nothing.
    """
    if mail.recipients():
        get_connection().send_messages([mail])
