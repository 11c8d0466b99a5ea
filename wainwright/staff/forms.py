"""Forms of people's places."""

from __future__ import annotations

from typing import Any

from django import forms

from wainwright.core.money import Money
from wainwright.core.picking import PickList
from wainwright.core.roles import OFFERED
from wainwright.core.said import say
from wainwright.fields import AmountField, PickField, day_input
from wainwright.people.models import Membership
from wainwright.staff.inviting import Invited
from wainwright.staff.leaving import Heirs
from wainwright.staff.services import Place


class PlaceForm(forms.Form):
    """Manager, limit and roles of a person."""

    manager = PickField(
        label=say("Line manager"),
        required=False,
        help_text=say("Any part of a name. Empty: nobody, and nothing of theirs can be signed."),
    )
    limit = AmountField(label=say("Signs up to"), required=False, help_text=say("Empty: any sum."))
    roles = forms.MultipleChoiceField(
        choices=OFFERED, widget=forms.CheckboxSelectMultiple, required=False,
    )  # fmt: skip

    signs_own = forms.BooleanField(
        label=say("Signs what is their own"),
        required=False,
        help_text=say("A privilege. Without it somebody above signs."),
    )
    coding = forms.CharField(
        label=say("Usual coding"),
        required=False,
        max_length=120,
        help_text=say("Codes or names, parted by “/”. It stands on what they begin."),
    )
    own_limit = AmountField(
        label=say("Their own up to"), required=False, help_text=say("Empty: as far as they sign for others.")
    )

    def __init__(self, *args, names: PickList, who: Membership, **options):
        initial = {
            "manager": str(who.manager_id or ""), "limit": who.limit.amount if who.limit is not None else None, "roles": who.roles,
            "coding": str(who.coding) if who.codes else "", "signs_own": who.signs_own, "own_limit": who.own_limit.amount if who.own_limit is not None else None,
        }  # fmt: skip
        super().__init__(*args, initial=initial, **options)
        self.who = who
        self.fields["manager"].offer(names, address="/people/names/")  # type: ignore[attr-defined]

    @property
    def wanted(self) -> Place:
        """What was typed."""
        return _place(self.cleaned_data, self.who.firm.currency)


def _place(typed: dict[str, Any], currency: str) -> Place:
    """A place as manager, limit and roles were typed."""
    limit, own = (None if typed.get(n) is None else Money.rounded(typed[n], currency) for n in ("limit", "own_limit"))
    return Place(
        int(typed["manager"] or 0), limit, frozenset(typed["roles"]), bool(typed.get("signs_own")), own, typed.get("coding")
    )  # fmt: skip


class SightForm(forms.Form):
    """Two people: who reads, and whose it is."""

    reader = PickField(label=say("Who would read"), help_text=say("Any part of a name."))
    whose = PickField(label=say("Whose it is"), help_text=say("Any part of a name."))

    def __init__(self, *args, names: PickList, **options):
        super().__init__(*args, **options)
        for field in self.fields.values():
            field.offer(names, address="/people/names/")  # type: ignore[attr-defined]


class InviteForm(forms.Form):
    """Somebody new: name, address, and their place."""

    name = forms.CharField(label=say("Name"), max_length=120)
    email = forms.CharField(label=say("Address for mail"), max_length=254)
    job = forms.CharField(label=say("What they are"), required=False, max_length=80)
    manager = PickField(label=say("Line manager"), required=False, help_text=say("Any part of a name."))
    limit = AmountField(label=say("Signs up to"), required=False, help_text=say("Empty: any sum."))
    roles = forms.MultipleChoiceField(
        choices=OFFERED, widget=forms.CheckboxSelectMultiple, required=False, initial=["traveller"],
    )  # fmt: skip

    def __init__(self, *args, names: PickList, currency: str, **options):
        super().__init__(*args, **options)
        self.currency = currency
        self.fields["manager"].offer(names, address="/people/names/")  # type: ignore[attr-defined]

    @property
    def wanted(self) -> Invited:
        """Who is to be invited."""
        d = self.cleaned_data
        return Invited(d["name"], d["email"], d["job"], _place(d, self.currency))


class LeaveForm(forms.Form):
    """To whom what is somebody's goes; only what there is something of is asked."""

    manager = PickField(
        label=say("Who leads those they led"), required=False, help_text=say("Empty: their own manager.")
    )
    owner = PickField(label=say("Who owns their codings"), required=False)
    finance = PickField(label=say("Who of finance holds the ledger's connection"), required=False)
    charges = PickField(label=say("Who accounts for the loose charges"), required=False)
    give_up = forms.BooleanField(label=say("What they have not sent is given up"), required=False)
    why = forms.CharField(label=say("Why they leave"), required=False, max_length=200)

    ASKED = {"reports": "manager", "codings": "owner", "ledger": "finance", "charges": "charges", "unsent": "give_up"}

    def __init__(self, *args, names: PickList, there: set[str], **options):
        super().__init__(*args, **options)
        for kind, field in self.ASKED.items():
            if kind not in there:
                del self.fields[field]
            elif field != "give_up":
                self.fields[field].offer(names, address="/people/names/")  # type: ignore[attr-defined]

    @property
    def heirs(self) -> Heirs:
        """Whom it goes to."""
        d = self.cleaned_data
        numbers = {name: int(d.get(name) or 0) for name in ("manager", "owner", "finance", "charges")}
        return Heirs(**numbers, give_up=bool(d.get("give_up")))


class BackForm(forms.Form):
    """Whom somebody reports to who is brought back."""

    manager = PickField(
        label=say("Reports to"), required=False, help_text=say("Empty: whoever it was, if they are here.")
    )

    def __init__(self, *args, names: PickList, **options):
        super().__init__(*args, **options)
        self.fields["manager"].offer(names, address="/people/names/")  # type: ignore[attr-defined]


class DaysForm(forms.Form):
    """Somebody, from when to when: who decides while one is away, or who prepares for one."""

    by = PickField(label=say("Who"))
    since = forms.DateField(label=say("From"), widget=day_input())
    until = forms.DateField(label=say("Until"), widget=day_input())
    below = AmountField(
        label=say("Only below"), required=False, help_text=say("Empty: everything. The rest goes to the next above.")
    )

    def __init__(self, *args, names: PickList, **options):
        super().__init__(*args, **options)
        if self.prefix != "cover":
            del self.fields["below"]
        self.fields["by"].offer(names, address="/people/names/")  # type: ignore[attr-defined]
