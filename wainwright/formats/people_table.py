"""People from a table: a row each, with name, address, and their place; what is typed wrong is for ``staff.importing`` to say."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from wainwright.core.said import say
from wainwright.formats.headed import headed_rows
from wainwright.formats.problems import Unreadable

MOST_ROWS, MOST_BYTES = 10_000, 5_000_000
WORDS = {
    "name": ("name", "full name", "person", "employee", "mitarbeiter", "navn", "ansatt"), "email": ("email", "e-mail", "mail", "address for mail", "address", "e-mail-adresse", "adresse", "e-post", "epost", "e-postadresse"),
    "job": ("job", "title", "job title", "function", "what they are", "position", "stelle", "funktion", "tätigkeit", "stilling", "tittel"), "manager": ("manager", "line manager", "reports to", "leader", "supervisor", "vorgesetzte person", "vorgesetzte", "vorgesetzter", "berichtet an", "leder", "nærmeste leder", "rapporterer til"),
    "roles": ("roles", "role", "does", "rollen", "rolle", "roller"), "limit": ("limit", "signs up to", "limit of authority", "grenze", "unterschreibt bis", "grense", "signerer opptil", "fullmaktsgrense"), "coding": ("coding", "usual coding", "kontierung", "übliche kontierung", "kontering", "vanlig kontering"),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class PersonRow:
    """A row as it stands in the file: its number, and what was typed in each column."""

    number: int
    cells: dict[str, str]


def words_of(codings: Iterable[str] = ()) -> dict[str, tuple[str, ...]]:
    """Return what each column may be called; ``codings``: how a firm calls what people's costs go to."""
    return {**WORDS, "coding": (*WORDS["coding"], *(name.casefold() for name in codings))}


def read_people(content: bytes, codings: Iterable[str] = ()) -> list[PersonRow]:
    """Read the rows of a table of people; ``codings``: how the firm calls what people's costs go to. Raises ``Unreadable`` with a sentence."""
    if len(content) > MOST_BYTES:
        raise Unreadable(say("The file is larger than 5 MB. Leave out what is not needed."))
    columns, rows = headed_rows(content, words_of(codings), "email", MOST_ROWS)
    if "name" not in columns or "email" not in columns:
        raise Unreadable(
            say(
                "The first row does not name the columns. Call them name, email, job, manager, roles, "
                "limit and coding; the first two are needed."
            )
        )
    return [PersonRow(number, {name: text[:200] for name, text in cells.items()}) for number, cells in rows]
