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


def xlsx_file(name: str, header: Sequence[str], rows: Iterable[Sequence[Cell]]) -> HttpResponse:
    """Return a table as a workbook to keep; ``name`` without its ending."""
    response = HttpResponse(write_xlsx(name, header, rows), content_type=XLSX)
    response["Content-Disposition"] = f'attachment; filename="{name}.xlsx"'
    return response
