"""The catalogue: each module here is one report, and says what it is in ``REPORT``. A new report is a new file."""

from __future__ import annotations

from functools import cache
from importlib import import_module
from pkgutil import iter_modules

from wainwright.reports.report import SUBJECTS, Report


@cache
def reports() -> dict[str, Report]:
    """Return every report by its key, in the order of subjects and titles. Raises ``RuntimeError`` for two of one key."""
    found = [
        import_module(f"{__name__}.{each.name}").REPORT
        for each in iter_modules(__path__)
        if not each.name.startswith("_")
    ]
    by = {report.key: report for report in sorted(found, key=lambda each: (SUBJECTS.index(each.subject), each.title))}
    if len(by) != len(found):
        raise RuntimeError("two reports have the same key")
    return by
