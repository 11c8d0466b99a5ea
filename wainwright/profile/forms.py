"""Forms of the profile."""

from __future__ import annotations

from datetime import date
from typing import Any

from django import forms
from stdnum import iban
from stdnum.exceptions import ValidationError as NotValid

from wainwright.core.said import capital, kept, say
from wainwright.formats.places import best_place
from wainwright.people.models import Firm
from wainwright.rulebook.selectors import vehicle_kinds


class ProfileForm(forms.Form):
    """What a person keeps about themselves."""

    phone = forms.RegexField(
        r"^\+?[0-9 ()/-]{5,28}$", required=False, error_messages={"invalid": say("Type digits, for example +353 21 555 0100.")},
    )  # fmt: skip
    itinerary_email = forms.EmailField(
        label=say("Itineraries go to"), required=False, help_text=say("Empty: the address you sign in with.")
    )
    home = forms.CharField(label=say("Home"), max_length=120, required=False)
    work = forms.CharField(label=say("Usual place of work"), max_length=120, required=False)
    iban = forms.CharField(label=say("Account for repayment (IBAN)"), max_length=42, required=False)

    password = forms.CharField(
        label=say("Your password, to change the account"), max_length=200, required=False, strip=False,
        widget=forms.PasswordInput(attrs={"autocomplete": "current-password"}), help_text=say("Or the code of your authenticator."),
    )  # fmt: skip
    mail_name = forms.RegexField(
        r"^[a-z0-9][a-z0-9.-]{2,38}$", label=say("Name of your tray's mail address"), required=False,
        error_messages={"invalid": say("Three or more small letters, digits, points or dashes.")},
    )  # fmt: skip

    def clean_mail_name(self) -> str | None:
        """Nothing rather than empty text, since each name is given once."""
        return self.cleaned_data["mail_name"] or None

    def clean_iban(self) -> str:
        """Check the account's own check digits."""
        text = self.cleaned_data["iban"]
        if not text:
            return ""
        try:
            return str(iban.validate(text))
        except NotValid as error:
            raise forms.ValidationError(
                say("That is no IBAN: its check digits do not fit. Compare it with your bank card.")
            ) from error

    def _place(self, name: str) -> str:
        text = self.cleaned_data[name].strip()
        if not text:
            return ""
        found = best_place(text)
        if found is None:
            raise forms.ValidationError(say("No place is known as “{text}”.", text=text))
        return found.code

    def clean_home(self) -> str:
        """Find the place."""
        return self._place("home")

    def clean_work(self) -> str:
        """Find the place."""
        return self._place("work")


class CardForm(forms.Form):
    """A card: the last four digits and until when."""

    last_four = forms.RegexField(
        r"^[0-9]{4}$", label=say("Last four digits"), error_messages={"invalid": say("Four digits.")}
    )
    issuer = forms.CharField(max_length=60)
    expires = forms.DateField(widget=forms.DateInput(attrs={"type": "date"}, format="%Y-%m-%d"))
    password = forms.CharField(
        label=say("Your password"), max_length=200, strip=False, help_text=say("Or the code of your authenticator."),
        widget=forms.PasswordInput(attrs={"autocomplete": "current-password"}),
    )  # fmt: skip

    def clean_expires(self) -> date:
        """A card on file is not one that has run out."""
        day: date = self.cleaned_data["expires"]
        if not 2000 <= day.year <= 2100:
            raise forms.ValidationError(say("Check the year."))
        return day


class VehicleForm(forms.Form):
    """A vehicle, whose kind finds the mileage rate."""

    plate = forms.CharField(max_length=15)
    kind = forms.ChoiceField()

    def __init__(self, *args: Any, firm: Firm, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["kind"].choices = [(kind, capital(kept(kind))) for kind in vehicle_kinds(firm)]
