"""Form fields that several areas use."""

from __future__ import annotations

import re
from collections.abc import Sequence
from datetime import date
from decimal import Decimal

from django import forms
from django.utils.html import format_html, format_html_join

from wainwright.core.journey import Place
from wainwright.core.picking import Nothing, PickList, Several
from wainwright.core.said import joined, say
from wainwright.errors import Faults, Refusal
from wainwright.formats.places import best_place
from wainwright.language import decimal_comma, in_box

# So many of a long list are offered before anything is typed, and found while it is.
FEW = 12


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
            raise forms.ValidationError(
                say("No place is known as “{text}”. Try the town, or an airport's three letters.", text=text)
            )
        return found


def day_input() -> forms.DateInput:
    """A date as browsers want it."""
    return forms.DateInput(attrs={"type": "date"}, format="%Y-%m-%d")


# Commas with exactly three digits behind each, or several such points, and no nought before the first. One point alone
# could be either: 5.005 is left as it is, and refused where it is too fine.
_GROUPED = re.compile(r"-?[1-9]\d{0,2}(?:(?:,\d{3})+|(?:\.\d{3}){2,})")


def plain_number(text: str, decimals: int = 3) -> str:
    """Bring an amount as people type it to digits with a point: the last comma or point stands before the cents.

    Where there are fewer than three ``decimals``, a comma with three digits behind it parts thousands: 1,240 is never 1.24.
    """
    text = text.replace("\u00a0", "").replace(" ", "").replace("−", "-")
    if decimals < 3 and _GROUPED.fullmatch(text):
        return text.replace(",", "").replace(".", "")
    if text.rfind(",") > text.rfind("."):
        return text.replace(".", "").replace(",", ".")
    return text.replace(",", "")


# Points that part thousands where a comma stands before the cents: 1.240, 1.240.500.
_POINTED = re.compile(r"-?[1-9]\d{0,2}(?:\.\d{3})+")


def typed_number(text: str, decimals: int = 3) -> str:
    """Bring a number that a person types to digits with a point, as the language that they read writes numbers.

    Where a comma stands before the cents, 1.240 is more than a thousand and 1,240 a little more than one; 1.5 is what it would
    be on any keypad, and so is what has more decimals than money has.
    """
    text = text.replace("\u00a0", "").replace("\u202f", "").replace(" ", "").replace("−", "-")
    if not decimal_comma():
        return plain_number(text, decimals)
    if decimals < 3 and _POINTED.fullmatch(text):
        return text.replace(".", "")
    return text.replace(".", "").replace(",", ".") if "," in text else text


def typed_day(text: str) -> date:
    """A day as browsers send it, or as the language that is read writes it (24.12.2026). Raises ``ValueError``."""
    text = text.strip()
    if decimal_comma() and (found := _DOTTED.fullmatch(text)):
        year = int(found[3])
        return date(year if year > 99 else 2000 + year, int(found[2]), int(found[1]))
    return date.fromisoformat(text)


_DOTTED = re.compile(r"(\d{1,2})\.\s?(\d{1,2})\.\s?(\d{4}|\d{2})")


class _TypedField(forms.DecimalField):
    """A number in a box that is typed over."""

    widget = forms.TextInput(attrs={"inputmode": "decimal", "autocomplete": "off"})

    def prepare_value(self, value):
        """A number that stands there already is written as the language writes it; what was typed stays as it was typed."""
        return in_box(value) if isinstance(value, Decimal) else value


class NumberField(_TypedField):
    """A number as people type it: a comma or a point before the decimals."""

    def to_python(self, value):
        """Bring what was typed to a plain number."""
        return super().to_python(typed_number(value, 9) if isinstance(value, str) else value)


class AmountField(_TypedField):
    """An amount of money as people type it: a comma or a point before the cents, thousands parted or not."""

    def __init__(self, **options):
        options.setdefault("max_digits", 12)
        options.setdefault("decimal_places", 2)
        options.setdefault("min_value", Decimal("0"))
        super().__init__(**options)

    def to_python(self, value):
        """Bring what was typed to a plain number."""
        if isinstance(value, str):
            value = typed_number(value, 3 if self.decimal_places is None else self.decimal_places)
        return super().to_python(value)


