"""Card charges: taken in from files, marked personal."""

from __future__ import annotations

import hashlib

from django.db import transaction

from wainwright import clock
from wainwright.errors import Refusal
from wainwright.expenses.models import CardFile, Charge
from wainwright.formats.ofx import read_ofx
from wainwright.formats.problems import Unreadable
from wainwright.formats.statement import Statement
from wainwright.people.models import Card, Membership
from wainwright.trail.services import record


@transaction.atomic
def take_card_file(member: Membership, name: str, content: bytes) -> CardFile:
    """Take in a card file (OFX). Taking it again, or one that overlaps, changes nothing. Raises ``Refusal``."""
    try:
        statements = read_ofx(content)
    except Unreadable as error:
        raise Refusal(str(error), "file") from error
    cards = {card.last_four: card for card in Card.objects.filter(owner=member)}
    file = CardFile(
        member=member, name=name[-120:], sha256=hashlib.sha256(content).hexdigest(), time=clock.now(), left=[]
    )
    for statement in statements:
        card = cards.get(statement.last_four)
        if card is None:
            number = statement.last_four or "without a number"
            file.left.append([f"card {number}", "it is not one of your cards; nothing of it was taken"])
            continue
        _take(member, card, statement, file)
    file.save()
    after = {"name": file.name, "taken": file.taken, "known": file.known, "left": len(file.left)}
    record(member, "took in a card file", f"cardfile:{file.pk}", after=after)
    return file


def _take(member: Membership, card: Card, statement: Statement, file: CardFile) -> None:
    file.left += [[left.where, left.why] for left in statement.left]
    known = set(
        Charge.objects.filter(card=card, bank_id__in=[line.bank_id for line in statement.lines]).values_list(
            "bank_id", flat=True
        )
    )
    rows = []
    for line in statement.lines:
        if line.bank_id in known:
            file.known += 1
            continue
        if line.amount.currency != member.firm.currency:
            file.left.append(
                [line.merchant, f"it is in {line.amount.currency}, the card is kept in {member.firm.currency}"]
            )
            continue
        rows.append(
            Charge(firm=member.firm, owner=member, card=card, bank_id=line.bank_id, date=line.day, merchant=line.merchant,
                   memo=line.memo, currency=line.amount.currency, amount_minor=line.amount.minor)
        )  # fmt: skip
    Charge.objects.bulk_create(rows)
    file.taken += len(rows)
