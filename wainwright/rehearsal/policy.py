"""The firm's policy as its people read it: published from a day on, with the rules under their paragraphs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from django import forms
from django.contrib import messages
from django.db import transaction
from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_http_methods

from wainwright import clock
from wainwright.core.policy import MOST_LETTERS, Paragraph, PolicyFault, read_policy
from wainwright.core.rules import Setting
from wainwright.core.said import as_figure, said_by, say
from wainwright.errors import Refusal
from wainwright.fields import day_input, tell
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership
from wainwright.rulebook.holding import FARTHEST, locked, renew
from wainwright.rulebook.models import PolicyText, RuleSetting
from wainwright.rulebook.selectors import rulebook
from wainwright.trail.selectors import history
from wainwright.trail.services import record


@dataclass(frozen=True)
class Shown:
    """A paragraph and the rules that stand under it; rules under none have no paragraph."""

    paragraph: Paragraph | None
    rules: list[Setting]


class PolicyForm(forms.Form):
    """The text, and from which day on."""

    text = forms.CharField(
        label=say("The policy"), max_length=MOST_LETTERS + 1, required=False, strip=False, widget=forms.Textarea(attrs={"rows": 22}), help_text=say("A line that begins with # is a heading; an empty line parts blocks."),
    )  # fmt: skip
    since = forms.DateField(label=say("Published from"), widget=day_input())


def policy_subject(firm_id: int) -> str:
    """Return the name of a firm's policy in the trail."""
    return f"policy:{firm_id}"


@transaction.atomic
def publish(by: Membership, text: str, since: date | None) -> PolicyText:
    """Publish a policy from a day on, today or later; what was published for that day before is replaced.

    Raises ``NotAllowed``, ``Refusal``.
    """
    firm = locked(by)
    today = clock.today(firm.zone)
    try:
        paragraphs = read_policy(text)
    except PolicyFault as fault:
        raise Refusal(said_by(fault), "text") from fault
    if not paragraphs:
        raise Refusal(say("Nothing stands in it. Begin with a heading: a line with # before it."), "text")
    if since is None or not today <= since <= today + FARTHEST:
        raise Refusal(say("Choose from which day on: today or later, within two years."), "since")
    there = PolicyText.objects.filter(firm=firm, since__lte=since).first()
    before = there.text if there is not None else None
    lost = sorted(_named(firm) - {each.heading for each in paragraphs})
    row, _ = PolicyText.objects.update_or_create(
        firm=firm, since=since, defaults={"text": text, "by": by.doer, "time": clock.now()}
    )
    renew(firm)
    after = {"from": str(since), "text": text, "rules without their paragraph": lost}
    record(by, say("published the policy"), policy_subject(firm.pk), before=before, after=after)
    return row


def _named(firm: Firm) -> set[str]:
    """The paragraphs that rules stand under."""
    return set(RuleSetting.objects.filter(firm=firm).exclude(paragraph="").values_list("paragraph", flat=True))


def shown_to(member: Membership) -> tuple[date | None, list[Shown]]:
    """Return the policy as somebody reads it, and from when it is: each paragraph with the rules in force that are meant for them.

    Rules whose paragraph is not there stand at its end. No query of its own.
    """
    book, today = rulebook(member.firm), clock.today(member.firm.zone)
    rules = [rule for rule in book.rules_for(member) if rule.in_force(today)]
    found = book.policy_text
    since, paragraphs = found if found is not None else (None, ())
    shown = [Shown(each, [rule for rule in rules if rule.paragraph == each.heading]) for each in paragraphs]
    placed = {rule.code for each in shown for rule in each.rules}
    rest = [rule for rule in rules if rule.code not in placed]
    return since, [*shown, *([Shown(None, rest)] if rest else [])]


@require_GET
def policy_page(request):
    """The firm's policy, for everybody."""
    since, shown = shown_to(request.member)
    return render(request, "rehearsal/policy.html", {"since": since, "shown": shown})


@require_http_methods(["GET", "POST"])
def policy_edit(request):
    """Publish a policy from a day on."""
    member = request.member
    must(member, "rules")
    texts: Sequence[PolicyText] = PolicyText.objects.filter(firm=member.firm).select_related("by__person")[:20]
    newest = next(iter(texts), None)
    form = PolicyForm(request.POST or None, initial={"text": newest.text if newest else "# "})
    status = 200
    if request.method == "POST":
        try:
            if form.is_valid():
                row = publish(member, form.cleaned_data["text"], form.cleaned_data["since"])
                messages.info(
                    request, say("The policy is published from {since} on.", since=as_figure(row.since, "%d %b %Y"))
                )
                return redirect("policy")
        except Refusal as refusal:
            tell(form, refusal)
        status = 422
    context = {"form": form, "texts": texts, "entries": history(policy_subject(member.firm_id))}
    return render(request, "rehearsal/policy_edit.html", context, status=status)
