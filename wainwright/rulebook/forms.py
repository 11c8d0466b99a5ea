"""Forms of what a firm lays down."""

from __future__ import annotations

from django import forms

from wainwright.core.money import Money
from wainwright.people.models import ROLES
from wainwright.rulebook.safeguards import Safeguards


class SafeguardsForm(forms.Form):
    """What must be two people, and who needs a second factor."""

    second_payer = forms.DecimalField(
        label="Somebody else pays above", required=False, min_value=0, max_digits=12, decimal_places=3,
        help_text="Whoever cleared a claim above this sum does not pay it. Empty: never asked. Nobody ever clears or pays their own.",
    )  # fmt: skip
    certify_by = forms.ChoiceField(
        label="A trip is certified by",
        choices=[("name", "the own name, typed"), ("code", "a code of the authenticator")],
    )
    roles = forms.MultipleChoiceField(
        label="A second factor is needed by", required=False, choices=[(role, f"{role}: {words}") for role, words in ROLES.items()],
        widget=forms.CheckboxSelectMultiple,
    )  # fmt: skip

    def __init__(self, *args, initial: Safeguards | None = None, **options):
        given = None
        if initial is not None:
            most = initial.second_payer
            given = {
                "second_payer": most.amount if most is not None else None, "certify_by": initial.certify_by,
                "roles": list(initial.factor_roles),
            }  # fmt: skip
        super().__init__(*args, initial=given, **options)

    def wanted(self, currency: str) -> Safeguards:
        """What was typed."""
        most = self.cleaned_data["second_payer"]
        sum_ = None if most is None else Money.rounded(most, currency)
        return Safeguards(sum_, tuple(self.cleaned_data["roles"]), self.cleaned_data["certify_by"])
