"""The connection to the ledger, and what is connected with its masters: cards, people, merchants."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction
from django.db.models import F

from wainwright import clock
from wainwright.accounts.connection import ask, connection_of
from wainwright.accounts.models import Code, Connection
from wainwright.core.masters import ACCOUNT, Master
from wainwright.core.said import say
from wainwright.errors import Refusal, Stale
from wainwright.masters.models import LedgerBank, MerchantSupplier, Supplier
from wainwright.news.services import tell
from wainwright.people.may import must
from wainwright.people.models import Card, Firm, Membership, new_version
from wainwright.people.reachable import must_be_reachable
from wainwright.people.sealing import seal
from wainwright.ports.ledger import LedgerAway, LedgerShut, NewSupplier
from wainwright.reconciling.services.taking import keep_account
from wainwright.rulebook.selectors import from_now
from wainwright.trail.services import record

BATCH = 1000


@transaction.atomic
def connect(member: Membership, address: str, known_as: str, token: str, every_hours: int) -> Connection:
    """Connect the firm's ledger: its address and token, or neither for the ledger of this installation. Raises ``Refusal``.

    An empty token keeps the one that is there. The connection belongs to the firm.
    """
    must(member, "masters")
    address = address.strip()[:200]
    if address:
        must_be_reachable(address)
    if every_hours not in (0, 1, 6, 24, 168):
        raise Refusal(say("Choose how often it is fetched."), "every_hours")
    row = connection_of(member.firm) or Connection(firm=member.firm, holder=member)
    if address and not token.strip() and not row.token:
        raise Refusal(say("Type the token that the ledger gave for this connection."), "token")
    row.address, row.known_as, row.every_hours = address, known_as.strip()[:40], every_hours
    row.token = seal(token.strip()) if token.strip() else row.token
    row.failing, row.problem = None, ""
    row.save()
    record(
        member,
        say("connected the ledger"),
        f"firm:{member.firm_id}",
        after={
            "address": address,
            "known as": row.known_as,
            "every hours": every_hours,
            "new token": bool(token.strip()),
        },
    )
    return row


@transaction.atomic
def hand_over(member: Membership, to_id: int) -> Connection:
    """Hand the connection to another person of finance: who is told of its troubles. Raises ``Refusal``."""
    must(member, "hand_over")
    row = connection_of(member.firm)
    to = (
        Membership.objects.select_related("person", "firm")
        .filter(firm_id=member.firm_id, pk=to_id, finance=True, active=True)
        .first()
    )
    if row is None or to is None:
        raise Refusal(say("Choose somebody of finance."), "to")
    before, row.holder = row.holder, to
    row.save(update_fields=["holder"])
    record(
        member,
        say("handed the ledger's connection over"),
        f"firm:{member.firm_id}",
        before={"to": before.person.name},
        after={"to": to.person.name},
    )
    for person in {before.pk: before, to.pk: to}.values():
        if person.pk != member.pk:
            tell(person, say("{to} holds the connection to the ledger now", to=to.person.name), "/ledger/masters/")
    return row


@transaction.atomic
def close_gap(member: Membership, kind: str, key: str, code: str) -> None:
    """Connect one thing: a category or a card with an account, a person or a merchant with a supplier, a bank account of the ledger with its account. Raises ``Refusal``, ``Stale``."""
    must(member, "masters")
    firm, code = member.firm, code.strip()[:20]
    if kind in ("category", "card"):
        row = Code.objects.filter(firm=firm, dimension=ACCOUNT, code=code).first()
        if row is None or (row.open_until and row.open_until < clock.today(firm.zone)):
            raise Refusal(say("Account {code} is not open in the ledger.", code=code or say("(none)")), "code")
        if kind == "category":
            rows = from_now(firm, clock.today(firm.zone)).filter(code=key)
            there = rows.order_by("draft", F("since").asc(nulls_first=True)).first()
            done = rows.filter(account=there.account).update(account=code) if there is not None else 0
        else:
            done = Card.objects.filter(owner__firm=firm, pk=int(key) if key.isdecimal() else 0).update(account=code)
        Firm.objects.filter(pk=firm.pk).update(rules_version=new_version())
    elif kind == "bank":
        bank = LedgerBank.objects.filter(firm=firm, code=key[:20]).first()
        done = keep_account(member, bank.name, bank.iban, "bank", code).pk if bank is not None else 0
    elif kind in ("person", "merchant"):
        supplier = Supplier.objects.filter(firm=firm, code=code).first()
        if supplier is None:
            raise Refusal(say("The ledger has no supplier {code}.", code=code or say("(none)")), "code")
        done = _connect_person(firm, key, supplier) if kind == "person" else _connect_merchant(firm, key, supplier)
    else:
        raise Stale(say("There is nothing to connect there."))
    if not done:
        raise Stale(say("That is not there any more. Look again."))
    record(member, say("connected a {kind}", kind=kind), f"firm:{firm.pk}", after={"what": key, "with": code})


def close_gaps(member: Membership, picked: Sequence[tuple[str, str, str]]) -> tuple[int, list[str]]:
    """Connect things as they were proposed: kind, key, code of each. Returns how many, and of the others why not."""
    must(member, "masters")
    done, left = 0, []
    for kind, key, code in picked:
        try:
            close_gap(member, kind, key, code)
        except Refusal as refusal:
            left.append(refusal.message)
        else:
            done += 1
    return done, left


def _connect_person(firm: Firm, key: str, supplier: Supplier) -> int:
    if supplier.member_id is not None:
        raise Refusal(
            say("{supplier} is another person's already: nobody is paid under two.", supplier=supplier.name), "code"
        )
    member = Membership.objects.filter(firm=firm, pk=int(key) if key.isdecimal() else 0).first()
    if member is None:
        return 0
    Supplier.objects.filter(member=member).update(member=None)
    return Supplier.objects.filter(pk=supplier.pk).update(member=member)


def _connect_merchant(firm: Firm, key: str, supplier: Supplier) -> int:
    MerchantSupplier.objects.update_or_create(firm=firm, merchant=key[:120], defaults={"supplier": supplier})
    return 1


def make_suppliers(member: Membership, member_ids: Sequence[int]) -> tuple[int, list[str]]:
    """Make people suppliers of the ledger: found there by account or tax number, else made, under a key of their own, never twice.

    Returns how many, and of the others why not.
    """
    must(member, "masters")
    rows = Membership.objects.filter(
        firm_id=member.firm_id, pk__in=member_ids, active=True, supplier__isnull=True
    ).select_related("person", "firm")
    done, left = 0, []
    for whose in rows[:BATCH]:
        wanted = NewSupplier(
            f"supplier:{whose.firm_id}:{whose.pk}", whose.person.name, whose.iban, "", whose.firm.country
        )
        try:
            made = ask(whose.firm, lambda ledger, firm, wanted=wanted: ledger.make_supplier(firm, wanted))
        except (LedgerAway, LedgerShut) as error:
            left.append(
                say(
                    "The ledger does not answer: {error}. What was begun is found by its key the next time.",
                    error=error,
                )
            )
            break
        problem = _keep_supplier(member, whose, made)
        done += not problem
        left += [problem] if problem else []
    return done, left


@transaction.atomic
def _keep_supplier(member: Membership, whose: Membership, made: Master) -> str:
    row, _ = Supplier.objects.get_or_create(
        firm=whose.firm, code=made.code, defaults={"name": made.name, "iban": made.iban, "tax_number": made.tax_number}
    )
    if row.member_id not in (None, whose.pk):
        return say(
            "{whose}: the ledger has their account under {row}, who is somebody else here.",
            whose=whose.person.name,
            row=row,
        )
    row.member = whose
    row.save(update_fields=["member"])
    record(member, say("made a person a supplier of the ledger"), f"member:{whose.pk}", after={"supplier": row.code})
    return ""