def few(words: Sequence[str], most: int = 5) -> list[str]:
    """The first few of many sentences, and how many more there are."""
    return [
        *words[:most],
        *([say("And {words_count} more like these.", words_count=len(words) - most)] if len(words) > most else []),
    ]


def whole(text: str | None) -> int:
    """A whole number of a form's hidden field; what is none counts as 0, which no object has."""
    try:
        number = int(text or "")
    except ValueError:
        return 0
    return number if 0 <= number < 2**63 else 0


def day_of(text: str | None, missing: str, field: str = "on") -> date:
    """A day as a form sends it. Raises ``Refusal`` with ``missing`` where it is none."""
    try:
        return typed_day(text or "")
    except ValueError as error:
        raise Refusal(missing, field) from error


def day_or_none(text: str | None, which: str, field: str = "on") -> date | None:
    """A day as a form sends it, nothing where none was typed. Raises ``Refusal`` that says what it is and ``which`` is wanted."""
    text = (text or "").strip()
    return day_of(text, say("“{text}” is no day. {which}", text=text[:20], which=which), field) if text else None


def tell(form: forms.Form, refusal: Refusal) -> None:
    """Put what a service refused beside the field it is about."""
    form.add_error(refusal.field if refusal.field in form.fields else None, refusal.message)


def say_faults(form: forms.Form, faults: Faults) -> None:
    """Put everything that a service found wrong beside its fields, but where the form says already what is wrong."""
    for name, words in faults.faults.items():
        if name not in form.errors:
            form.add_error(name if name in form.fields else None, words)


class PickInput(forms.TextInput):
    """A box with its choices below it, found by any part of a code or a name; those of a long list are fetched while typing."""

    def __init__(self, attrs=None):
        super().__init__({"autocomplete": "off", **(attrs or {})})
        self.offered: list[str] = []
        self.address = ""

    def render(self, name, value, attrs=None, renderer=None):
        """The box, and the list that the browser offers from."""
        lists = f"{(attrs or {}).get('id', name)}-offered"
        fetch = {}
        if self.address:
            fetch = {"hx-get": self.address, "hx-trigger": "input changed delay:150ms", "hx-target": f"#{lists}",
                     "hx-swap": "innerHTML"}  # fmt: skip
        box = super().render(name, value, {**(attrs or {}), **fetch, "list": lists}, renderer)
        options = format_html_join("", '<option value="{}"></option>', ((each,) for each in self.offered))
        return format_html('{}<datalist id="{}">{}</datalist>', box, lists, options)


class PickField(forms.CharField):
    """One of a list, found by any part of its code or of its name; what it cleans to is the code. Recent ones are offered first.

    ``address`` answers with what fits while it is typed, so that the page holds ``FEW`` of a long list.
    """

    widget = PickInput

    def __init__(self, *, picks: PickList | None = None, recent: Sequence[str] = (), address: str = "", **options):
        super().__init__(max_length=120, **options)
        self.offer(picks or PickList(()), recent, address)

    def offer(self, picks: PickList, recent: Sequence[str] = (), address: str = "") -> None:
        """Set what can be picked and which codes stand first."""
        self.picks = picks
        most = FEW if address else len(picks.rows)
        self.widget.offered = [picks.words(code) for code in picks.first(recent, most)]
        self.widget.address = address

    def prepare_value(self, value):
        """Show a code by its words."""
        return self.picks.words(value) if value else value

    def clean(self, value) -> str:
        """Find the code. What fits several says which."""
        text = " ".join(super().clean(value).split())
        if not text:
            return ""
        try:
            return self.picks.exact(text)
        except Several as several:
            names = joined(", ", (self.picks.words(code) for code in several.codes[:4]))
            more = say(" and more") if len(several.codes) > 4 else ""
            raise forms.ValidationError(
                say("“{text}” fits several: {names}{more}. Type more of one.", text=text, names=names, more=more)
            ) from several
        except Nothing as nothing:
            raise forms.ValidationError(
                say("Nothing here is called “{text}”. Type any part of a name or a code.", text=text)
            ) from nothing
