"""What answers are grouped and filtered by: people, categories, codings, pieces of time, words."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any

from django.db.models import Q

from wainwright.accounts.models import CodingPart
from wainwright.core.picking import folded
from wainwright.core.said import both, joined, kept, say
from wainwright.core.spans import PIECES, NoSpan, Piece, piece_by
from wainwright.core.table import Part
from wainwright.fields import whole
from wainwright.people.models import Membership
from wainwright.reports.reader import Reader
from wainwright.trips.models import Trip

NONE = "-"
Values = Iterable[tuple[Any, ...]]


@dataclass(frozen=True)
class Dim:
    """One thing to group and filter by.

    ``fields`` is what the database groups by; ``parts`` says under which part each of the values stands; ``where`` finds
    the rows of a part; ``find`` the parts that a typed text means; ``label`` what a part is called.
    """

    key: str
    words: str
    fields: tuple[str, ...]
    parts: Callable[[Reader, Values], dict[tuple[Any, ...], Part]]
    where: Callable[[Reader, str], Q]
    find: Callable[[Reader, str], list[Part]] = field(default=lambda reader, text: [])
    label: Callable[[Reader, str], str] = field(default=lambda reader, part: part)
    piece: str = ""

    @property
    def time(self) -> bool:
        """Whether its parts follow one another in time."""
        return bool(self.piece)


def person(fields: str = "member_id", key: str = "person", words: str = say("person")) -> Dim:
    """Whose it is."""

    def parts(reader: Reader, values: Values) -> dict[tuple[Any, ...], Part]:
        ids = [value for (value,) in values]
        names = reader.people(value for value in ids if value)
        return {(pk,): Part(str(pk), names.get(pk, say("nobody"))) if pk else Part(NONE, say("nobody")) for pk in ids}

    def find(reader: Reader, text: str) -> list[Part]:
        rows = Membership.objects.filter(firm=reader.firm, person__name__icontains=text.strip())
        if not reader.all and not reader.owned:
            rows = rows.filter(pk=reader.member.pk)
        return [Part(str(pk), name) for pk, name in rows.order_by("person__name").values_list("pk", "person__name")[:7]]

    def where(reader: Reader, part: str) -> Q:
        return Q(**{fields: whole(part)}) if part != NONE else Q(**{f"{fields}__isnull": True})

    def label(reader: Reader, part: str) -> str:
        return (
            reader.people([whole(part)]).get(whole(part), say("somebody who left")) if part != NONE else say("nobody")
        )

    return Dim(key, words, (fields,), parts, where, find, label)


def category(field_: str = "category") -> Dim:
    """What it was for."""

    def parts(reader: Reader, values: Values) -> dict[tuple[Any, ...], Part]:
        return {(code,): Part(code or NONE, label(reader, code)) for (code,) in values}

    def label(reader: Reader, code: str) -> str:
        return reader.categories.get(code, code) if code and code != NONE else say("no category")

    def find(reader: Reader, text: str) -> list[Part]:
        return [Part(code, reader.categories[code]) for code in reader.category_picks.find(text, 7)]

    return Dim(
        "category", say("category"), (field_,), parts, lambda reader, part: Q(**{field_: "" if part == NONE else part}), find, label
    )  # fmt: skip


def codings(reader: Reader, field_: str = "kept_id") -> list[Dim]:
    """One for each dimension of the firm's ledger."""
    return [_coding(each.code, each.name, field_) for each in reader.books.dimensions]


def _coding(dimension: str, name: str, field_: str) -> Dim:
    def codes(reader: Reader, ids: set[Any]) -> dict[Any, str]:
        rows = CodingPart.objects.filter(coding__firm=reader.firm, dimension=dimension)
        # Of very many at once all are read: their number is no condition for a database.
        some = rows.filter(coding__in=ids - {None}) if len(ids) < 500 else rows
        return dict(some.values_list("coding_id", "code"))

    def where(reader: Reader, part: str) -> Q:
        rows = CodingPart.objects.filter(coding__firm=reader.firm, dimension=dimension)
        if part == NONE:
            return ~Q(**{f"{field_}__in": rows.values("coding")}) | Q(**{f"{field_}__isnull": True})
        return Q(**{f"{field_}__in": rows.filter(code=part).values("coding")})

    return _of_codes(dimension, name, field_, codes, where)


