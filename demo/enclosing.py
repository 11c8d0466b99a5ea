"""Letters that are enclosed in mails, printed beside the telling: what is printed takes longer than what leads to it."""

from __future__ import annotations

import base64
from collections.abc import Iterator
from contextlib import contextmanager

from demo.beside import Beside
from wainwright.standins.mailbox.models import Mail
from wainwright.trips import letters
from wainwright.trips.printing import printed


class Promised:
    """What stands in the mails for letters that are not printed yet."""

    def __init__(self, work: Beside) -> None:
        self._work, self._letters = work, {}

    def __call__(self, page: str) -> bytes:
        """Let a page be printed; return the mark that stands for it."""
        # A multiple of three bytes that fits a line: the same letters in every mail.
        mark = f"printed beside the telling: {len(self._letters):05}".encode()
        self._letters[mark] = b""
        self._work.drawn(lambda letter: self._letters.update({mark: letter}), printed, page)
        return mark

    def keep(self) -> None:
        """Put the letters where the marks are, once the work beside is settled."""
        as_sent = {
            base64.b64encode(mark): base64.encodebytes(letter).rstrip() for mark, letter in self._letters.items()
        }
        for mail in Mail.objects.exclude(attachments=[]):
            raw = bytes(mail.raw)
            for mark, letter in as_sent.items():
                mail.raw = bytes(mail.raw).replace(mark, letter)
            if mail.raw != raw:
                mail.save(update_fields=["raw"])


@contextmanager
def letters_later(work: Beside) -> Iterator[Promised]:
    """Within it, letters that are enclosed in mails are promised."""
    at_once, letters.printed = letters.printed, Promised(work)
    try:
        yield letters.printed
    finally:
        letters.printed = at_once
