"""Forms for costs, rides and receipts."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from django import forms

from wainwright.accounts.forms import CodingForm, code_field
from wainwright.accounts.selectors import books
from wainwright.core.mileage import from_km, in_km
from wainwright.core.money import Money, places
from wainwright.core.picking import PickList
from wainwright.core.said import capital, joined, kept, say
from wainwright.expenses.models import PAID_BY, Expense, Receipt
from wainwright.expenses.proposals import Recent, recent_of
from wainwright.expenses.services.rides import Ride
from wainwright.fields import AmountField, NumberField, PickField, PlaceField, day_input
from wainwright.formats.places import best_place
from wainwright.language import country_names
from wainwright.people.models import Membership
from wainwright.rulebook.models import Category
from wainwright.rulebook.selectors import rulebook, vehicle_kinds

CURRENCIES = ["EUR", "NOK", "GBP", "SEK", "DKK", "PLN", "USD"]


def currencies_of(member: Membership) -> list[tuple[str, str]]:
    """The currencies offered, the firm's own first."""
    own = member.firm.currency
    return [(c, c) for c in [own, *(c for c in CURRENCIES if c != own)]]


def countries() -> list[tuple[str, str]]:
    """The countries of the world by name, nothing first."""
    return [("", "—"), *country_names().items()]


class CostForm(CodingForm):
    """A cost by hand."""

    date = forms.DateField(widget=day_input())
    merchant = forms.CharField(max_length=120, required=False, label=say("Paid to"))
    category = PickField(label=say("What for"))
    amount = AmountField(min_value=None)
    currency = forms.ChoiceField()
    rate = NumberField(
        label=say("Rate on your exchange receipt"), required=False, min_value=Decimal("0.0001"), max_value=Decimal(100000),
        help_text=say("Empty: the table's rate of the day."),
    )  # fmt: skip
    tax_rate = NumberField(label=say("Tax %"), required=False, min_value=0, max_value=60)
    tax = AmountField(label=say("Tax"), required=False, help_text=say("As on the receipt; empty: worked out."))
    paid_by = forms.ChoiceField(label=say("Who paid"), choices=PAID_BY)
    description = forms.CharField(max_length=200, required=False)
    guests = forms.CharField(max_length=300, required=False, label=say("Who was there"))
    heads = forms.IntegerField(label=say("Heads"), min_value=1, max_value=200, required=False, initial=1)
    reference = forms.CharField(max_length=60, required=False, help_text=say("Invoice or ticket number."))
    country = forms.ChoiceField(
        label=say("Paid in"),
        required=False,
        choices=countries,
        help_text=say("Empty: as the paper, the town and the day say."),
    )

    def __init__(
        self,
        *args: Any,
        member: Membership,
        recent: Recent | None = None,
        categories: dict[str, Category] | None = None,
        **kwargs: Any,
    ) -> None:
        recent, ledger = recent or recent_of(member), books(member.firm)
        super().__init__(*args, books=ledger, keep=member.coding, recent=recent.codes, needed=False, **kwargs)
        self.fields["currency"].choices = currencies_of(member)
        categories = [(c.code, c.name) for c in (categories or rulebook(member.firm).choices(member)).values()]
        self.fields["category"].offer(PickList.of(categories, with_codes=False), recent.categories)
        self.fields["customer"] = code_field(
            ledger,
            "customer",
            recent.customers,
            required=False,
            label=say("Bill on to"),
            help_text=say("A customer, by code or name."),
        )
        self.fields["merchant"].widget = _offering(self.fields["merchant"].widget, f"{self.prefix or 'cost'}-merchants")
        self.merchants = recent.merchants
        self.merchants_id = f"{self.prefix or 'cost'}-merchants"

    @property
    def more_is_typed(self) -> bool:
        """Whether something stands, or is wrong, in the fields that are folded away."""
        return any(
            field.value() or field.errors
            for field in (self["reference"], self["country"], self["customer"], *self.boxes)
        )

    def clean(self) -> dict[str, Any]:
        """Hold the amount to the currency's minor unit."""
        d = super().clean()
        amount, currency = d.get("amount"), d.get("currency")
        if amount is not None and currency and amount != round(amount, places(currency)):
            self.add_error("amount", say("{currency} has no such small coins.", currency=currency))
        return d

    def values(self) -> dict[str, Any]:
        """What the services take."""
        d = self.cleaned_data
        tax = Money.of(d["tax"], d["currency"]) if d["tax"] is not None else None
        return {
            "day": d["date"], "merchant": d["merchant"], "category": d["category"],
            "amount": Money.of(d["amount"], d["currency"]), "paid_by": d["paid_by"],
            "tax_rate": (d["tax_rate"] or Decimal(0)) / 100, "tax": tax, "description": d["description"],
            "guests": d["guests"], "heads": d["heads"] or 1, "receipt_rate": d["rate"], "reference": d["reference"],
            "customer": d["customer"], "coding": self.coding, "country": d["country"],
        }  # fmt: skip


def _offering(widget: forms.Widget, list_id: str) -> forms.Widget:
    widget.attrs |= {"list": list_id, "autocomplete": "off"}
    return widget


