"""What must be said before real people use it (``manage.py check --deploy``)."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings
from django.core.checks import Warning as Warns
from django.core.checks import register

from wainwright.core.said import say

# Where money and records go: a simulated one outside the demo pays nobody and posts nothing.
REAL = ("bank", "ledger", "card_issuer", "market")


@register("outside", deploy=True)
def stand_ins(**_) -> list[Warns]:
    """Warn of stand-ins where real services are meant, and of anchors that lie where the database does."""
    if settings.DEMO:
        return []
    found = [
        Warns(
            say("The {replace} is the simulated one that ships.", replace=port.replace('_', ' ')),
            hint=say("Name the class of the real one in WAINWRIGHT_{upper} (docs/operate.md).", upper=port.upper()), id=f"wainwright.W{number:03d}",
        )
        for number, port in enumerate(REAL, 1)
        if settings.PORTS[port].startswith("wainwright.standins.")
    ]  # fmt: skip
    if settings.EMAIL_BACKEND.startswith("wainwright.standins."):
        hint = say("Name the server that takes our mail in WAINWRIGHT_SMTP_HOST.")
        found.append(Warns(say("Mail goes to the simulated mailbox: nobody gets it."), hint=hint, id="wainwright.W010"))
    if not settings.PROXIES:
        hint = say("Name the address of the web server before this one in WAINWRIGHT_PROXIES.")
        found.append(
            Warns(say("Attempts to sign in cannot be told apart by address."), hint=hint, id="wainwright.W012")
        )
    if Path(settings.VAR).resolve() in Path(settings.ANCHORS).resolve().parents:
        hint = say("Name a file on another disk, beside the backups, in WAINWRIGHT_ANCHORS.")
        found.append(
            Warns(
                say("The anchors of the trail lie beside the database that they prove."),
                hint=hint,
                id="wainwright.W011",
            )
        )
    return found
