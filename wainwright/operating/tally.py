"""What a database holds, in figures that two copies of it must have in common: rows, sums, and how far the trail goes."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from django.apps import apps
from django.db import models
from django.db.models import Count, Sum

from wainwright.core.said import say
from wainwright.trail.selectors import check_chain, last_entry

# What is the machine's own, not the firms': sessions end, the queue's beats and presses of forms are forgotten.
PASSING = frozenset({"sessions.Session", "operating.Beat", "operating.Failure"})


@dataclass(frozen=True)
class Tally:
    """Rows of each table, sums of each column of whole numbers (money in minor units, versions, keys), and the trail's end."""

    rows: dict[str, int]
    sums: dict[str, int]
    entries: int
    digest: str

    def as_data(self) -> dict[str, Any]:
        """Return it as JSON keeps it."""
        return asdict(self)

    def differs(self, other: Tally) -> list[str]:
        """Say in words what another has otherwise, table by table; nothing where they are equal."""
        found = []
        for kind, mine, theirs in (("rows", self.rows, other.rows), ("sum", self.sums, other.sums)):
            for name in sorted(mine.keys() | theirs.keys()):
                if mine.get(name) != theirs.get(name):
                    found.append(
                        say(
                            "{name}: {kind} {get} and {get_2}",
                            name=name,
                            kind=kind,
                            get=mine.get(name),
                            get_2=theirs.get(name),
                        )
                    )
        if (self.entries, self.digest) != (other.entries, other.digest):
            found.append(
                say(
                    "the trail ends at {entries} ({digest}) and at {entries_2} ({digest_2})",
                    entries=self.entries,
                    digest=self.digest[:12],
                    entries_2=other.entries,
                    digest_2=other.digest[:12],
                )
            )
        return found


def kept_models() -> list[type[models.Model]]:
    """Every table that holds something of the firms, those between two others too."""
    found = apps.get_models(include_auto_created=True)
    return [
        model for model in found if model._meta.managed and not model._meta.proxy and model._meta.label not in PASSING
    ]


def count(rows: models.QuerySet) -> tuple[int, dict[str, int]]:
    """Count rows, and add up each of their columns of whole numbers. One query."""
    whole = [field for field in rows.model._meta.concrete_fields if _is_whole(field)]
    asked = {f"tally_{number}": Sum(field.attname) for number, field in enumerate(whole)}
    # Each row once, whatever it was found by.
    found = (
        rows.model._base_manager.using(rows.db).filter(pk__in=rows.order_by().values("pk"))
        if rows.query.distinct
        else rows.order_by()
    )
    sums = found.aggregate(tally_rows=Count("pk"), **asked)
    return sums["tally_rows"], {field.column: int(sums[f"tally_{number}"] or 0) for number, field in enumerate(whole)}


def _is_whole(field: models.Field) -> bool:
    while field.is_relation:
        field = field.target_field
    return isinstance(field, models.IntegerField | models.AutoField)


def tally(using: str = "default") -> Tally:
    """Count a database. One query a table, however large."""
    rows, sums = {}, {}
    for model in kept_models():
        table = model._meta.db_table
        rows[table], added = count(model._base_manager.using(using).all())
        sums.update({f"{table}.{column}": total for column, total in added.items()})
    number, digest = last_entry(using)
    return Tally(rows, sums, number, digest)


def broken(using: str = "default") -> str:
    """Say where the trail of a database breaks; nothing where it holds."""
    found = check_chain(using)
    return say("the trail breaks at entry {number}: {why}", number=found.number, why=found.why) if found else ""


def read(data: dict[str, Any]) -> Tally:
    """Return what :meth:`Tally.as_data` gave."""
    return Tally(**data)