def _of_codes(
    dimension: str, name: str, field_: str, codes: Callable[[Reader, set[Any]], Mapping[Any, str]],
    where: Callable[[Reader, str], Q],
) -> Dim:  # fmt: skip
    """A dimension of the ledger, whatever carries the code: ``codes`` says it for each value of ``field_`` that has one."""

    def parts(reader: Reader, values: Values) -> dict[tuple[Any, ...], Part]:
        ids = {value for (value,) in values}
        by, picks = codes(reader, ids), reader.books.picks(dimension)
        none = Part(NONE, say("no {name}", name=name), ("~",))
        return {(pk,): Part(code, picks.words(code), (code,)) if (code := by.get(pk)) else none for pk in ids}

    def find(reader: Reader, text: str) -> list[Part]:
        picks = reader.books.picks(dimension)
        return [Part(code, picks.words(code)) for code in picks.find(text, 7)]

    def label(reader: Reader, part: str) -> str:
        return say("no {name}", name=name) if part == NONE else reader.books.picks(dimension).words(part)

    return Dim(f"coding.{dimension}", name, (field_,), parts, where, find, label)


def _ordered(piece: Piece) -> Part:
    return Part(piece.id, piece.label, (piece.since,))


def time(piece: str, field_: str = "day") -> Dim:
    """A piece of time: month, quarter, year, week. Days are folded here: no database reckons weeks as another does."""

    def parts(reader: Reader, values: Values) -> dict[tuple[Any, ...], Part]:
        return {
            (day,): _ordered(PIECES[piece](day)) if day else Part(NONE, say("no day"), (date.max,)) for (day,) in values
        }

    def where(reader: Reader, part: str) -> Q:
        if part == NONE:
            return Q(**{f"{field_}__isnull": True})
        try:
            found = piece_by(piece, part)
        except NoSpan:
            return Q(pk__in=[])
        return Q(**{f"{field_}__range": (found.since, found.until)})

    def label(reader: Reader, part: str) -> str:
        try:
            return say("no day") if part == NONE else piece_by(piece, part).label
        except NoSpan:
            return say("{part}, which is no {piece}", part=part[:20], piece=piece)

    return Dim(piece, kept(piece), (field_,), parts, where, lambda reader, text: [], label, piece)


WEEKDAYS = (
    say("Monday"), say("Tuesday"), say("Wednesday"), say("Thursday"), say("Friday"), say("Saturday"), say("Sunday"),
)  # fmt: skip


def weekday(field_: str = "day") -> Dim:
    """On which day of the week."""

    def parts(reader: Reader, values: Values) -> dict[tuple[Any, ...], Part]:
        return {(day,): Part(str(day.weekday()), WEEKDAYS[day.weekday()], (day.weekday(),)) for (day,) in values}

    def where(reader: Reader, part: str) -> Q:
        # Sunday is 1 for the database.
        return Q(**{f"{field_}__week_day": (int(part) + 1) % 7 + 1}) if part in "0123456" else Q(pk__in=[])

    return Dim(
        "weekday", say("day of the week"), (field_,), parts, where, lambda reader, text: [],
        lambda reader, part: WEEKDAYS[int(part)] if part in "0123456" else part,
    )  # fmt: skip


def times(field_: str = "day") -> list[Dim]:
    """Every piece of time, and the day of the week."""
    return [*(time(piece, field_) for piece in ("month", "quarter", "year", "week")), weekday(field_)]


def choice(
    key: str, words: str, field_: str, names: Mapping[Any, str], together: Mapping[str, Sequence[Any]] | None = None
) -> Dim:
    """One of a few that are known: a stage, who paid. ``together`` names several of them by one word, for conditions."""
    order = {value: n for n, value in enumerate(names)}
    by_id: dict[str, Sequence[Any]] = {str(value): (value,) for value in names} | dict(together or {})

    def parts(reader: Reader, values: Values) -> dict[tuple[Any, ...], Part]:
        return {
            (value,): Part(str(value), kept(f"{names.get(value, value)}"), (order.get(value, len(order)), str(value)))
            for (value,) in values
        }

    def label(reader: Reader, part: str) -> str:
        found = by_id.get(part, (part,))
        return kept(part) if together and part in together else kept(f"{names.get(found[0], part)}")

    def find(reader: Reader, text: str) -> list[Part]:
        wanted = folded(text)
        found = [Part(part, label(reader, part)) for part in by_id]
        return [
            each for each in found if wanted and any(folded(words).startswith(wanted) for words in both(each.label))
        ]

    return Dim(
        key, words, (field_,), parts,
        lambda reader, part: Q(**{f"{field_}__in": by_id[part]}) if part in by_id else Q(pk__in=[]), find, label,
    )  # fmt: skip


