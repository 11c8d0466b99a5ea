"""Figures and safeguards in the text of what a firm has laid down: how they stand there, what would change, how they are set."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from django import forms

from wainwright.core.said import joined, say
from wainwright.errors import Faults, Refusal
from wainwright.people.models import Firm, Membership
from wainwright.rehearsal.figures import FiguresForm
from wainwright.rulebook import figures as kept
from wainwright.rulebook.forms import SafeguardsForm
from wainwright.rulebook.models import Policy
from wainwright.rulebook.safeguards import check_safeguards, safeguards_of, set_safeguards

Read = tuple[Any, list[str], list[str]]


@dataclass(frozen=True)
class Table:
    """One table of the text: its name, its words, how it stands there now, how it is read, and how it is set."""

    name: str
    words: str
    now: Callable[[Firm], dict[str, Any]]
    read: Callable[[Membership, Mapping[str, Any]], Read]
    set: Callable[[Membership, Any], None]


def figures_of(firm: Firm) -> dict[str, Any]:
    """Return a firm's figures as they stand in the text."""
    policy = Policy.objects.get(firm=firm)
    said = {name: _said(getattr(policy, name)) for name in kept.NAMES}
    lists = {"quarters": kept.quarters_text(policy), "kin": kept.kin_text(policy)}
    return said | {name: text.splitlines() for name, text in lists.items()}


def _said(value: Any) -> Any:
    if isinstance(value, Decimal):
        return f"{value.normalize():f}"
    return value if isinstance(value, bool | int | list) else "" if value is None else str(value)


def _form(
    form: type[forms.Form], now: Mapping[str, Any], data: Mapping[str, Any], lines: bool
) -> tuple[forms.Form, list[str], list[str]]:
    """What is given over what is there, as a form reads it; what would change in words; what is no key of it."""
    faults = [say("{key}: there is no such figure.", key=key[:30]) for key in data if key not in now]
    given = dict(now) | {key: value for key, value in data.items() if key in now}
    does = [
        joined("", (name, ": ", _short(now[name]), " → ", _short(given[name])))
        for name in now
        if _short(now[name]) != _short(given[name])
    ]
    return form({key: _typed(value, lines) for key, value in given.items()}), does, faults


def _typed(value: Any, lines: bool) -> Any:
    """A value of the text as it would be typed."""
    if isinstance(value, list):
        return "\n".join(map(str, value)) if lines else [str(each) for each in value]
    return {True: "on", False: ""}[value] if isinstance(value, bool) else str(value)


def _short(value: Any) -> str:
    text = joined(", ", map(str, value)) if isinstance(value, list) else str(value)
    return text if len(text) <= 60 else f"{text[:60]}…"


def _wrong(form: forms.Form) -> list[str]:
    return [joined("", (name, ": ", joined(" ", words))) for name, words in form.errors.items()]


def _read_figures(by: Membership, data: Mapping[str, Any]) -> Read:
    form, does, faults = _form(FiguresForm, figures_of(by.firm), data, lines=True)
    if not form.is_valid():
        return None, [], faults + _wrong(form)
    wanted = {name: form.cleaned_data[name] for name in (*kept.NAMES, "quarters", "kin")}
    try:
        kept.read_figures(Policy.objects.get(firm=by.firm), wanted, wanted["quarters"], wanted["kin"])
    except Faults as wrong:
        faults += [joined("", (name, ": ", words)) for name, words in wrong.faults.items()]
    return wanted, does, faults


def _set_figures(by: Membership, wanted: Mapping[str, Any]) -> None:
    seen = kept.digest(Policy.objects.get(firm=by.firm))
    kept.set_figures(by, wanted, wanted["quarters"], wanted["kin"], seen)


def safeguards_said(firm: Firm) -> dict[str, Any]:
    """Return a firm's safeguards as they stand in the text."""
    form = SafeguardsForm(initial=safeguards_of(firm))
    return {name: _said(form.initial[name]) for name in form.fields if name in form.initial}


def _read_safeguards(by: Membership, data: Mapping[str, Any]) -> Read:
    form, does, faults = _form(SafeguardsForm, safeguards_said(by.firm), data, lines=False)
    if not form.is_valid():
        return None, [], faults + _wrong(form)
    wanted = form.wanted(by.firm.currency)
    try:
        check_safeguards(by, wanted)
    except Refusal as refusal:
        faults.append(joined("", (refusal.field, ": ", refusal.message)))
    return wanted, does, faults


TABLES = {
    each.name: each
    for each in (
        Table("figures", say("The firm's figures"), figures_of, _read_figures, _set_figures),
        Table("safeguards", say("The safeguards"), safeguards_said, _read_safeguards, set_safeguards),
    )
}
