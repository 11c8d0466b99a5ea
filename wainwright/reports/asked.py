"""How a report is asked: read from an address, said as a sentence, written back as an address."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any
from urllib.parse import urlencode

from wainwright.core.said import as_figure, both, joined, said_by, say
from wainwright.core.spans import NoSpan, Span, span_before, span_of
from wainwright.core.table import Part
from wainwright.errors import Refusal
from wainwright.fields import typed_day, whole
from wainwright.reports.dims import Dim
from wainwright.reports.reader import Reader
from wainwright.reports.report import Report

AGAINST = {"": say("nothing"), "before": say("the time before"), "year": say("a year before")}
PICTURES = {
    "bars": say("bars"),
    "line": say("a line"),
    "stacked": say("stacked bars"),
    "share": say("shares"),
    "heat": say("week by day"),
    "none": say("no picture"),
}
MOST_CONDITIONS = 20


@dataclass(frozen=True)
class Asked:
    """What is asked of a report."""

    span: Span | None
    by: tuple[str, ...] = ()
    across: str = ""
    against: str = ""
    of: tuple[tuple[str, str], ...] = ()
    measure: str = ""
    order: str = ""
    without: tuple[str, ...] = ()
    picture: str = "bars"

    def address(self, **changes: Any) -> str:
        """The question as it stands in an address, with what is changed."""
        now = replace(self, **changes)
        pairs: list[tuple[str, str]] = []
        if now.span is not None:
            pairs.append(("span", now.span.code))
            if now.span.code == "days":
                pairs += [("since", now.span.since.isoformat()), ("until", now.span.until.isoformat())]
        pairs += [("by", each) for each in now.by] or [("by", "")]
        pairs += [("of", f"{dim}:{part}") for dim, part in now.of] or [("of", "")]
        pairs += [("without", each) for each in now.without]
        pairs += [(name, getattr(now, name)) for name in ("across", "against", "measure", "order", "picture")]
        return urlencode(pairs)

    def data(self) -> dict[str, list[str]]:
        """The question as plain data, as ``read`` takes it: spans by name stay names, so that next year's answer is of next year."""
        found: dict[str, list[str]] = {
            "by": list(self.by) or [""],
            "of": [f"{dim}:{part}" for dim, part in self.of] or [""],
            "without": list(self.without),
        }
        for name in ("across", "against", "measure", "order", "picture"):
            found[name] = [getattr(self, name)]
        if self.span is not None:
            found["span"] = [self.span.code]
            if self.span.code == "days":
                found |= {"since": [self.span.since.isoformat()], "until": [self.span.until.isoformat()]}
        return found

    @property
    def days(self) -> Span:
        """The time that it is of. Raises ``ValueError`` for a report of now, which has none."""
        if self.span is None:
            raise ValueError("the time that it is of is asked for")
        return self.span

    def people(self) -> list[int]:
        """The people that it is of, by their numbers; none where it is of everybody."""
        return [whole(part) for dim, part in self.of if dim == "person"]

    def narrowed(self, of: Sequence[tuple[str, str]]) -> tuple[tuple[str, str], ...]:
        """What it is of, with further conditions; one that stands already is not said twice."""
        return tuple(dict.fromkeys((*self.of, *of)))


@dataclass(frozen=True)
class Choice:
    """One of several things that a typed text may mean."""

    dim: Dim
    part: Part

    @property
    def of(self) -> str:
        """As it stands in an address."""
        return f"{self.dim.key}:{self.part.id}"


@dataclass(frozen=True)
class Read:
    """A question as it was read, with what was wrong in it, by field, and what a typed text may mean."""

    asked: Asked
    faults: dict[str, str]
    choices: tuple[Choice, ...] = ()
    typed: str = ""


def read(report: Report, reader: Reader, data: Mapping[str, Sequence[str]]) -> Read:
    """Read a question from an address. What is wrong is said and left out, so that there is an answer beside the words."""
    faults: dict[str, str] = {}

    def one(name: str, default: str = "") -> str:
        values = data.get(name) or [default]
        return values[-1]

    dims = {dim.key: dim for dim in report.dims(reader)}
    span = _span(report, reader, one("span", report.span), one("since"), one("until"), faults)
    coding = next((key for key in dims if key.startswith("coding.")), "")
    grouped = [coding if each == "coding" else each for each in data.get("by", report.by)]
    by = tuple(dict.fromkeys(each for each in grouped if each in dims))[:3]
    across = one("across", report.across)
    if across not in dims or across in by:
        across = ""
    if across and not by:
        by, across = (across,), ""
    of, choices, typed = _conditions(report, reader, data, dims, faults)
    measures = {each.key for each in (*report.measures, *report.ratios)}
    against = one("against") if span is not None and one("against") in AGAINST else ""
    if against and span is not None:
        try:
            span_before(span, against)
        except NoSpan as error:
            faults["against"], against = said_by(error), ""
    picture = one("picture", report.picture)
    return Read(
        Asked(
            span, by, across, against, of, one("measure") if one("measure") in measures else "", one("order")[:80],
            _left_out(data), picture if picture in PICTURES else report.picture,
        ), faults, choices, typed,
    )  # fmt: skip