class RideForm(forms.Form):
    """A ride in one's own car."""

    date = forms.DateField(widget=day_input())
    origin = PlaceField(label=say("Where from"), max_length=120)
    target = PlaceField(label=say("Where to"), max_length=120)
    via = forms.CharField(
        label=say("By way of"), max_length=300, required=False, help_text=say("Places parted by commas.")
    )
    there_and_back = forms.BooleanField(required=False, label=say("There and back"))
    km = NumberField(
        label=say("Kilometres one way"), required=False, min_value=Decimal("0.1"), max_value=3000, decimal_places=1,
        help_text=say("Empty: looked up."),
    )  # fmt: skip
    odometer_start = NumberField(
        label=say("Odometer at the start"), required=False, min_value=0, max_value=9_999_999, decimal_places=1
    )
    odometer_end = NumberField(
        label=say("Odometer at the end"), required=False, min_value=0, max_value=9_999_999, decimal_places=1
    )
    vehicle = forms.ChoiceField()
    passengers = forms.IntegerField(min_value=0, max_value=8, required=False, initial=0)
    description = forms.CharField(max_length=200, required=False, label=say("What for"))
    reason = forms.CharField(
        max_length=200,
        required=False,
        label=say("Why longer than the road"),
        help_text=say("Only where it is asked for."),
    )

    def __init__(self, *args: Any, member: Membership, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.units = kinds = vehicle_kinds(member.firm)
        if "mi" in kinds.values():
            by_mile = joined(", ", (kind for kind, unit in kinds.items() if unit == "mi"))
            self.fields["km"].label, self.fields["km"].help_text = (
                say("Distance one way"),
                say("In km; in miles for: {by_mile}. Empty: looked up.", by_mile=by_mile),
            )
        own = {v.kind: v.plate for v in member.vehicles.all()}
        self.fields["vehicle"].choices = [
            (kind, joined(", ", [capital(kept(kind)), *([own[kind]] if kind in own else [])])) for kind in kinds
        ]

    def clean_via(self) -> tuple:
        """Find each place on the way."""
        field = PlaceField(max_length=120)
        return tuple(field.clean(part.strip()) for part in self.cleaned_data["via"].split(",") if part.strip())

    def clean(self) -> dict[str, Any]:
        """Both readings, or none."""
        d = super().clean()
        if (d.get("odometer_start") is None) != (d.get("odometer_end") is None) and not self.errors:
            self.add_error("odometer_end", say("Type both readings, or none."))
        return d

    def ride(self) -> Ride:
        """What the service takes."""
        d = self.cleaned_data
        unit = self.units.get(d["vehicle"], "km")
        ends = (d["odometer_start"], d["odometer_end"])
        readings = (in_km(ends[0], unit), in_km(ends[1], unit)) if ends[0] is not None else None
        km = in_km(d["km"], unit) if d["km"] is not None else None
        return Ride(
            d["date"], d["origin"], d["target"], d["vehicle"], d["there_and_back"], d["passengers"] or 0, km, d["description"],
            d["via"], readings, d["reason"],
        )  # fmt: skip


def ride_as_typed(ride: Expense) -> dict[str, Any]:
    """A ride as its form would have been filled in; a distance that was looked up stays empty, to be looked up again."""

    def own(km: Decimal | None) -> Decimal | None:
        return None if km is None else round(from_km(km, ride.unit), 1)

    def named(place: dict[str, Any] | None) -> str:
        """What finds a place again: its town, or its code where the town is another place's as well."""
        if not place:
            return ""
        found = best_place(place["town"])
        same = found is not None and (found.lat, found.lon) == (place["lat"], place["lon"])
        return place["town"] if same or not place["code"] else place["code"]

    # The way to work is taken off anew.
    driven = None if ride.km is None else ride.km + ride.commute_km
    typed = ride.odometer_start is None and driven is not None and driven != ride.km_looked_up
    return {
        "date": ride.date, "origin": named(ride.origin), "target": named(ride.target), "via": joined(", ", (named(place) for place in ride.via)),
        "there_and_back": ride.back_again,
        "km": own(driven / (2 if ride.back_again else 1)) if typed and driven is not None else None,
        "odometer_start": own(ride.odometer_start), "odometer_end": own(ride.odometer_end), "vehicle": ride.vehicle,
        "passengers": ride.passengers, "description": ride.guests, "reason": ride.km_reason,
    }  # fmt: skip


def track_as_typed(receipt: Receipt, member: Membership) -> dict[str, Any]:
    """A recorded track as the form of its ride would have been filled in, in the unit of the first kind of vehicle."""
    track = receipt.invoice.get("track") or {}
    if not track:
        return {}
    unit = next(iter(vehicle_kinds(member.firm).values()), "km")
    day = {"date": track["day"]} if track["day"] else {}
    return day | {
        "origin": track["origin"], "target": track["target"], "km": round(from_km(Decimal(track["km"]), unit), 1),
        "reason": say("As the track shows"),
    }  # fmt: skip


class LostForm(forms.Form):
    """A declaration in place of a lost receipt."""

    words = forms.CharField(
        label=say("What happened to the receipt"),
        min_length=10,
        max_length=300,
        widget=forms.Textarea(attrs={"rows": 2}),
    )
    name = forms.CharField(label=say("Your name, as certification"), max_length=120)
