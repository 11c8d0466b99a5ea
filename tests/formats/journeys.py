"""Calendar files and tracks written for tests."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta


def at(moment: datetime) -> str:
    """A moment as a calendar has it."""
    return f"{moment.astimezone(UTC):%Y%m%dT%H%M%SZ}"


def event(*lines: str, **fields: str | None) -> str:
    """An appointment of two hours, with fields in place of the usual ones; None leaves one out."""
    usual: dict[str, str | None] = {"UID": "x@example", "DTSTART": "20261214T100500", "DTEND": "20261214T120500"}
    rows = [f"{name}:{value}" for name, value in (usual | fields).items() if value is not None]
    return "\r\n".join(["BEGIN:VEVENT", *rows, *lines, "END:VEVENT", ""])


def calendar_file(*events: str) -> bytes:
    """A calendar file."""
    return f"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//\r\n{''.join(events)}END:VCALENDAR\r\n".encode()


def track_file(
    line, begins: datetime | None, *, version: str = "1.1", cut: int = 0, route: bool = False, step: int = 10
) -> bytes:
    """A GPX file with a point each ``step`` seconds, in two pieces where it is cut, or as a route."""
    name = "rtept" if route else "trkpt"
    rows = []
    for number, (lat, lon) in enumerate(line):
        time = f"<time>{(begins + timedelta(seconds=step * number)):%Y-%m-%dT%H:%M:%SZ}</time>" if begins else ""
        gap = "</trkseg><trkseg>" if cut and number == cut else ""
        rows.append(f'{gap}<{name} lat="{lat}" lon="{lon}">{time}</{name}>')
    inner = f"<rte>{''.join(rows)}</rte>" if route else f"<trk><trkseg>{''.join(rows)}</trkseg></trk>"
    space = f"http://www.topografix.com/GPX/{version.replace('.', '/')}"
    return f'<?xml version="1.0"?>\n<gpx version="{version}" creator="x" xmlns="{space}">{inner}</gpx>'.encode()
