"""An index of words for finding, kept by the database itself: whoever writes, by whatever way, cannot forget it.

On SQLite it is FTS5 with trigrams, one beside each table, followed by triggers; on PostgreSQL an index of trigrams
(pg_trgm), by which ``icontains`` is quick. Made and mended after each ``migrate``: a table that a migration rebuilt has
lost its triggers.
"""

from __future__ import annotations

from django.db import connections, models
from django.db.models import Q
from django.db.models.expressions import RawSQL

from wainwright.accounts.models import Posting
from wainwright.claims.models import Claim
from wainwright.expenses.models import Charge, Expense
from wainwright.trips.models import Trip

# Of which columns the words are looked for.
WORDS: dict[type[models.Model], tuple[str, ...]] = {
    Trip: ("title",), Claim: ("title",), Expense: ("merchant", "description", "reference"), Charge: ("merchant",), Posting: ("title",),
}  # fmt: skip
# Trigrams find nothing shorter.
SHORTEST = 3
# So many of the newest that fit are looked through; a word that fits more is too common to find anything by.
MOST = 2_000


def words_of(text: str) -> list[str]:
    """Return the words that the index can look for."""
    return [word for word in text.split() if len(word) >= SHORTEST]


def fits(model: type[models.Model], text: str, using: str = "default") -> Q:
    """Return what fits every word of a text, by the index; of very many the newest. Nothing fits where every word is too short."""
    words, columns = words_of(text), WORDS[model]
    if not words:
        return Q(pk__in=[])
    if connections[using].vendor != "sqlite":
        return plainly(columns, words)
    asked = " AND ".join(f'"{word.replace(chr(34), chr(34) * 2)}"' for word in words)
    table = f"find_{model._meta.db_table}"
    sql = f"SELECT rowid FROM {table} WHERE {table} MATCH %s ORDER BY rowid DESC LIMIT {MOST}"
    found = Q(pk__in=RawSQL(sql, [asked]))
    short = [word for word in text.split() if len(word) < SHORTEST]
    return found & plainly(columns, short) if short else found


def plainly(columns: tuple[str, ...], words: list[str]) -> Q:
    """Return what fits every word in one column or another, looked through row by row: for the few rows of one person."""
    wanted = Q()
    for word in words:
        one = Q()
        # SQLite compares letters beyond ASCII as they stand: they are asked for as people write them.
        ways = {word} if word.isascii() else {word, word.lower(), word.upper(), word.capitalize()}
        for column in columns:
            for way in ways:
                one |= Q(**{f"{column}__icontains": way})
        wanted &= one
    return wanted


def keep_index(using: str = "default", **_) -> None:
    """Make the index where it is missing; make it anew where its triggers were lost or its columns are others. Called after each migrate."""
    connection = connections[using]
    with connection.cursor() as cursor:
        there = connection.introspection.table_names(cursor)
        if connection.vendor == "postgresql":
            cursor.execute("CREATE EXTENSION IF NOT EXISTS pg_trgm")
        for model, columns in WORDS.items():
            table = model._meta.db_table
            if table not in there:
                continue
            if connection.vendor == "sqlite":
                _keep_sqlite(cursor, table, columns)
            elif connection.vendor == "postgresql":
                for column in columns:
                    cursor.execute(
                        f"CREATE INDEX IF NOT EXISTS find_{table}_{column} ON {table} USING gin (UPPER({column}) gin_trgm_ops)"
                    )


def _keep_sqlite(cursor, table: str, columns: tuple[str, ...]) -> None:
    index = f"find_{table}"
    triggers = {f"{index}_{event}" for event in ("in", "out", "new")}
    cursor.execute("SELECT name FROM sqlite_master WHERE tbl_name = %s AND type = 'trigger'", [table])
    there = {name for (name,) in cursor.fetchall()} & triggers
    cursor.execute("SELECT name FROM pragma_table_info(%s)", [index])
    if there == triggers and tuple(name for (name,) in cursor.fetchall()) == columns:
        return
    names, old, new = (", ".join(f"{before}{column}" for column in columns) for before in ("", "old.", "new."))
    for name in there:
        cursor.execute(f"DROP TRIGGER {name}")
    cursor.execute(f"DROP TABLE IF EXISTS {index}")
    cursor.execute(
        f"CREATE VIRTUAL TABLE {index} USING fts5({names}, content='{table}', content_rowid='id', tokenize='trigram')"
    )
    put = f"INSERT INTO {index}(rowid, {names}) VALUES (new.id, {new});"
    take = f"INSERT INTO {index}({index}, rowid, {names}) VALUES ('delete', old.id, {old});"
    changed = " OR ".join(f"old.{column} IS NOT new.{column}" for column in columns)
    cursor.execute(f"CREATE TRIGGER {index}_in AFTER INSERT ON {table} BEGIN {put} END")
    cursor.execute(f"CREATE TRIGGER {index}_out AFTER DELETE ON {table} BEGIN {take} END")
    cursor.execute(
        f"CREATE TRIGGER {index}_new AFTER UPDATE OF {names} ON {table} WHEN {changed} BEGIN {take} {put} END"
    )
    cursor.execute(f"INSERT INTO {index}({index}) VALUES ('rebuild')")
