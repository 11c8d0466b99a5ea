"""Form fields that several areas use."""

from __future__ import annotations

from collections.abc import Sequence
from decimal import Decimal

from django import forms
from django.utils.html import format_html, format_html_join

from wainwright.accounts.selectors import Books
from wainwright.core.coding import LABELS, Coding
from wainwright.core.journey import Place
from wainwright.errors import Refusal
from wainwright.formats.places import best_place


class PlaceField(forms.CharField):
    """A place typed by code or by name; what it cleans to is a ``Place``."""

    widget = forms.TextInput(attrs={"list": "places", "autocomplete": "off", "hx-get": "/places/", "hx-trigger": "input changed delay:200ms", "hx-target": "#places", "hx-swap": "innerHTML", "hx-params": "*"})  # fmt: skip

    def clean(self, value) -> Place | None:
        """Find the place, or say that there is none."""
        text = super().clean(value)
        if not text:
            return None
        found = best_place(text)
        if found is None:
            raise forms.ValidationError(f"No place is known as “{text}”. Try the town, or an airport's three letters.")
        return found


def day_input() -> forms.DateInput:
    """A date as browsers want it."""
    return forms.DateInput(attrs={"type": "date"}, format="%Y-%m-%d")


def plain_number(text: str) -> str:
    """Bring an amount as people type it to digits with a point: the last comma or point stands before the cents."""
    text = text.replace("\u00a0", "").replace(" ", "").replace("−", "-")
    if text.rfind(",") > text.rfind("."):
        return text.replace(".", "").replace(",", ".")
    return text.replace(",", "")


class AmountField(forms.DecimalField):
    """An amount of money as people type it: a comma or a point before the cents, thousands parted or not."""

    widget = forms.TextInput(attrs={"inputmode": "decimal", "autocomplete": "off"})

    def __init__(self, **options):
        options.setdefault("max_digits", 12)
        options.setdefault("decimal_places", 2)
        options.setdefault("min_value", Decimal("0"))
        super().__init__(**options)

    def to_python(self, value):
        """Bring what was typed to a plain number."""
        return super().to_python(plain_number(value) if isinstance(value, str) else value)


class CodingForm(forms.Form):
    """The parts of a coding, offered from the firm's books."""

    cost_centre = forms.ChoiceField(label="Cost centre")
    project = forms.ChoiceField(required=False)
    task = forms.ChoiceField(required=False)
    fund = forms.ChoiceField(required=False)

    def __init__(self, *args, books: Books, **kwargs):
        super().__init__(*args, **kwargs)
        for name in ("cost_centre", "project", "task", "fund"):
            self.fields[name].choices = [("", "—"), *books.choices(name)]
            self.fields[name].label = LABELS[name].capitalize()

    @property
    def coding(self) -> Coding:
        """The coding that was chosen."""
        d = self.cleaned_data
        return Coding("", d["cost_centre"], d["project"], d["task"], d["fund"])


def coding_initial(thing) -> dict[str, str]:
    """A thing's coding as a form's first values."""
    return {"cost_centre": thing.cost_centre, "project": thing.project, "task": thing.task, "fund": thing.fund}


def whole(text: str | None) -> int:
    """A whole number of a form's hidden field; what is none counts as 0, which no object has."""
    try:
        number = int(text or "")
    except ValueError:
        return 0
    return number if 0 <= number < 2**63 else 0


def say(form: forms.Form, refusal: Refusal) -> None:
    """Put what a service refused beside the field it is about."""
    form.add_error(refusal.field if refusal.field in form.fields else None, refusal.message)


class PickInput(forms.TextInput):
    """A box with its choices below it, found by any part of a code or a name."""

    def __init__(self, attrs=None):
        super().__init__({"autocomplete": "off", **(attrs or {})})
        self.offered: list[str] = []

    def render(self, name, value, attrs=None, renderer=None):
        """The box, and the list that the browser offers from."""
        lists = f"{(attrs or {}).get('id', name)}-offered"
        box = super().render(name, value, {**(attrs or {}), "list": lists}, renderer)
        options = format_html_join("", '<option value="{}"></option>', ((each,) for each in self.offered))
        return format_html('{}<datalist id="{}">{}</datalist>', box, lists, options)


class PickField(forms.CharField):
    """A code found by any part of it or of its name; what it cleans to is the code. Recent ones are offered first."""

    widget = PickInput

    def __init__(self, *, pairs: Sequence[tuple[str, str]] = (), recent: Sequence[str] = (), **options):
        super().__init__(max_length=120, **options)
        self.offer(pairs, recent)

    def offer(self, pairs: Sequence[tuple[str, str]], recent: Sequence[str] = ()) -> None:
        """Set what can be picked, as (code, words), and which codes stand first."""
        first = {code: place for place, code in enumerate(recent)}
        self.pairs = sorted(pairs, key=lambda pair: first.get(pair[0], len(first)))
        self.widget.offered = [words for _, words in self.pairs]

    def prepare_value(self, value):
        """Show a code by its words."""
        return dict(self.pairs).get(value, value)

    def clean(self, value) -> str:
        """Find the code. What fits several says which."""
        text = " ".join(super().clean(value).split())
        if not text:
            return ""
        wanted = text.casefold()
        for code, words in self.pairs:
            if wanted in (code.casefold(), words.casefold()):
                return code
        found = [(code, words) for code, words in self.pairs if wanted in words.casefold() or wanted in code.casefold()]
        if len(found) == 1:
            return found[0][0]
        if found:
            names = ", ".join(words for _, words in found[:4])
            raise forms.ValidationError(
                f"“{text}” fits several: {names}{' and more' if len(found) > 4 else ''}. Type more of one."
            )
        raise forms.ValidationError(f"Nothing here is called “{text}”. Type any part of a name or a code.")
