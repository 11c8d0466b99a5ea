"""The form of a rule: made of the typed parameters that its kind declares."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta
from typing import Any

from django import forms

from wainwright.core.money import places
from wainwright.core.rules import Kind, Level
from wainwright.core.rules.params import Param
from wainwright.core.said import joined, say
from wainwright.fields import AmountField, day_input, typed_number
from wainwright.rehearsal.laying_down import MOST_LETTERS, Typed
from wainwright.rulebook.models import Category

LEVELS = [
    (Level.STOP.value, say("Stop: nothing is sent until it is put right")),
    (Level.EXPLAIN.value, say("Explain: it is sent with a reason")),
    (Level.NOTE.value, say("Note: it is said, and stands in nobody's way")),
]
ON = [("plan", say("plans, while a trip is planned")), ("claim", say("claims"))]
NUMBERS = ("money", "days", "count", "percent", "km")


def field_of(param: Param, currency: str) -> forms.Field:
    """Return the form's field for a parameter: by its type, with its unit, default and help."""
    unit = currency if param.type == "money" else param.unit
    shared: dict[str, Any] = {
        "label": joined("", (param.label, ", ", unit)) if unit else param.label,
        "help_text": param.help,
        "required": param.needed,
    }
    if param.type == "yes":
        return forms.BooleanField(**{**shared, "required": False})
    if param.type == "choice":
        empty = [] if param.needed or param.default else [("", say("either"))]
        return forms.ChoiceField(choices=[*empty, *param.choices], **shared)
    if param.type == "money":
        # The service says what cannot be; here it is only brought to a plain number.
        return AmountField(decimal_places=places(currency), max_digits=14, min_value=None, **shared)
    text = forms.CharField(max_length=400, **shared)
    if param.type in NUMBERS:
        text.widget = forms.TextInput(attrs={"inputmode": "decimal", "autocomplete": "off", "size": 8})
    return text


class RuleForm(forms.Form):
    """A rule of one kind. What is typed is checked by the service; the form says where each fault belongs."""

    level = forms.ChoiceField(label=say("What it does"), choices=LEVELS, widget=forms.RadioSelect)
    text = forms.CharField(
        label=say("What a traveller reads"), max_length=MOST_LETTERS, widget=forms.Textarea(attrs={"rows": 2}), help_text=say("One sentence. It stands below each finding and in the firm's policy."),
    )  # fmt: skip
    reasons = forms.CharField(
        label=say("Reasons to choose of"), required=False, max_length=1500, widget=forms.Textarea(attrs={"rows": 3}), help_text=say("A line each. None: any words will do."),
    )  # fmt: skip
    subjects = forms.MultipleChoiceField(
        label=say("Looks at"), choices=ON, widget=forms.CheckboxSelectMultiple, required=False
    )
    categories = forms.MultipleChoiceField(
        label=say("Of these categories"),
        required=False,
        widget=forms.CheckboxSelectMultiple,
        help_text=say("None ticked: all."),
    )
    named = forms.CharField(
        label=say("For whom"), required=False, max_length=3000, widget=forms.Textarea(attrs={"rows": 2, "placeholder": say("everybody")}),
        help_text=say("Roles, codes of the coding, countries where people live, names: a line each."),
    )  # fmt: skip
    left_out = forms.CharField(
        label=say("But not for"), required=False, max_length=3000, widget=forms.Textarea(attrs={"rows": 2})
    )
    paragraph = forms.ChoiceField(label=say("In the policy under"), required=False)

    def __init__(
        self, *args, kind: Kind, currency: str, categories: Sequence[Category], headings: Sequence[str] = (), typed: Typed | None = None,
        **options,
    ):  # fmt: skip
        self.kind = kind
        self.first = typed or Typed(
            kind.code, Level.EXPLAIN.value, "", {p.name: p.default for p in kind.params}, (), sorted(kind.on)
        )
        super().__init__(*args, initial=self._first(kind, typed), **options)
        for param in kind.params:
            self.fields[f"param_{param.name}"] = field_of(param, currency)
        if kind.by_category:
            self.fields["categories"].choices = [(each.code, each.name) for each in categories]
        else:
            del self.fields["categories"]
        self.fields["subjects"].choices = [each for each in ON if each[0] in kind.on]
        kept = typed.paragraph if typed else ""
        # A heading that has left the policy can still be seen, and taken off.
        self.fields["paragraph"].choices = [
            ("", say("no paragraph")),
            *((each, each) for each in dict.fromkeys([*headings, *filter(None, [kept])])),
        ]

    def _first(self, kind: Kind, typed: Typed | None) -> dict[str, Any]:
        """What stands in the fields at first: the rule that is there, or the kind's own defaults."""
        if typed is None:
            first = {f"param_{param.name}": param.default for param in kind.params}
            return first | {"level": Level.EXPLAIN.value, "subjects": sorted(kind.on)}
        params = {
            f"param_{p.name}": typed.params.get(p.name, "") == "yes"
            if p.type == "yes"
            else typed.params.get(p.name, "")
            for p in kind.params
        }
        return {
            "level": typed.level, "text": typed.text, "reasons": typed.reasons, "subjects": list(typed.subjects), "named": typed.named,
            "categories": list(typed.categories), "left_out": typed.left_out, "paragraph": typed.paragraph, **params,
        }  # fmt: skip

    @property
    def params(self) -> list[forms.BoundField]:
        """The fields of the kind's own parameters."""
        return [self[f"param_{param.name}"] for param in self.kind.params]

    def typed(self) -> Typed:
        """What was typed, as the service reads it: what the form could not clean goes on as it stands."""
        d = self.cleaned_data
        params = {}
        for param in self.kind.params:
            value = d.get(f"param_{param.name}", self.data.get(f"param_{param.name}", ""))
            if param.type == "yes":
                value = "yes" if value is True else "no"
            elif param.type in NUMBERS and isinstance(value, str):
                value = typed_number(value, 2 if param.type == "percent" else 0)
            params[param.name] = "" if value is None else str(value)
        return Typed(
            self.kind.code, d.get("level", ""), d.get("text", ""), params, d.get("categories", []), d.get("subjects", []), d.get("named", ""),
            d.get("left_out", ""), d.get("reasons", ""), d.get("paragraph", ""),
        )  # fmt: skip


class DayForm(forms.Form):
    """A day on which something begins or ends."""

    on = forms.DateField(label=say("From"), widget=day_input())


class SpanForm(forms.Form):
    """Over which trips and claims a draft is rehearsed."""

    since = forms.DateField(label=say("From"), widget=day_input())
    until = forms.DateField(label=say("Until"), widget=day_input())
    whose = forms.CharField(
        label=say("Whose"),
        required=False,
        max_length=500,
        widget=forms.TextInput(attrs={"placeholder": say("everybody's")}),
    )

    @classmethod
    def of_last_year(cls, today: date) -> SpanForm:
        """The form as it begins: the last twelve months."""
        return cls(initial={"since": today - timedelta(days=365), "until": today})


def span_of_last_year(today: date) -> SpanForm:
    """Return the span form of a page that asks for other days as well."""
    return SpanForm(prefix="span", initial=SpanForm.of_last_year(today).initial)
