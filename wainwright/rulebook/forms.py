"""Forms of what a firm lays down."""

from __future__ import annotations

from django import forms

from wainwright.core.money import Money
from wainwright.core.roles import OFFERED
from wainwright.core.said import say
from wainwright.fields import NumberField, day_input
from wainwright.rulebook.safeguards import Safeguards


class SafeguardsForm(forms.Form):
    """What must be two people, and who needs a second factor."""

    second_payer = NumberField(
        label=say("Somebody else pays above"), required=False, min_value=0, max_digits=12, decimal_places=3,
        help_text=say("Whoever cleared a claim above this sum does not pay it. Empty: never asked. Nobody ever "
"clears or pays their own."),
    )  # fmt: skip
    release_above = NumberField(
        label=say("A second person releases pay runs above"), required=False, min_value=0, max_digits=12, decimal_places=3, help_text=say("Empty: never asked."),
    )  # fmt: skip
    certify_by = forms.ChoiceField(
        label=say("A trip is certified by"),
        choices=[("name", say("the own name, typed")), ("code", say("a code of the authenticator"))],
    )
    roles = forms.MultipleChoiceField(
        label=say("A second factor is needed by"), required=False, choices=OFFERED,
        widget=forms.CheckboxSelectMultiple,
    )  # fmt: skip

    factor_from = forms.DateField(
        label=say("From"), required=False, widget=day_input(), help_text=say("Empty: at once. Until then they are told of it on every page."),
    )  # fmt: skip
    factor_grace = forms.IntegerField(
        label=say("Days of grace"), min_value=0, max_value=90, required=False, help_text=say("For each, from their first sign-in then."),
    )  # fmt: skip
    look_share = forms.IntegerField(
        label=say("Finance looks at, per cent"), min_value=0, max_value=100, help_text=say("Of harmless claims; the others clear by themselves. Which, is drawn."),
    )  # fmt: skip
    harmless_to = forms.IntegerField(
        label=say("Harmless up to a risk of"), min_value=0, max_value=100, help_text=say("0: with nothing odd at all.")
    )
    look_above = NumberField(
        label=say("Always looked at above"), required=False, min_value=0, max_digits=12, decimal_places=3, help_text=say("Empty: no such amount."),
    )  # fmt: skip
    decide_days = forms.IntegerField(label=say("Days to decide"), min_value=1, max_value=60)
    remind_days = forms.IntegerField(
        label=say("Late: reminded every so many days"), min_value=0, max_value=30, help_text=say("0: never.")
    )
    goes_on_days = forms.IntegerField(
        label=say("Late by so many days it goes on"),
        min_value=0,
        max_value=60,
        help_text=say("To the next above. 0: never."),
    )

    on = forms.DateField(label=say("From"), required=False, widget=day_input(), help_text=say("Empty: at once."))

    def __init__(self, *args, initial: Safeguards | None = None, **options):
        given = None
        if initial is not None:
            most = initial.second_payer
            given = {
                "second_payer": most.amount if most is not None else None, "certify_by": initial.certify_by,
                "roles": list(initial.factor_roles), "look_share": initial.look_share, "harmless_to": initial.harmless_to,
                "look_above": initial.look_above.amount if initial.look_above is not None else None,
                "decide_days": initial.decide_days, "remind_days": initial.remind_days, "goes_on_days": initial.goes_on_days,
                "factor_from": initial.factor_from, "factor_grace": initial.factor_grace,
                "release_above": initial.release_above.amount if initial.release_above is not None else None,
            }  # fmt: skip
        super().__init__(*args, initial=given, **options)

    def wanted(self, currency: str) -> Safeguards:
        """What was typed."""
        d = self.cleaned_data
        sum_, above, release = (
            None if d[n] is None else Money.rounded(d[n], currency)
            for n in ("second_payer", "look_above", "release_above")
        )
        return Safeguards(
            sum_, tuple(d["roles"]), d["certify_by"], d["look_share"], above, d["harmless_to"], d["decide_days"],
            d["remind_days"], d["goes_on_days"], release, d["factor_from"], d["factor_grace"] or 0,
        )  # fmt: skip
