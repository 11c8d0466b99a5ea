"""Forms of people's places."""

from __future__ import annotations

from django import forms

from wainwright.core.money import Money
from wainwright.core.picking import PickList
from wainwright.fields import AmountField, PickField, day_input
from wainwright.people.models import ROLES, Membership
from wainwright.staff.services import Place


class PlaceForm(forms.Form):
    """Manager, limit and roles of a person."""

    manager = PickField(
        label="Line manager",
        required=False,
        help_text="Any part of a name. Empty: nobody, and nothing of theirs can be signed.",
    )
    limit = AmountField(label="Signs up to", required=False, help_text="Empty: any sum.")
    roles = forms.MultipleChoiceField(
        choices=[(role, f"{role}: {words}") for role, words in ROLES.items()], widget=forms.CheckboxSelectMultiple, required=False,
    )  # fmt: skip

    def __init__(self, *args, names: PickList, who: Membership, **options):
        initial = {
            "manager": str(who.manager_id or ""), "limit": who.limit.amount if who.limit is not None else None, "roles": who.roles,
        }  # fmt: skip
        super().__init__(*args, initial=initial, **options)
        self.who = who
        self.fields["manager"].offer(names, address="/people/names/")  # type: ignore[attr-defined]

    @property
    def wanted(self) -> Place:
        """What was typed."""
        d = self.cleaned_data
        limit = None if d["limit"] is None else Money.rounded(d["limit"], self.who.firm.currency)
        return Place(int(d["manager"] or 0), limit, frozenset(d["roles"]))


class DaysForm(forms.Form):
    """Somebody, from when to when: who decides while one is away, or who prepares for one."""

    by = PickField(label="Who")
    since = forms.DateField(label="From", widget=day_input())
    until = forms.DateField(label="To", widget=day_input())
    below = AmountField(
        label="Only below", required=False, help_text="Empty: everything. The rest goes to the next above."
    )

    def __init__(self, *args, names: PickList, **options):
        super().__init__(*args, **options)
        if self.prefix != "cover":
            del self.fields["below"]
        self.fields["by"].offer(names, address="/people/names/")  # type: ignore[attr-defined]
