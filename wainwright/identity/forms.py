"""Forms of a firm's own identity provider."""

from __future__ import annotations

from django import forms

from wainwright.core.said import say
from wainwright.identity.services import Provider
from wainwright.people.models import SignInBy


class ProviderForm(forms.Form):
    """By which provider the firm's people sign in."""

    issuer = forms.CharField(
        label=say("Address of the provider"),
        max_length=200,
        help_text=say("It begins with https:// and describes itself there."),
    )
    client_id = forms.CharField(
        label=say("What it calls this application"), max_length=200, help_text=say("The client ID.")
    )
    secret = forms.CharField(
        label=say("Its secret for it"), max_length=400, required=False, strip=False,
        widget=forms.PasswordInput(attrs={"autocomplete": "off"}), help_text=say("The client secret. Empty: the one that is kept, sealed."),
    )  # fmt: skip
    domain = forms.CharField(
        label=say("Your people's addresses end in"), max_length=120, help_text=say("As example.org.")
    )
    required = forms.BooleanField(
        label=say("People of the firm come in by it alone; administrators by password too"), required=False
    )
    asks_factor = forms.BooleanField(
        label=say("It asks the second factor itself: ours is not asked on top"), required=False
    )

    def __init__(self, *args, row: SignInBy | None = None, **options):
        names = ("issuer", "client_id", "domain", "required", "asks_factor")
        initial = {} if row is None else {name: getattr(row, name) for name in names}
        super().__init__(*args, initial=initial, **options)

    @property
    def provider(self) -> Provider:
        """What was typed."""
        return Provider(**self.cleaned_data)


class AddressForm(forms.Form):
    """An address, whose firm may have a provider."""

    address = forms.CharField(
        label=say("Your address for mail"), max_length=254, widget=forms.EmailInput(attrs={"autocomplete": "email"})
    )
