"""The firm's own figures: deadlines, advances, driving, terms, supplied quarters; set by its administrators, from now on."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from datetime import date
from decimal import Decimal, InvalidOperation
from typing import Any

from django.core.exceptions import ValidationError
from django.db import transaction

from wainwright.core.said import say
from wainwright.core.text import decimal, one_line
from wainwright.core.workings import plain
from wainwright.errors import Faults, Stale
from wainwright.fields import typed_number
from wainwright.formats.countries import country_code
from wainwright.people.models import Membership
from wainwright.rulebook import ahead
from wainwright.rulebook.holding import locked, renew
from wainwright.rulebook.models import Policy
from wainwright.trail.services import record

# What is set here, by its name in the policy; the safeguards have a page of their own.
NAMES = (
    "claim_days", "trip_signoff", "advance_percent", "advance_unit", "advance_blocks", "hold_hours", "ticket_hours", "km_share", "drive_km", "commute_off", "mileage_month", "mileage_day",
    "transfer_km", "transfer_least", "bag_needed", "bed_hour", "terms",
)  # fmt: skip
MOST_QUARTERS, MOST_TERMS, MOST_KIN = 200, 4000, 20


def subject(firm_id: int) -> str:
    """Return the name of the figures in the trail."""
    return f"figures:{firm_id}"


def quarters_text(policy: Policy) -> str:
    """Return the supplied quarters as they are typed, a line each."""
    return "\n".join(f"{row['name']}, {row['town']}, {row['country']}" for row in policy.quarters)


def kin_text(policy: Policy) -> str:
    """Return the shares of relatives who move along as they are typed, a line each."""
    return "\n".join(f"{kin}, {plain(Decimal(share) * 100)}" for kin, share in policy.kin.items())


def digest(policy: Policy) -> str:
    """Return what tells whether the figures are still as somebody saw them."""
    return hashlib.sha256(json.dumps(_said(policy), sort_keys=True, default=str).encode()).hexdigest()[:16]


def _said(policy: Policy) -> dict[str, Any]:
    return {name: str(getattr(policy, name)) for name in NAMES} | {
        "quarters": quarters_text(policy),
        "kin": kin_text(policy),
    }


def read_quarters(text: str) -> list[dict[str, str]]:
    """Return the quarters that are typed, a line each: name, town, country. Raises ``Faults``."""
    found: list[dict[str, str]] = []
    for number, line in enumerate(text.splitlines(), 1):
        parts = [one_line(part, 80).strip() for part in line.split(",")]
        if not any(parts):
            continue
        country = country_code(parts[-1]) if len(parts) == 3 else ""
        if not all(parts) or not country:
            raise Faults(
                {
                    "quarters": say(
                        "Line {number}: type the name, the town and the country, as: Gauge House, Florø, Norway.",
                        number=number,
                    )
                }
            )
        if any((row["town"].casefold(), row["country"]) == (parts[1].casefold(), country) for row in found):
            raise Faults(
                {"quarters": say("Line {number}: {parts} has quarters already.", number=number, parts=parts[1])}
            )
        found.append({"name": parts[0], "town": parts[1], "country": country})
    if len(found) > MOST_QUARTERS:
        raise Faults({"quarters": say("At most {most_quarters} quarters.", most_quarters=MOST_QUARTERS)})
    return found


def read_kin(text: str) -> dict[str, str]:
    """Return the share of the daily allowance by kin that is typed, a line each: kin, per cent. Raises ``Faults``."""
    found: dict[str, str] = {}
    for number, line in enumerate(text.splitlines(), 1):
        kin, _, share = (one_line(part, 40).strip() for part in line.rpartition(","))
        if not line.strip():
            continue
        try:
            value = decimal(typed_number(share.replace("%", "").strip(), 2))
        except (InvalidOperation, ArithmeticError):
            value = Decimal(-1)
        if not 0 < len(kin) <= 20 or not value.is_finite() or not 0 <= value <= 100:
            raise Faults(
                {
                    "kin": say(
                        "Line {number}: type what they are and the share in per cent, as: partner, 80.", number=number
                    )
                }
            )
        if kin.lower() in found:
            raise Faults({"kin": say("Line {number}: {kin} stands there already.", number=number, kin=kin)})
        found[kin.lower()] = f"{(value / 100).normalize():f}"
    if len(found) > MOST_KIN:
        raise Faults({"kin": say("At most {most_kin} lines.", most_kin=MOST_KIN)})
    return found


def read_figures(policy: Policy, typed: Mapping[str, Any], quarters: str, kin: str) -> Policy:
    """Return a policy with the figures that ``typed`` names, not kept. Raises ``Faults`` with everything that is wrong."""
    faults: dict[str, str] = {}
    for name in NAMES:
        if name in typed:
            setattr(policy, name, typed[name])
    for name, text, read in (("quarters", quarters, read_quarters), ("kin", kin, read_kin)):
        try:
            setattr(policy, name, read(text))
        except Faults as wrong:
            faults |= wrong.faults
    try:
        policy.full_clean(exclude=["firm"])
    except ValidationError as error:
        faults |= {name: " ".join(words) for name, words in error.message_dict.items()}
    for name, least, most in (
        ("claim_days", 1, 366),
        ("advance_percent", 0, 100),
        ("hold_hours", 1, 720),
        ("ticket_hours", 1, 720),
        ("km_share", 0, 100),
        ("drive_km", 0, 5000),
    ):
        if name not in faults and not least <= getattr(policy, name) <= most:
            faults[name] = say("Between {least} and {most}, please.", least=least, most=most)
    for name in ("advance_unit", "transfer_km", "transfer_least"):
        if name not in faults and (getattr(policy, name) < 0 or (name == "advance_unit" and not policy.advance_unit)):
            faults[name] = say("Above zero, please.") if name == "advance_unit" else say("Not below zero, please.")
    if not 10 <= len(policy.terms.strip()) <= MOST_TERMS:
        faults["terms"] = say("Say in 10 to {most_terms} letters what is certified.", most_terms=MOST_TERMS)
    if faults:
        raise Faults(faults)
    return policy


@transaction.atomic
def set_figures(
    by: Membership, typed: Mapping[str, Any], quarters: str, kin: str, seen: str, since: date | None = None
) -> Policy:
    """Set the figures that ``typed`` names, the supplied quarters and the shares of relatives; from a later day, what is
    otherwise is kept until then. Raises ``NotAllowed``, ``Faults``, ``Refusal``, ``Stale``.
    """
    firm = locked(by)
    policy = Policy.objects.select_for_update(no_key=True).get(firm=firm)
    if digest(policy) != seen:
        raise Stale(
            say("Somebody set the figures meanwhile. Look at them as they are now; what you typed stands below.")
        )
    before = _said(policy)
    read_figures(policy, typed, quarters, kin)
    after = _said(policy)
    changed = [name for name in after if after[name] != before[name]]
    if ahead.begins_later(firm, since) and since is not None:
        now = Policy.objects.get(firm=firm)
        said = {name: [before[name], after[name]] for name in changed}
        ahead.keep(by, firm, since, subject(firm.pk), now, policy, (*NAMES, "quarters", "kin"), said)
        return now
    policy.save()
    renew(firm)
    record(
        by,
        say("set the firm's figures"),
        subject(firm.pk),
        before={n: before[n] for n in changed},
        after={n: after[n] for n in changed},
    )
    return policy
