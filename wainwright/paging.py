"""Lists by pages, cut in the database."""

from __future__ import annotations

from collections.abc import Callable

from django.core.paginator import Page, Paginator
from django.db.models import QuerySet


def page_of(
    rows: QuerySet | list,
    size: int,
    number: str | None,
    count: int | None = None,
    newest: Callable[[], list] | None = None,
) -> Page:
    """Return one page of ordered rows, or of a list; what is not on it is counted, and only where there is any.

    ``count`` is how many there are, where the caller knows. ``newest`` reads the first page by a query that was put
    together before: ``size`` rows and one more. A number that is none, or too high, gives the first page or the last.
    """
    pages = Paginator(rows, size)
    if count is not None:
        pages.count = count
    if number not in (None, "1"):
        return pages.get_page(number)
    first = newest() if newest is not None else list(rows[: size + 1])
    return Page(first[:size], 1, pages) if len(first) > size else Paginator(first, size).get_page(1)
