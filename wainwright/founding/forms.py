"""Forms of setting a firm up."""

from __future__ import annotations

from typing import Any
from zoneinfo import available_timezones

from babel import Locale
from django import forms
from django.utils.dates import MONTHS

from wainwright.core.money import Money
from wainwright.core.picking import PickList
from wainwright.core.said import say
from wainwright.fields import AmountField, PickField
from wainwright.formats.countries import countries
from wainwright.founding.services import FirmData, FirstRates
from wainwright.language import ENGLISH, LANGUAGES
from wainwright.people.models import Firm

_ENGLISH = Locale("en")
COUNTRIES = PickList.of(list(countries().items()))
CURRENCIES = PickList.of(
    sorted(((c, str(n)) for c, n in _ENGLISH.currencies.items() if "(" not in str(n)), key=lambda pair: pair[1])
)
ZONES = PickList.of(
    [(zone, zone.replace("_", " ")) for zone in sorted(available_timezones()) if "/" in zone], with_codes=False
)


class FirmForm(forms.Form):
    """A firm's letters, bank and fiscal year."""

    name = forms.CharField(label=say("Name of the firm"), max_length=120)
    country = PickField(label=say("Country"))
    currency = PickField(
        label=say("Currency"), help_text=say("Of its books. It stays once something is reckoned in it.")
    )
    zone = PickField(label=say("Time zone"))
    address = forms.CharField(
        label=say("Letterhead"),
        required=False,
        max_length=200,
        help_text=say("The address on orders of travel and claims."),
    )
    letter_foot = forms.CharField(
        label=say("Foot of letters"),
        required=False,
        max_length=200,
        help_text=say("Register and tax number, for example."),
    )
    language = forms.ChoiceField(
        label=say("Language of letters"), required=False, choices=LANGUAGES, initial=ENGLISH,
        help_text=say("Of orders of travel, itineraries by mail and invitations, and of pages for whoever chose none."),
    )  # fmt: skip
    iban = forms.CharField(label=say("The firm's account (IBAN)"), required=False, max_length=42)
    bic = forms.CharField(label=say("BIC of its bank"), required=False, max_length=14)
    year_begins = forms.TypedChoiceField(
        label=say("The fiscal year begins in"), coerce=int, choices=list(MONTHS.items()), initial=1
    )

    def __init__(self, *args, firm: Firm | None = None, **options):
        initial = {} if firm is None else {name: getattr(firm, name) for name in FirmData.__dataclass_fields__}
        super().__init__(*args, initial={**initial, **options.pop("initial", {})}, **options)
        for name, picks in (("country", COUNTRIES), ("currency", CURRENCIES), ("zone", ZONES)):
            self.fields[name].offer(picks)  # type: ignore[attr-defined]

    @property
    def data_typed(self) -> FirmData:
        """What was typed."""
        typed = {name: self.cleaned_data[name] for name in FirmData.__dataclass_fields__}
        # Where it was not asked for, it stays.
        return FirmData(**{**typed, "language": typed["language"] or self.initial.get("language") or ENGLISH})


class FoundForm(FirmForm):
    """A new firm, and its first administrator."""

    who = forms.CharField(label=say("Its administrator"), max_length=120)
    email = forms.CharField(label=say("Their address for mail"), max_length=254)


class RatesForm(forms.Form):
    """What a day, its meals, a night and a kilometre come to, anywhere."""

    full = AmountField(label=say("A day away"))
    breakfast = AmountField(label=say("of it breakfast"))
    lunch = AmountField(label=say("of it lunch"))
    dinner = AmountField(label=say("of it dinner"))
    ceiling = AmountField(label=say("A night's lodging at most"))
    car = AmountField(label=say("A kilometre by own car"), decimal_places=4)

    def __init__(self, *args, firm: Firm, **options):
        super().__init__(*args, initial=_rates_of(firm), **options)

    @property
    def rates(self) -> FirstRates:
        """What was typed."""
        return FirstRates(**self.cleaned_data)


def _rates_of(firm: Firm) -> dict[str, Any]:
    row = firm.allowance_rates.filter(country="", town="").first()
    car = firm.mileage_rates.filter(vehicle="car").first()
    found = (
        {}
        if row is None
        else {
            key: _amount(firm, getattr(row, f"{key}_minor"))
            for key in ("full", "breakfast", "lunch", "dinner", "ceiling")
        }
    )
    return found | ({"car": car.bands[0][1]} if car is not None else {})


def _amount(firm: Firm, minor: int | None) -> Any:
    return None if minor is None else Money.from_minor(minor, firm.currency).amount