def read_rightly(report: Report, reader: Reader, data: Mapping[str, Sequence[str]]) -> Asked:
    """Read a question of which nothing may be left out, since nobody looks at it. Raises ``Refusal`` for what is wrong in it."""
    found = read(report, reader, data)
    if found.faults:
        raise Refusal(joined(" ", found.faults.values()))
    return found.asked


def _left_out(data: Mapping[str, Sequence[str]]) -> tuple[str, ...]:
    """The columns that are left out: of those that were offered, the ones that were not ticked; others as they were."""
    offered, ticked = data.get("had", ()), set(data.get("columns", ()))
    before = [each for each in data.get("without", ()) if each not in offered]
    return tuple(dict.fromkeys(each[:80] for each in (*(each for each in offered if each not in ticked), *before)))[:60]


def _span(report: Report, reader: Reader, code: str, since: str, until: str, faults: dict[str, str]) -> Span | None:
    if not report.span:
        return None
    try:
        days = [typed_day(text) if text else None for text in (since, until)]
    except ValueError:
        faults["span"] = say("Write each day as 2026-10-14.")
        days = [None, None]
    try:
        return span_of(code, reader.today, *days)
    except NoSpan as error:
        faults.setdefault("span", said_by(error))
        return span_of(report.span, reader.today)


def _conditions(
    report: Report, reader: Reader, data: Mapping[str, Sequence[str]], dims: Mapping[str, Dim], faults: dict[str, str]
) -> tuple[tuple[tuple[str, str], ...], tuple[Choice, ...], str]:
    """The conditions of a question: those that stand in it, and what was typed to be added."""
    pairs = [tuple(each.partition(":")[::2]) for each in data.get("of", ())] if "of" in data else list(report.of)
    of = dict.fromkeys((dim, part) for dim, part in pairs if dim in dims and part)
    if any(dim and dim not in dims for dim, _ in pairs):
        faults["of"] = say("A condition of this address is none that the report knows; it was left out.")
    typed = " ".join((data.get("add") or [""])[-1].split())[:80]
    meant = (data.get("chosen") or [""])[-1].partition(":")[::2]
    if meant[0] in dims and meant[1]:
        # What was typed might be several things, and this one was chosen of them.
        of[meant[0], meant[1]] = None
        typed = ""
    if not typed:
        return tuple(of)[:MOST_CONDITIONS], (), ""
    if len(of) >= MOST_CONDITIONS:
        faults["add"] = say(
            "More than {most_conditions} conditions make no question. Take one off first.",
            most_conditions=MOST_CONDITIONS,
        )
        return tuple(of)[:MOST_CONDITIONS], (), typed
    found = [Choice(dim, part) for dim in dims.values() for part in dim.find(reader, typed)]
    same = [
        each
        for each in found
        if typed.casefold() in {words.casefold() for words in (*both(each.part.label), each.part.id)}
    ]
    fits = same if len(same) == 1 else found
    if len(fits) == 1:
        of[fits[0].dim.key, fits[0].part.id] = None
        return tuple(of), (), ""
    if not fits:
        faults["add"] = say(
            "“{typed}” is none of {listed}. Type any part of a name or a code.",
            typed=typed,
            listed=_listed([dim.words for dim in dims.values() if not dim.time]),
        )
    else:
        faults["add"] = say("“{typed}” may mean several things. Choose one, or type more of it.", typed=typed)
    return tuple(of), tuple(fits[:12]), typed


def _listed(words: Sequence[str]) -> str:
    found = list(dict.fromkeys(words))
    return (
        joined(", ", found[:-1]) + (say(" and ") if len(found) > 1 else "") + found[-1]
        if found
        else say("what it knows")
    )


def condition_words(report: Report, reader: Reader, asked: Asked) -> list[tuple[str, str, str]]:
    """Each condition as (its dimension in words, what it is, how it stands in an address)."""
    dims = {dim.key: dim for dim in report.dims(reader)}
    return [(dims[key].words, dims[key].label(reader, part), f"{key}:{part}") for key, part in asked.of if key in dims]


def sentence(report: Report, reader: Reader, asked: Asked) -> str:
    """The question in words, as it stands over files and kept answers."""
    dims = {dim.key: dim for dim in report.dims(reader)}
    said = [report.title]
    if asked.by:
        said.append(
            say("by {listed}", listed=_listed([dims[key].words for key in (*asked.by, *filter(None, [asked.across]))]))
        )
    conditions = condition_words(report, reader, asked)
    if conditions:
        said.append(say("of {things}", things=joined(", ", (label for _, label, _ in conditions))))
    if asked.span is not None:
        said.append(asked.span.words)
        if asked.span.code != "days":
            said[-1] += say(
                " ({since} to {until})",
                since=as_figure(asked.span.since, "%-d %b %Y"),
                until=as_figure(asked.span.until, "%-d %b %Y"),
            )
    if asked.against:
        said.append(say("against {against}", against=AGAINST[asked.against]))
    return joined(", ", said)
