"""The firm's own figures, to read and to set."""

from __future__ import annotations

from typing import Any

from django import forms
from django.contrib import messages
from django.shortcuts import redirect, render
from django.utils.dates import MONTHS
from django.views.decorators.http import require_http_methods, require_POST

from wainwright import clock
from wainwright.core.said import as_figure, say
from wainwright.errors import Faults, Refusal
from wainwright.fields import AmountField, NumberField, say_faults, tell
from wainwright.people.may import must
from wainwright.rehearsal.rule_form import DayForm
from wainwright.rulebook import ahead
from wainwright.rulebook import figures as kept
from wainwright.rulebook.models import Policy
from wainwright.trail.selectors import history

# Which stand together, under which heading.
GROUPS = (
    (say("Days and hours"), ("claim_days", "hold_hours", "ticket_hours", "bed_hour")),
    ("Advances", ("advance_percent", "advance_unit", "advance_blocks")),
    (say("Driving"), ("km_share", "drive_km", "mileage_day", "mileage_month", "commute_off")),
    (say("Ways and bags"), ("transfer_km", "transfer_least", "bag_needed", "trip_signoff")),
)


class FiguresForm(forms.Form):
    """The firm's figures; each says what it does."""

    claim_days = forms.IntegerField(
        label=say("Claims are due after, days"), help_text=say("After the traveller is back.")
    )
    hold_hours = forms.IntegerField(label=say("A seat is held for, hours"), help_text=say("While somebody decides."))
    ticket_hours = forms.IntegerField(label=say("Ticketed before it leaves, hours"), help_text=say("At the latest."))
    bed_hour = forms.IntegerField(label=say("Under way at this hour needs no bed"), min_value=0, max_value=23)
    advance_percent = NumberField(label=say("Advance proposed, per cent"), max_digits=5, decimal_places=2, help_text=say("Of what one pays oneself."))  # fmt: skip
    advance_unit = NumberField(label=say("Rounded to"), max_digits=8, decimal_places=2)
    advance_blocks = forms.BooleanField(label=say("An unclaimed advance stops the next"), required=False)
    km_share = NumberField(label=say("Over the road, no reason asked, per cent"), max_digits=5, decimal_places=2)  # fmt: skip
    drive_km = forms.IntegerField(label=say("Driving further needs a permission, km one way"))
    commute_off = forms.BooleanField(
        label=say("The way to the usual place of work is taken off"), required=False, help_text=say("Of a ride that begins or ends at home, by the profile."),
    )  # fmt: skip
    mileage_day = forms.IntegerField(label=say("The mileage year begins on day"), min_value=1, max_value=31)
    mileage_month = forms.TypedChoiceField(label=say("of"), coerce=int, choices=list(MONTHS.items()))  # fmt: skip
    transfer_km = AmountField(label=say("A way to the airport is reckoned at, a km"))
    transfer_least = AmountField(label=say("and at least"))
    bag_needed = forms.BooleanField(label=say("Fares are compared with a bag"), required=False)
    trip_signoff = forms.BooleanField(label=say("Trips are signed off before they are bought"), required=False)
    quarters = forms.CharField(
        label=say("Supplied quarters"), required=False, max_length=20_000, widget=forms.Textarea(attrs={"rows": 4}), help_text=say("A line each: name, town, country."),
    )  # fmt: skip
    kin = forms.CharField(
        label=say("Relatives who move house along"), required=False, max_length=1000, widget=forms.Textarea(attrs={"rows": 4}), help_text=say("A line each: what they are, and their share of the daily allowance in per cent."),
    )  # fmt: skip
    terms = forms.CharField(
        label=say("What is certified with a signature"), max_length=4000, widget=forms.Textarea(attrs={"rows": 4})
    )

    @classmethod
    def of(cls, policy: Policy) -> FiguresForm:
        """The form as the figures stand."""
        return cls(
            initial={name: getattr(policy, name) for name in kept.NAMES}
            | {"quarters": kept.quarters_text(policy), "kin": kept.kin_text(policy)}
        )

    @property
    def groups(self) -> list[tuple[str, list[forms.BoundField]]]:
        """The fields under their headings."""
        return [(heading, [self[name] for name in names]) for heading, names in GROUPS]


@require_POST
def call_off(request, change_id: int):
    """Take back figures that have not begun."""
    row = ahead.call_off(request.member, change_id)
    messages.info(request, say("They are taken back: what holds now goes on."))
    return redirect("figures" if row.subject == kept.subject(row.firm_id) else "safeguards")


@require_http_methods(["GET", "POST"])
def figures(request):
    """The figures; administrators set them here."""
    member = request.member
    must(member, "rules" if request.method == "POST" else "read_rules")
    policy = Policy.objects.get(firm=member.firm)
    form, status = FiguresForm.of(policy), 200
    day_form = DayForm(initial={"on": clock.today(member.firm.zone)}, auto_id="from_%s")
    if request.method == "POST":
        form, status = FiguresForm(request.POST), 422
        day_form = DayForm(request.POST, auto_id="from_%s")
        try:
            if form.is_valid() and day_form.is_valid():
                since = day_form.cleaned_data["on"]
                typed: dict[str, Any] = {name: form.cleaned_data[name] for name in kept.NAMES}
                d = form.cleaned_data
                kept.set_figures(member, typed, d["quarters"], d["kin"], request.POST.get("seen", ""), since)
                messages.info(request, say("The figures are set, from {since} on.", since=as_figure(since, "%d %b %Y")))
                return redirect("figures")
        except Faults as wrong:
            say_faults(form, wrong)
        except Refusal as refusal:
            if refusal.field == "since":
                tell(day_form, Refusal(refusal.message, "on"))
            else:
                tell(form, refusal)
    if not member.may["rules"]:
        for each in form.fields.values():
            each.disabled = True
    context = {
        "form": form, "seen": kept.digest(policy), "entries": history(kept.subject(member.firm_id)), "day_form": day_form,
        "coming": ahead.coming(member.firm, kept.subject(member.firm_id)),
    }  # fmt: skip
    return render(request, "rehearsal/figures.html", context, status=status)
