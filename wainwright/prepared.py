"""Reads that are worded once: SQL of what is asked at every page is put together at its first use, and kept.

Putting a query's SQL together takes Django longer than the database takes to answer it. What is worded once is asked
again with other keys and days in the places of the first.
"""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from functools import update_wrapper
from typing import Any, TypeVar

from django.db import DEFAULT_DB_ALIAS, connections
from django.db.models import QuerySet
from django.db.models.sql.compiler import SQLCompiler

T = TypeVar("T")
Value = int | str | date | datetime
# Keys of rows are below this.
KEYS_END = 2**63
# Stand in for what is asked with while the SQL is put together: no row's key, and no day anybody travels on.
KEYS, TEXT, DAYS = 9_100_000_000_000_000_000, "stands in for text ", date(9876, 1, 1)


@dataclass(frozen=True)
class _Worded:
    """A compiler that has put its SQL together, and which of its parameters are which of the values."""

    rows: QuerySet
    compiler: SQLCompiler
    sql: str
    parameters: tuple[Any, ...]
    places: tuple[tuple[int, int], ...]
    converters: dict[int, Any]

    def asked(self, alias: str, values: tuple[Any, ...]) -> list[Any]:
        """The rows, with these values."""
        parameters = list(self.parameters)
        for place, which in self.places:
            parameters[place] = values[which]
        compiler = copy.copy(self.compiler)
        compiler.using, compiler.connection = alias, connections[alias]
        compiler.as_sql = lambda *_, **__: (self.sql, tuple(parameters))
        compiler.get_converters = lambda _: self.converters
        rows = self.rows._chain()
        # Only for this one reading: whoever gets the rows gets a list, and nothing that could be narrowed further.
        rows.query.get_compiler = lambda *_, **__: compiler
        return list(rows)


class Prepared:
    """A read whose SQL is put together once. Called with keys, texts and days, it gives a list of rows.

    ``build`` is given stand-ins for the values, of the same types, and must not look at them. Numbers are asked of columns of 64
    bits (keys, amounts): a smaller one has no room for what stands in, and PostgreSQL is not asked at all.
    """

    def __init__(self, build: Callable[..., QuerySet]):
        self.build, self.kept = build, {}
        update_wrapper(self, build)

    def __call__(self, *values: Value) -> list[Any]:
        """Return the rows.

        Raises:
            TypeError: a value is neither a key nor a text nor a day nor a time (so nothing is not asked for by this road).
        """
        if any(type(value) is int and not -KEYS_END <= value < KEYS_END for value in values):
            # No row has such a key, and the driver takes none: whoever sends it by hand finds nothing.
            return []
        alias = DEFAULT_DB_ALIAS
        adapted = tuple(_adapted(alias, value) for value in values)
        known = (alias, *map(type, values))
        if (worded := self.kept.get(known)) is None:
            worded = self.kept[known] = self._word(alias, values)
        return worded.asked(alias, adapted)

    def _word(self, alias: str, values: tuple[Value, ...]) -> _Worded:
        standing_in = [_stand_in(value, number) for number, value in enumerate(values)]
        rows = self.build(*standing_in)
        compiler = rows.query.get_compiler(alias)
        sql, parameters = compiler.as_sql()
        sought = [_adapted(alias, each) for each in standing_in]
        places = tuple(
            (place, which)
            for place, parameter in enumerate(parameters)
            for which, value in enumerate(sought)
            # PostgreSQL's driver has numbers of its own for columns that are no keys.
            if isinstance(parameter, type(value)) and parameter == value
        )
        if {which for _, which in places} != set(range(len(values))):
            raise TypeError(f"{self.build.__qualname__} does not ask with each of its values")
        converters = compiler.get_converters([expression for expression, _, _ in compiler.select])
        return _Worded(rows, compiler, sql, tuple(parameters), places, converters)


prepared = Prepared


def padded(values: Iterable[T]) -> list[T]:
    """Several values to ask for at once, the last of them again until they are as many as a power of two, four at least.

    So a read by several keys is worded a dozen times, not once for each number of them. None stay none.
    """
    found = list(values)
    return found + found[-1:] * (max(4, 1 << (len(found) - 1).bit_length()) - len(found)) if found else []


def _stand_in(value: Value, number: int) -> Value:
    if isinstance(value, datetime):
        return datetime.combine(DAYS + timedelta(days=number), datetime.min.time(), tzinfo=UTC)
    if isinstance(value, str):
        return f"{TEXT}{number}"
    return DAYS + timedelta(days=number) if isinstance(value, date) else KEYS + number


def _adapted(alias: str, value: Value) -> Any:
    """The value as the database driver takes it."""
    ops = connections[alias].ops
    if isinstance(value, datetime):
        return ops.adapt_datetimefield_value(value)
    if isinstance(value, date):
        return ops.adapt_datefield_value(value)
    if isinstance(value, int) and not isinstance(value, bool):
        return int(value)
    if isinstance(value, str):
        return str(value)
    raise TypeError(f"not a key, a text or a day: {value!r}")
