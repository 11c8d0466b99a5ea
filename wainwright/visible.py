"""One row for whoever may see it: the read with which every page and every act begins, its SQL put together once."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import update_wrapper
from typing import Any

from django.db.models import QuerySet

from wainwright.people.models import Membership
from wainwright.prepared import prepared


@dataclass(frozen=True)
class Onlooker:
    """Stands for whoever asks while a query is put together: what ``visible_to`` looks at, and nothing else."""

    firm_id: int
    pk: int
    may: Mapping[str, bool]
    prepared_by: None = None


class VisibleRow:
    """A read of one row by its number. Called with a member and the number, it gives the row, or nothing where they may not see it.

    ``rows`` is given whoever looks, and gives what they may see. It is asked once for those who read all of a firm and once
    for the others, and must not look at more of them than ``visible_to`` does.
    """

    def __init__(self, rows: Callable[[Any], QuerySet]) -> None:
        self._rows = rows
        update_wrapper(self, rows)
        self._for_all = prepared(self._worded_for_all)
        self._for_one = prepared(self._worded_for_one)

    def _worded_for_all(self, key: int, firm: int) -> QuerySet:
        return self._rows(Onlooker(firm, 0, {"read_all": True})).filter(pk=key)

    def _worded_for_one(self, key: int, firm: int, member: int) -> QuerySet:
        return self._rows(Onlooker(firm, member, {"read_all": False})).filter(pk=key)

    def __call__(self, member: Membership, key: int) -> Any:
        """Return the row, or nothing. One query."""
        if member.prepared_by is not None:
            found = list(self._rows(member).filter(pk=key))
        elif member.may["read_all"]:
            found = self._for_all(key, member.firm_id)
        else:
            found = self._for_one(key, member.firm_id, member.pk)
        return found[0] if found else None


visible_row = VisibleRow