def text(
    key: str, words: str, field_: str, none: str = "", rows: Callable[[Reader], Any] | None = None,
    shown: Callable[[str], str] = str,
) -> Dim:  # fmt: skip
    """Words as they stand: a merchant, a town. ``rows`` is where a typed text is looked for; ``shown`` makes them readable."""
    nothing = none or say("no {words}", words=words)

    def parts(reader: Reader, values: Values) -> dict[tuple[Any, ...], Part]:
        return {
            (value,): Part(str(value), shown(str(value))) if value else Part(NONE, nothing, ("~",))
            for (value,) in values
        }

    def where(reader: Reader, part: str) -> Q:
        return Q(**{field_: ""}) if part == NONE else Q(**{field_: part})

    def find(reader: Reader, typed: str) -> list[Part]:
        if rows is None:
            return []
        found = rows(reader).filter(**{f"{field_}__icontains": typed.strip()}).order_by(field_)
        return [Part(value, shown(value)) for value in found.values_list(field_, flat=True).distinct()[:7]]

    return Dim(key, words, (field_,), parts, where, find, lambda reader, part: nothing if part == NONE else shown(part))


def country(field_: str = "country") -> Dim:
    """In which country."""

    def label(reader: Reader, code: str) -> str:
        return reader.country_names.get(code, code) if code and code != NONE else say("no country")

    def parts(reader: Reader, values: Values) -> dict[tuple[Any, ...], Part]:
        return {(code,): Part(code or NONE, label(reader, code)) for (code,) in values}

    def find(reader: Reader, typed: str) -> list[Part]:
        wanted = folded(typed)
        rows = [
            (code, name)
            for code, name in reader.country_names.items()
            if wanted and (folded(name).startswith(wanted) or folded(code) == wanted)
        ]
        return [Part(code, name) for code, name in rows[:7]]

    return Dim(
        "country",
        say("country"),
        (field_,),
        parts,
        lambda reader, part: Q(**{field_: "" if part == NONE else part}),
        find,
        label,
    )


def trip(field_: str = "trip_id") -> Dim:
    """Of which trip it is."""

    def named(reader: Reader, ids: Iterable[int]) -> dict[int, str]:
        rows = Trip.objects.filter(firm=reader.firm, pk__in=set(ids)).values_list("pk", "number", "title")
        return {pk: joined("", (Trip(number=number).code, " ", title)) for pk, number, title in rows}

    def parts(reader: Reader, values: Values) -> dict[tuple[Any, ...], Part]:
        ids = [pk for (pk,) in values]
        names = named(reader, (pk for pk in ids if pk))
        return {
            (pk,): Part(str(pk), names.get(pk, say("a trip"))) if pk else Part(NONE, say("no trip"), ("~",))
            for pk in ids
        }

    def where(reader: Reader, part: str) -> Q:
        return Q(**{field_: whole(part)}) if part != NONE else Q(**{f"{field_}__isnull": True})

    def find(reader: Reader, text: str) -> list[Part]:
        typed = text.strip()
        number = typed.upper().removeprefix("T-").lstrip("0")
        wanted = Q(number=whole(number)) if number.isdigit() else Q(title__icontains=typed)
        rows = Trip.objects.visible_to(reader.member).filter(wanted).order_by("-number")[:7]
        return [Part(str(row.pk), joined("", (row.code, " ", row.title))) for row in rows.only("pk", "number", "title")]

    def label(reader: Reader, part: str) -> str:
        if part == NONE:
            return say("no trip")
        row = Trip.objects.visible_to(reader.member).filter(pk=whole(part)).only("pk", "number", "title").first()
        return joined("", (row.code, " ", row.title)) if row is not None else say("a trip")

    return Dim("trip", say("trip"), (field_,), parts, where, find, label)


def of_trip_codings(reader: Reader) -> list[Dim]:
    """One for each dimension of the ledger, of the coding that a trip carries."""
    return [_trip_coding(each.code, each.name) for each in reader.books.dimensions]


def _trip_coding(dimension: str, name: str) -> Dim:
    def codes(reader: Reader, ids: set[Any]) -> dict[Any, str]:
        rows = Trip.objects.filter(pk__in=ids).values_list("pk", "codes")
        return {pk: dict(pairs).get(dimension, "") for pk, pairs in rows}

    def where(reader: Reader, part: str) -> Q:
        rows = Trip.objects.filter(firm=reader.firm).values_list("pk", "codes")
        return Q(trip__in=[pk for pk, codes in rows if dict(codes).get(dimension, NONE) == part])

    return _of_codes(dimension, name, "trip_id", codes, where)
