"""What asks for an act of an administrator: rules that change soon, rates that run out, gaps, people without an approver or a second factor."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, timedelta

from django.db.models import Count, Min, Model, Q, Value

from wainwright.core.said import as_figure, joined, say
from wainwright.core.waiting import CAN_WAIT, LATE, NEAR, Ask
from wainwright.founding.checklist import checklist
from wainwright.people.models import Membership
from wainwright.people.second_factor import without_second_factor
from wainwright.reports.reader import Reader
from wainwright.rulebook.models import AllowanceRate, Category, FirmQuestion, PolicyChange, RouteSetting, RuleSetting
from wainwright.staff.models import LimitChange
from wainwright.web.desk.worker import asks_of_the_worker

SOON, RUNNING_OUT = timedelta(days=30), timedelta(days=60)
NAMED = 3


def asks_of_administrator(reader: Reader) -> Iterator[Ask]:
    """Everything that an administrator is asked. Fifteen queries."""
    firm, today = reader.firm, reader.today
    if not reader.member.may["post"]:
        # Finance's own part of the desk says it already.
        yield from asks_of_the_worker(firm)
    found = checklist(firm)
    for step in found.steps:
        if not step.done and not step.advice:
            yield Ask(
                say("{step}: something is missing", step=step.name), step.link, say("See it"), LATE, detail=step.words
            )
    yield from _changing(reader)
    ending = AllowanceRate.objects.filter(firm=firm, until__gte=today, until__lte=today + RUNNING_OUT)
    ended = ending.aggregate(n=Count("pk"), first=Min("until"))
    if ended["n"]:
        first = ended["first"]
        yield Ask(
            say("allowance rate runs out") if ended["n"] == 1 else say("allowance rates run out"), "/rules/allowances/", say("See them"), NEAR, ended["n"], since=first,
            detail=say("the first on {first}", first=as_figure(first, "%-d %b %Y")),
        )  # fmt: skip
    if firm.factor_roles:
        members = list(Membership.objects.filter(firm=firm, active=True).select_related("person", "firm"))
        without = without_second_factor([each for each in members if each.needs_factor])
        if without:
            names = joined(", ", (each.person.name for each in without[:NAMED]))
            more = say(" and {without_count} more", without_count=len(without) - NAMED) if len(without) > NAMED else ""
            yield Ask(
                say("person has no second factor") if len(without) == 1 else say("people have no second factor"),
                "/people/",
                say("See who"),
                NEAR,
                len(without),
                detail=f"{names}{more}",
            )


# By key: what begins, of one and of several, and where it stands.
BEGINS = {
    "rule": (say("rule changes"), say("rules change"), "/rules/"), "route": (say("rule of the route changes"), say("rules of the route change"), "/rules/routes/"),
    "category": (say("category changes"), say("categories change"), "/rules/categories/"), "question": (say("question changes"), say("questions change"), "/rules/questions/"),
    "figure": (say("figure changes"), say("figures change"), "/rules/figures/"), "limit": (say("limit of authority changes"), say("limits of authority change"), "/rules/limits/"),
}  # fmt: skip


def _changing(reader: Reader) -> Iterator[Ask]:
    """What is laid down and begins within a month, so that nobody is surprised by it. One query."""
    soon = Q(firm=reader.firm, since__gt=reader.today, since__lte=reader.today + SOON)
    kinds: tuple[tuple[str, type[Model], Q], ...] = (
        ("rule", RuleSetting, Q(draft=False)), ("route", RouteSetting, Q(draft=False)), ("category", Category, Q(draft=False)), ("question", FirmQuestion, Q(draft=False)),
        ("figure", PolicyChange, Q(done=None)), ("limit", LimitChange, Q(done=None)),
    )  # fmt: skip
    rows = [
        model._default_manager.filter(soon & holds)
        .order_by()
        .annotate(of_kind=Value(key))
        .values_list("of_kind", "since")
        for key, model, holds in kinds
    ]
    found: dict[str, list[date]] = {}
    for key, since in rows[0].union(*rows[1:], all=True):
        found.setdefault(key, []).append(since)
    for key, days in found.items():
        one, many, link = BEGINS[key]
        first = min(days)
        yield Ask(
            one if len(days) == 1 else many,
            link,
            say("Look at it"),
            CAN_WAIT,
            len(days),
            since=first,
            detail=say("the first from {first}", first=as_figure(first, "%-d %b %Y")),
        )
