"""Tables that go out as files."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from django.http import StreamingHttpResponse

from wainwright.formats.tables import Cell, write_csv


def csv_file(name: str, header: Sequence[str], rows: Iterable[Sequence[Cell]]) -> StreamingHttpResponse:
    """Return a table as a CSV to keep, written row by row as it is sent; ``name`` without its ending."""
    response = StreamingHttpResponse(write_csv(header, rows), content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="{name}.csv"'
    return response
