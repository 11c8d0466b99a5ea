"""The example journey on which a scheme is tried."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, time, timedelta

from django import forms

from wainwright.core.allowance import Rate
from wainwright.core.allowance.trying import Example
from wainwright.core.journey import Meal, Place
from wainwright.core.said import kept, say
from wainwright.fields import day_input
from wainwright.people.models import Firm

LONGEST = 400


class ExampleForm(forms.Form):
    """Away from when to when, where, on to where, and which meals are supplied."""

    leaves_on = forms.DateField(label=say("Leaves on"), widget=day_input())
    leaves_at = forms.TimeField(label=say("at"), widget=forms.TimeInput(attrs={"type": "time"}, format="%H:%M"))
    back_on = forms.DateField(label=say("Back on"), widget=day_input())
    back_at = forms.TimeField(label=say("at"), widget=forms.TimeInput(attrs={"type": "time"}, format="%H:%M"))
    place = forms.CharField(
        label=say("Where"), max_length=80, help_text=say("A town or a country of the rates, or: elsewhere.")
    )
    then = forms.CharField(label=say("then"), required=False, max_length=80)
    then_from = forms.DateField(label=say("from"), required=False, widget=day_input())
    meals = forms.MultipleChoiceField(
        label=say("Meals supplied"), required=False, choices=[(meal.value, kept(meal.value)) for meal in Meal], widget=forms.CheckboxSelectMultiple,
    )  # fmt: skip

    def __init__(self, *args, firm: Firm, rates: Sequence[Rate], today: date, **options):
        monday = today + timedelta(days=7 - today.weekday())
        initial = {
            "leaves_on": monday, "leaves_at": time(9), "back_on": monday + timedelta(days=2), "back_at": time(18),
        }  # fmt: skip
        super().__init__(*args, initial=initial, **options)
        self.known = {"elsewhere": Place("", "elsewhere", "", "", firm.zone)}
        for rate in rates:
            if rate.label != "elsewhere":
                place = Place("", rate.label, rate.town, rate.country, firm.zone)
                self.known.setdefault(rate.label.casefold(), place)
        self.home = Place("", "home", "", firm.country, firm.zone)

    @property
    def first_place(self) -> str:
        """A place to begin with: the first town of the rates."""
        return next((place.name for place in self.known.values() if place.town), "elsewhere")

    def clean_place(self) -> Place:
        """The place that was typed."""
        return self._place(self.cleaned_data["place"])

    def clean_then(self) -> Place | None:
        """The place after it, if one was typed."""
        return self._place(self.cleaned_data["then"]) if self.cleaned_data["then"] else None

    def _place(self, text: str) -> Place:
        found = self.known.get(text.strip().casefold())
        if found is None:
            raise forms.ValidationError(
                say(
                    "No rate names “{text}”. Write a town or the two letters of a country, or: elsewhere.",
                    text=text[:40],
                )
            )
        return found

    def clean(self):
        """Leaving before coming back, and not for years."""
        data = super().clean()
        if all(data.get(key) is not None for key in ("leaves_on", "leaves_at", "back_on", "back_at")):
            self.leaves = datetime.combine(data["leaves_on"], data["leaves_at"])
            self.back = datetime.combine(data["back_on"], data["back_at"])
            if self.back <= self.leaves:
                self.add_error("back_on", say("It is back before it leaves."))
            elif self.back - self.leaves > timedelta(days=LONGEST):
                self.add_error("back_on", say("That is more than {longest} days.", longest=LONGEST))
        return data

    def example(self) -> Example:
        """The example as typed."""
        d = self.cleaned_data
        then = d["then"] if d["then_from"] else None
        return Example(
            self.leaves, self.back, d["place"], then, d["then_from"], tuple(Meal(each) for each in d["meals"])
        )
