"""Exchange rates: what a currency is worth on a day and by whose table, and tables taken in."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

from django import forms
from django.contrib import messages
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from wainwright import clock
from wainwright.core.fx import NoRate, convert
from wainwright.core.money import Money
from wainwright.core.said import say
from wainwright.drawing.lines import way_of
from wainwright.errors import Refusal
from wainwright.formats.rate_table import MOST_BYTES
from wainwright.rulebook import rates
from wainwright.rulebook.selectors import rate_table

LEFT_SHOWN = 5


class WorthForm(forms.Form):
    """An amount, its currency, a day."""

    amount = forms.DecimalField(max_digits=11, decimal_places=2, min_value=Decimal("0.01"))
    currency = forms.CharField(max_length=3, min_length=3)
    day = forms.DateField(label=say("On"), widget=forms.DateInput(attrs={"type": "date"}))

    def __init__(self, *args, today: date, **options):
        super().__init__(*args, **options)
        self.today = today

    def clean_day(self) -> date:
        """A rate is asked of a day that has been."""
        day = self.cleaned_data["day"]
        if not date(1999, 1, 4) <= day <= self.today:
            raise forms.ValidationError(say("Choose a day that has been."))
        return day


@require_GET
def rates_page(request):
    """The last rates and their way, and what an amount was worth on a day."""
    member = request.member
    today = clock.today(member.firm.zone)
    asked = WorthForm(request.GET if "amount" in request.GET else None, initial={"day": today}, today=today)
    worth = fault = None
    if asked.is_valid():
        data = asked.cleaned_data
        try:
            amount = Money.rounded(data["amount"], data["currency"].upper())
            table = rate_table(member.firm, data["day"], currencies=[amount.currency])
            worth = convert(amount, member.firm.currency, data["day"], table)
        except (NoRate, ValueError, KeyError) as error:
            fault = (
                say("There is {error}.", error=error)
                if isinstance(error, NoRate)
                else say("No such currency is known.")
            )
    context = {
        "latest": [(each, way_of(each.way)) for each in rates.latest_rates(member.firm, today)], "form": asked, "worth": worth, "fault": fault,
        "may_take": member.may["rates"], "today": today, "old": today - rates.KEPT,
    }  # fmt: skip
    return render(request, "rulebook/rates.html", context)


@require_POST
def take(request):
    """Take a table in."""
    sent = request.FILES.get("file")
    if sent is None:
        raise Refusal(say("No file was chosen. Choose a table of rates: CSV, or its ZIP."))
    if sent.size > MOST_BYTES:
        raise Refusal(say("The table is larger than 5 MB."))
    done = rates.take_rates(request.member, sent.name, sent.read())
    messages.info(
        request,
        say("{sent}: {new} rates taken, {known} known already.", sent=sent.name, new=done.new, known=done.known),
    )
    for words in done.different[:LEFT_SHOWN]:
        messages.error(request, say("Left as it was: {words}.", words=words))
    for each in done.left[:LEFT_SHOWN]:
        messages.error(request, say("Left out: {where}: {why}.", where=each.where, why=each.why))
    return redirect("rates")
