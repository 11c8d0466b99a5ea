"""Forms for costs, rides and receipts."""

from __future__ import annotations

from decimal import Decimal

from django import forms

from wainwright.core.money import Money, places
from wainwright.expenses.models import PAID_BY
from wainwright.web.forms import AmountField, PlaceField, day_input

CURRENCIES = ["EUR", "NOK", "GBP", "SEK", "DKK", "PLN", "USD"]


class CostForm(forms.Form):
    """A cost by hand."""

    date = forms.DateField(widget=day_input())
    merchant = forms.CharField(max_length=120, required=False, label="Paid to")
    category = forms.ChoiceField(label="What for")
    amount = AmountField(min_value=None)
    currency = forms.ChoiceField(choices=[(c, c) for c in CURRENCIES])
    rate = forms.DecimalField(
        label="Rate on your exchange receipt", required=False, min_value=Decimal("0.0001"), max_value=Decimal(100000),
        help_text="Empty: the table's rate of the day.",
    )  # fmt: skip
    tax_rate = forms.DecimalField(label="Tax %", required=False, min_value=0, max_value=60)
    tax = AmountField(label="Tax", required=False, help_text="As on the receipt; empty: worked out.")
    paid_by = forms.ChoiceField(label="Who paid", choices=PAID_BY)
    description = forms.CharField(max_length=200, required=False)
    guests = forms.CharField(max_length=300, required=False, label="Who was there")
    heads = forms.IntegerField(label="Heads", min_value=1, max_value=200, required=False, initial=1)

    def __init__(self, *args, categories, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["category"].choices = [(c.code, c.name) for c in categories]

    def clean(self):
        """Hold the amount to the currency's minor unit."""
        d = super().clean()
        amount, currency = d.get("amount"), d.get("currency")
        if amount is not None and currency and amount != round(amount, places(currency)):
            self.add_error("amount", f"{currency} has no such small coins.")
        return d

    def values(self) -> dict:
        """What the services take."""
        d = self.cleaned_data
        tax = Money.of(d["tax"], d["currency"]) if d["tax"] is not None else None
        return {
            "day": d["date"], "merchant": d["merchant"], "category": d["category"],
            "amount": Money.of(d["amount"], d["currency"]), "paid_by": d["paid_by"],
            "tax_rate": (d["tax_rate"] or Decimal(0)) / 100, "tax": tax, "description": d["description"],
            "guests": d["guests"], "heads": d["heads"] or 1, "receipt_rate": d["rate"],
        }  # fmt: skip


class RideForm(forms.Form):
    """A ride in one's own car."""

    date = forms.DateField(widget=day_input())
    origin = PlaceField(label="From", max_length=120)
    target = PlaceField(label="To", max_length=120)
    there_and_back = forms.BooleanField(required=False, label="There and back")
    km = forms.DecimalField(
        label="Kilometres one way", required=False, min_value=Decimal("0.1"), max_value=3000, decimal_places=1,
        help_text="Empty: looked up.",
    )  # fmt: skip
    vehicle = forms.ChoiceField()
    passengers = forms.IntegerField(min_value=0, max_value=8, required=False, initial=0)
    description = forms.CharField(max_length=200, required=False, label="What for")

    def __init__(self, *args, vehicles, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["vehicle"].choices = vehicles
