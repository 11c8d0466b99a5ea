"""Forms of the trip page."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from decimal import Decimal
from typing import Any

from django import forms

from wainwright.accounts.forms import CodingForm
from wainwright.bookings.models import KINDS
from wainwright.core.journey import Meal, Mode
from wainwright.core.rules.facts import PAPERS
from wainwright.core.said import capital, kept, say
from wainwright.fields import AmountField, NumberField, PlaceField, day_input
from wainwright.trips.models import PAID_BY
from wainwright.trips.services.details import HANDY

MODES = [(mode.value, capital(kept(mode.value))) for mode in Mode]


def hour_input() -> forms.TimeInput:
    """An hour as browsers want it."""
    return forms.TimeInput(attrs={"type": "time"}, format="%H:%M")


class Named(forms.Form):
    """A form among others on one page: its fields carry ids of their own."""

    ids = ""

    def __init__(self, *args, **kwargs):
        super().__init__(*args, **({"auto_id": f"{self.ids}_%s"} | kwargs))


class HeadForm(CodingForm):
    """Title, purpose and coding."""

    title = forms.CharField(max_length=120)
    purpose = forms.CharField(max_length=500)


class StartForm(HeadForm):
    """As a trip is started: without a title it is called by its purpose."""

    title = forms.CharField(max_length=120, required=False, help_text=say("Empty: as what it is for."))
    field_order = ("title", "purpose")

    def clean(self):
        """Call it by its purpose."""
        found = super().clean()
        if found.get("purpose") and not found.get("title"):
            found["title"] = " ".join(found["purpose"].split())[:120]
        return found


class TravelledForm(Named):
    """When a leg really left and arrived, in local times."""

    ids = "travelled"
    leaves_day = forms.DateField(label=say("Left on"), widget=day_input())
    leaves_time = forms.TimeField(label=say("at"), widget=hour_input())
    arrives_day = forms.DateField(label=say("Arrived"), widget=day_input())
    arrives_time = forms.TimeField(label=say("at"), widget=hour_input())

    @property
    def times(self) -> tuple[datetime, datetime]:
        """The local times of leaving and arriving."""
        d = self.cleaned_data
        return datetime.combine(d["leaves_day"], d["leaves_time"]), datetime.combine(
            d["arrives_day"], d["arrives_time"]
        )


class LegForm(Named):
    """One leg with local times; for the own car the distance, and the way back in one act."""

    ids = "leg"
    mode = forms.ChoiceField(choices=MODES)
    origin = PlaceField(label=say("Where from"), max_length=120)
    target = PlaceField(label=say("Where to"), max_length=120)
    leaves_day = forms.DateField(label=say("Leaves"), widget=day_input())
    leaves_time = forms.TimeField(label=say("at"), widget=hour_input())
    arrives_day = forms.DateField(
        label=say("Arrives"), required=False, widget=day_input(), help_text=say("Empty: the same day.")
    )
    arrives_time = forms.TimeField(label=say("at"), widget=hour_input())
    estimate = AmountField(label=say("Estimate"), required=False)
    paid_by = forms.ChoiceField(label=say("Who pays"), choices=PAID_BY, initial="firm")
    vehicle = forms.CharField(
        label=say("Own vehicle"), required=False, max_length=20, help_text=say("Empty: the car; or another kind that has a rate."),
    )  # fmt: skip
    km = NumberField(
        label=say("km one way"), required=False, max_digits=7, decimal_places=1, min_value=Decimal("0.1"),
        help_text=say("Empty: looked up."), widget=forms.TextInput(attrs={"inputmode": "decimal"}),
    )  # fmt: skip
    odometer_start = NumberField(label=say("or odometer from"), required=False, max_digits=8, decimal_places=1, widget=forms.TextInput(attrs={"inputmode": "decimal"}))  # fmt: skip
    odometer_end = NumberField(label=say("to"), required=False, max_digits=8, decimal_places=1, widget=forms.TextInput(attrs={"inputmode": "decimal"}))  # fmt: skip
    passengers = forms.IntegerField(required=False, min_value=0, max_value=8)
    back_day = forms.DateField(label=say("The same way back on"), required=False, widget=day_input())
    back_time = forms.TimeField(label=say("at"), required=False, widget=hour_input())

    @property
    def leaves(self) -> datetime:
        """Local time of leaving."""
        return datetime.combine(self.cleaned_data["leaves_day"], self.cleaned_data["leaves_time"])

    @property
    def arrives(self) -> datetime:
        """Local time of arriving; the same day where none was typed."""
        day = self.cleaned_data["arrives_day"] or self.cleaned_data["leaves_day"]
        return datetime.combine(day, self.cleaned_data["arrives_time"])

    @property
    def odometer(self) -> tuple[Decimal, Decimal] | None:
        """Both readings, or nothing."""
        d = self.cleaned_data
        if d.get("odometer_start") is None or d.get("odometer_end") is None:
            return None
        return d["odometer_start"], d["odometer_end"]

    @property
    def back(self) -> tuple[datetime, datetime] | None:
        """When the same way back leaves and arrives, as long on the way as out."""
        d = self.cleaned_data
        if not d.get("back_day") or not d.get("back_time"):
            return None
        leaves = datetime.combine(d["back_day"], d["back_time"])
        return leaves, leaves + (self.arrives - self.leaves)


class StayForm(forms.Form):
    """Nights alike."""

    name = forms.CharField(label=say("Where"), max_length=80, required=False)
    cost = AmountField(label=say("A night"), required=False)
    paid_by = forms.ChoiceField(label=say("Who pays"), choices=PAID_BY)
    supplied = forms.BooleanField(label=say("Quarters supplied"), required=False)
    lifted = forms.BooleanField(label=say("Ask for actual cost"), required=False)
    lodging = forms.ChoiceField(label=say("Kind"), required=False)
    why = forms.CharField(label=say("Why it has to be so"), max_length=500, required=False)

    def __init__(self, *args: Any, lodgings: Sequence[str] = (), **options: Any) -> None:
        super().__init__(*args, **options)
        # Asked only where a rate differs by it.
        if lodgings:
            self.fields["lodging"].choices = [("", say("as usual")), *((each, kept(each)) for each in lodgings)]
        else:
            del self.fields["lodging"]


class OtherForm(Named):
    """Another expected cost."""

    ids = "other"
    category = forms.ChoiceField(label=say("What for"))
    label = forms.CharField(max_length=80, required=False)
    day = forms.DateField(required=False, widget=day_input())
    amount = AmountField()
    paid_by = forms.ChoiceField(label=say("Who pays"), choices=PAID_BY, initial="self")

    def __init__(self, *args, categories, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["category"].choices = [(c.code, c.name) for c in categories]


class HostForm(Named):
    """What the host supplies on a span of days."""

    ids = "host"
    first = forms.DateField(label=say("From"), widget=day_input())
    last = forms.DateField(label=say("to"), widget=day_input())
    meals = forms.MultipleChoiceField(
        choices=[(m.value, capital(kept(m.value))) for m in Meal], required=False, widget=forms.CheckboxSelectMultiple
    )
    quarters = forms.BooleanField(label=say("Quarters too"), required=False)


class FullForm(Named):
    """That supplied quarters were full."""

    ids = "full"
    when = forms.DateField(label=say("Asked on"), widget=day_input())
    who = forms.CharField(label=say("Who said so"), max_length=80)
    reference = forms.CharField(label=say("Their reference"), max_length=60)


class EngagementForm(Named):
    """What the traveller must be in time for."""

    ids = "engagement"
    title = forms.CharField(label=say("What"), max_length=80)
    place = PlaceField(label=say("Where"), max_length=120)
    day = forms.DateField(widget=day_input())
    time = forms.TimeField(label=say("at"), widget=hour_input())


class PermissionForm(Named):
    """A special permission asked for by hand."""

    ids = "permission"
    code = forms.ChoiceField(label=say("Which"), choices=[(c, t or say("Another")) for c, t in HANDY.items()])
    title = forms.CharField(label=say("What is to be allowed"), max_length=80, required=False)
    comment = forms.CharField(label=say("Why"), max_length=300)


class PaperForm(Named):
    """A paper with its kind."""

    ids = "paper"
    kind = forms.ChoiceField(choices=[(k, capital(kept(k))) for k in PAPERS])
    file = forms.FileField(
        widget=forms.FileInput(attrs={"accept": "application/pdf,image/*", "data-send-on-change": ""}),
        help_text=say("Attached as soon as it is chosen."),
    )


class ByHandForm(Named):
    """What was bought elsewhere."""

    ids = "hand"
    kind = forms.ChoiceField(label=say("What"), choices=[k for k in KINDS if k[0] not in ("stay", "car")])
    number = forms.CharField(label=say("Its number"), max_length=40)
    label = forms.CharField(label=say("For"), max_length=160, required=False)
    supplier = forms.CharField(label=say("Bought at"), max_length=160, required=False)
    day = forms.DateField(label=say("For the day"), widget=day_input())
    amount = AmountField()
    fee = AmountField(label=say("Agent's fee with it"), required=False)
    paid_by = forms.ChoiceField(label=say("Who paid"), choices=PAID_BY, initial="central")


class CopyForm(forms.Form):
    """One detail of the profile, changed on a trip."""

    name = forms.ChoiceField(choices=[(n, n) for n in ("itinerary_email", "phone", "home")])
    value = forms.CharField(max_length=120, required=False)
