"""Forms of the trip page."""

from __future__ import annotations

from datetime import datetime

from django import forms

from wainwright.core.journey import Mode
from wainwright.trips.models import PAID_BY
from wainwright.web.forms import AmountField, CodingForm, PlaceField, day_input

MODES = [(mode.value, mode.value.capitalize()) for mode in Mode]


class HeadForm(CodingForm):
    """Title, purpose and coding."""

    field_order = ["title", "purpose", "cost_centre", "project", "task", "fund"]
    title = forms.CharField(max_length=120)
    purpose = forms.CharField(max_length=500)


class LegForm(forms.Form):
    """One leg with local times."""

    mode = forms.ChoiceField(choices=MODES)
    origin = PlaceField(label="From", max_length=120)
    target = PlaceField(label="To", max_length=120)
    leaves_day = forms.DateField(label="Leaves", widget=day_input())
    leaves_time = forms.TimeField(label="at", widget=forms.TimeInput(attrs={"type": "time"}, format="%H:%M"))
    arrives_day = forms.DateField(
        label="Arrives",
        required=False,
        widget=day_input(),
        help_text="Empty: the same day.",
    )
    arrives_time = forms.TimeField(label="at", widget=forms.TimeInput(attrs={"type": "time"}, format="%H:%M"))
    estimate = AmountField(label="Estimate", required=False)
    paid_by = forms.ChoiceField(label="Who pays", choices=PAID_BY, initial="firm")

    @property
    def leaves(self) -> datetime:
        """Local time of leaving."""
        return datetime.combine(self.cleaned_data["leaves_day"], self.cleaned_data["leaves_time"])

    @property
    def arrives(self) -> datetime:
        """Local time of arriving; the same day where none was typed."""
        day = self.cleaned_data["arrives_day"] or self.cleaned_data["leaves_day"]
        return datetime.combine(day, self.cleaned_data["arrives_time"])


class StayForm(forms.Form):
    """Nights alike."""

    name = forms.CharField(label="Where", max_length=80, required=False)
    cost = AmountField(label="A night", required=False)
    paid_by = forms.ChoiceField(label="Who pays", choices=PAID_BY)
    supplied = forms.BooleanField(label="Quarters supplied", required=False)


class OtherForm(forms.Form):
    """Another expected cost."""

    category = forms.ChoiceField(label="What for")
    label = forms.CharField(max_length=80, required=False)
    amount = AmountField()
    paid_by = forms.ChoiceField(label="Who pays", choices=PAID_BY, initial="self")

    def __init__(self, *args, categories, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["category"].choices = [(c.code, c.name) for c in categories if not c.is_lodging]
