"""Tables that go out as files."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from django.http import HttpResponse, StreamingHttpResponse

from wainwright.formats.tables import Cell, write_csv, write_xlsx

XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


def csv_file(name: str, header: Sequence[str], rows: Iterable[Sequence[Cell]]) -> StreamingHttpResponse:
    """Return a table as a CSV to keep, written row by row as it is sent; ``name`` without its ending."""
    response = StreamingHttpResponse(write_csv(header, rows), content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="{name}.csv"'
    return response


def kept_file(name: str, content: bytes, media_type: str) -> HttpResponse:
    """Return a file to keep, under its whole name, never to be taken for anything but what it is."""
    response = HttpResponse(content, content_type=media_type)
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    response["X-Content-Type-Options"] = "nosniff"
    return response


def xlsx_file(name: str, header: Sequence[str], rows: Iterable[Sequence[Cell]]) -> HttpResponse:
    """Return a table as a workbook to keep; ``name`` without its ending."""
    return kept_file(f"{name}.xlsx", write_xlsx(name, header, rows), XLSX)
