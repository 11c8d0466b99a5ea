"""The reader of receipts: words on pictures."""

from __future__ import annotations

from typing import Protocol

from wainwright.formats.pictures import Page, Word


class Reader(Protocol):
    """Reads the words of a page."""

    def words(self, page: Page, number: int) -> list[Word]:
        """Return the words of one page with boxes in its pixels. Raises ``RuntimeError`` when the machine cannot."""
