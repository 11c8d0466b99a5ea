"""Lists by pages, cut in the database."""

from __future__ import annotations

from django.core.paginator import Page, Paginator
from django.db.models import QuerySet


def page_of(rows: QuerySet | list, size: int, number: str | None, count: int | None = None) -> Page:
    """Return one page of ordered rows, or of a list; what is not on it is counted, and only where there is any.

    ``count`` is how many there are, where the caller knows. A number that is none, or too high, gives the first page
    or the last.
    """
    pages = Paginator(rows, size)
    if count is not None:
        pages.count = count
    if number not in (None, "1"):
        return pages.get_page(number)
    first = list(rows[: size + 1])
    return Page(first[:size], 1, pages) if len(first) > size else Paginator(first, size).get_page(1)
