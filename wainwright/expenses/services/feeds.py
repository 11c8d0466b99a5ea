"""Charges asked of the card issuer: now, by the card's owner, and every night for all cards."""

from __future__ import annotations

import logging
from datetime import date, timedelta

from django.db import transaction

from wainwright import clock
from wainwright.core.said import as_figure, said_by, say
from wainwright.errors import Refusal
from wainwright.expenses.models import CardFile
from wainwright.expenses.services.charges import BOOKED, DOUBTFUL, NEW, show_lines, take_file
from wainwright.outside import service
from wainwright.people.models import Card, Membership
from wainwright.ports.card_issuer import CardAsked, IssuerError
from wainwright.trail.services import record

log = logging.getLogger(__name__)
FIRST_DAYS, AGAIN_DAYS = 30, 12


def ask_issuer(member: Membership, card_id: int) -> CardFile:
    """Ask a card's issuer what was charged since it was asked last, to be shown before it is taken. Raises ``Refusal``.

    Some days before the last asking are asked for again, since what was pending is booked by now.
    """
    card = Card.objects.filter(owner=member, pk=card_id).select_related("owner__firm").first()
    if card is None:
        raise Refusal(say("That is not one of your cards."))
    if not card.firm_pays:
        raise Refusal(say("The issuer is asked for the firm's cards alone. Bring the file of your own bank instead."))
    today = clock.today(member.firm.zone)
    if card.closed and card.closed < today - timedelta(days=60):
        raise Refusal(
            say(
                "Card {last_four} was closed on {closed}.",
                last_four=card.last_four,
                closed=as_figure(card.closed, "%d %b %Y"),
            )
        )
    first = card.fed_until - timedelta(days=AGAIN_DAYS) if card.fed_until else today - timedelta(days=FIRST_DAYS)
    if card.since:
        first = max(first, card.since)
    # A charge belongs to the holder of its day: after the last one it is somebody else's.
    last = min(today, card.closed) if card.closed else today
    try:
        lines = service("card_issuer").charges(
            CardAsked(card.issuer, card.last_four, member.firm.currency), first, last
        )
    except IssuerError as error:
        raise Refusal(said_by(error)) from error
    return _keep(member, card, list(lines), first, today)


@transaction.atomic
def _keep(member: Membership, card: Card, lines: list, first: date, today: date) -> CardFile:
    file = CardFile(
        member=member, name=say("{issuer} {last_four}, {first} to {today}", issuer=card.issuer, last_four=card.last_four, first=as_figure(first, "%d %b"), today=as_figure(today, "%d %b")), sha256="", time=clock.now(),
        state=CardFile.State.SHOWN, format="issuer", card_four=card.last_four,
    )  # fmt: skip
    show_lines(file, card, lines)
    file.save()
    card.fed_until = today
    card.save(update_fields=["fed_until"])
    record(
        member, say("asked the card issuer"), f"cardfile:{file.pk}", after={"card": card.last_four, "lines": len(lines)}
    )
    return file


def ask_for_all() -> int:
    """Ask for every open card and take what is new; what is doubtful waits for the card's owner. Returns how many were taken."""
    count = 0
    today = clock.today("UTC")
    for card in Card.objects.filter(
        owner__active=True, firm_pays=True, closed__isnull=True, expires__gte=today
    ).select_related("owner__firm"):
        try:
            file = ask_issuer(card.owner, card.pk)
        except Refusal as refusal:
            log.warning("card %s: %s", card.last_four, refusal.message)
            continue
        whats = {row["what"] for row in file.rows}
        if DOUBTFUL in whats:
            continue
        if whats & {NEW, BOOKED}:
            count += take_file(card.owner, file.pk).taken
        else:
            file.delete()
    return count
