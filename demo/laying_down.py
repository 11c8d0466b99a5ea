"""What the administrator of the first firm has laid down, and is about to: the policy's text, a rule of the route, a draft that was rehearsed."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from decimal import Decimal
from pathlib import Path

from wainwright import clock
from wainwright.people.models import Membership
from wainwright.rehearsal import in_force, running
from wainwright.rehearsal.laying_down import Typed, keep_rule
from wainwright.rehearsal.policy import publish
from wainwright.rehearsal.routing import ROUTES, RouteTyped, keep_route
from wainwright.rulebook.models import RuleSetting

TEXT = Path(__file__).parent / "world" / "policy.txt"
# Under which paragraph each rule that ships stands.
PARAGRAPHS = {
    "Before you go": ("authorised", "late-plan", "advance-out", "weekend", "agenda", "card-ends"),
    "Getting there": ("cheapest", "class", "contract", "own-car", "ride-twice"),
    "Sleeping": ("ceiling", "quarters", "night-twice"),
    "Eating and daily allowance": ("guests", "meal-limit"),
    "Receipts and money": ("receipt", "shows-less", "twice", "alike", "own-money", "rate", "tax", "split-costs"),
    "Claiming": ("old", "over-plan", "off-trip", "due"),
}


def tell(people: dict[str, Membership], today: date) -> None:
    """Lay it down a year ago; draft today."""
    callum = people["callum"]
    for heading, codes in PARAGRAPHS.items():
        RuleSetting.objects.filter(firm=callum.firm, code__in=codes).update(paragraph=heading)
    before = datetime.combine(today - timedelta(days=300), time(9), tzinfo=clock.now().tzinfo)
    with clock.at(before):
        publish(callum, TEXT.read_text(encoding="utf-8"), before.date())
        asks = RouteTyped(
            "moves over 5,000.00 are known to the managing director", people["signe"].name, "last", Decimal(5000), ["plan", "claim"], ["removal"]
        )  # fmt: skip
        row = keep_route(callum, asks)
        in_force.put_in_force(ROUTES, callum, row.pk, before.date(), ROUTES.digest(row))
    stricter = Typed(
        "own_money", "explain", "Over 50.00 the firm's card is used.", {"over": "50"}, (), ["plan", "claim"],
        reasons="Card not taken there\nCard was blocked", paragraph="Receipts and money",
    )  # fmt: skip
    draft = keep_rule(callum, stricter, code="own-money")
    running.start("rule", callum, draft.pk, today - timedelta(days=365), today, "")
