"""Processes killed while they hold, issue tickets, send, post, pay, take a paper or a bank's statement in: what was kept is
carried on, once, and nothing is stuck."""

from __future__ import annotations

import random
import subprocess
import sys
import time
from dataclasses import dataclass, field
from datetime import timedelta
from unittest import mock

from django.db import close_old_connections

from tests.attack.place import ROOT, Made
from wainwright import clock
from wainwright.accounts.models import Payment, Posting
from wainwright.bookings.models import Booking
from wainwright.bookings.selectors import chosen
from wainwright.bookings.selectors import ways as on_offer
from wainwright.claims.models import Claim
from wainwright.claims.selectors import load_file as load_claim
from wainwright.claims.services import books, compose
from wainwright.claims.services import road as claim_road
from wainwright.core.fares import Asked
from wainwright.errors import Refusal
from wainwright.expenses.models import Receipt
from wainwright.expenses.services import receipts
from wainwright.expenses.services.reading import read_again_what_broke_off as read_papers_again
from wainwright.formats.places import place
from wainwright.reconciling.models import BankAccount, Line, StatementFile
from wainwright.reconciling.services import taking
from wainwright.reconciling.services.taking import read_again_what_broke_off as read_statements_again
from wainwright.signoff.models import SignOff
from wainwright.standins.ledger.models import LedgerEntry
from wainwright.trail.models import Entry
from wainwright.trips.models import Trip
from wainwright.trips.selectors import load_file
from wainwright.trips.services import plan, road
from wainwright.trips.services.ways import Wish, hold

ACTS = ("post", "pay", "hold", "ticket", "send", "upload", "reconcile")
# Lines of a statement: enough for a process to be killed among them.
LINES = 400
WHY = Wish("Arrives in time for the work", "In time for the tide")


@dataclass
class Outcome:
    """How many processes were killed, at how many of them something was under way, and what was stuck."""

    tried: int = 0
    midway: int = 0
    faults: list[str] = field(default_factory=list)


def attack(made: Made, seed: int, most: int) -> Outcome:
    """Kill ``most`` processes, at moments drawn by ``seed``."""
    outcome, drawn = Outcome(), random.Random(seed)
    amounts = iter(range(2000, 2000 + 7 * most, 7))
    for number in range(most):
        act = ACTS[number % len(ACTS)]
        subject = _ready(made, act, f"{next(amounts) / 100:.2f}", number)
        _kill(act, subject, drawn.uniform(0, 0.4))
        outcome.tried += 1
        close_old_connections()
        outcome.midway += _midway(act, subject)
        _carry_on()
        outcome.faults += [f"{act} {number}: {fault}" for fault in _stuck(made, act, subject)]
    return outcome


def _ready(made: Made, act: str, amount: str, number: int) -> int:
    """Make what is to be acted on; return its number."""
    if act in ("post", "pay"):
        claim = made.cleared_claim(costs=(amount,))
        if act == "pay":
            books.post(made.priya, claim.pk, claim.version)
        return claim.pk
    if act == "send":
        claim = made.a_claim(costs=(amount,))
        _claim_explained(made, claim)
        return claim.pk
    if act in ("upload", "reconcile"):
        account_of(made)
        return number
    trip = plan.start_trip(made.maren, f"Gauge {number}", "Checking", made.maren.coding)
    if act == "ticket":
        hold(made.maren, trip.pk, _choice(made, number), WHY)
        _explained(made, trip)
        trip.refresh_from_db()
        road.send(made.maren, trip.pk, trip.version, made.maren.person.name)
        with mock.patch.object(road, "issue_tickets"):
            made.approve_all("trip", trip.pk)
    return trip.pk


def _explained(made: Made, trip: Trip) -> None:
    """Give the reasons that the rules ask for."""
    for each in load_file(made.maren, Trip.objects.get(pk=trip.pk)).findings:
        if each.open:
            reason = each.finding.reasons[0] if each.finding.reasons else ""
            plan.explain(made.maren, trip.pk, [each.finding], [each.finding.identity], reason, "It has to be so")


def _claim_explained(made: Made, claim: Claim) -> None:
    """Give the reasons that the rules ask for, so that it could be sent."""
    for each in load_claim(made.maren, Claim.objects.get(pk=claim.pk)).findings:
        if each.open:
            reason = each.finding.reasons[0] if each.finding.reasons else ""
            compose.explain(made.maren, claim.pk, [each.finding], [each.finding.identity], reason, "It has to be so")


def account_of(made: Made) -> BankAccount:
    """The firm's account at its bank, of which statements are taken in."""
    return BankAccount.objects.filter(firm=made.priya.firm, kind="bank").order_by("pk").first()


def paper(number: int) -> bytes:
    """A paper that is no other."""
    return b"%PDF-1.7 attack " + str(number).encode() * 20_000


def statement(made: Made, number: int) -> bytes:
    """A bank's table of its own, of so many lines."""
    rows = [
        f"{made.today - timedelta(days=n % 20):%Y-%m-%d};Attack {number} {n};-{n + 1}.{number % 90 + 10}"
        for n in range(LINES)
    ]
    return "\n".join(["Date;Text;Amount", *rows, ""]).encode()


def _choice(made: Made, number: int):
    """A way to Bergen and back, another week each time."""
    monday = made.today + timedelta(days=28 + 7 * (number % 20) - made.today.weekday())
    keys = []
    for one, other, day in (("ORK", "BGO", monday), ("BGO", "ORK", monday + timedelta(days=3))):
        found = [
            w
            for w in on_offer(place(one), place(other), day, made.today, "EUR", Asked())
            if w.offer.arrives.date() == day
        ]
        keys.append(found[0].offer.key)
    return chosen(keys, made.today, "EUR")


def _kill(act: str, subject: int, after: float) -> None:
    """Begin the act in a process of its own, and kill it after so many seconds of acting."""
    command = [sys.executable, "-m", "tests.attack.act", act, str(subject)]
    with subprocess.Popen(command, cwd=ROOT, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL) as there:
        there.stdout.readline()
        time.sleep(after)
        there.kill()


def _midway(act: str, subject: int) -> bool:
    """Whether something of it was kept, and not all."""
    if act in ("post", "pay"):
        state = Claim.objects.get(pk=subject).state
        rows = (
            Posting.objects.filter(subject=f"claim:{subject}")
            if act == "post"
            else Payment.objects.filter(subject=f"claim:{subject}")
        )
        return rows.exists() and state == ("Cleared" if act == "post" else "Posted")
    if act == "send":
        return False
    if act == "upload":
        return Receipt.objects.filter(name=f"paper-{subject}.pdf", state__in=("Waiting", "Reading")).exists()
    if act == "reconcile":
        return StatementFile.objects.filter(name=f"s{subject}.csv", state="reading").exists()
    bookings = Booking.objects.filter(trip_id=subject)
    return any(
        b.state == "Asked" or (b.state == "Held" and not b.legs.exists()) or b.state == "Confirmed" for b in bookings
    )


def _carry_on() -> None:
    """What the worker does within the next minutes."""
    later = clock.now() + timedelta(minutes=15)
    with clock.at(later):
        for _ in range(2):
            books.finish_what_broke_off(timedelta(0))
            road.move_along(later)
            read_papers_again()
            read_statements_again()


def _stuck(made: Made, act: str, subject: int) -> list[str]:
    """What is not as it should be after that, or cannot be gone on with."""
    if act in ("post", "pay"):
        return _money(made, subject)
    return OTHERS[act](made, subject) if act in OTHERS else _journey(made, act, subject)


def _sent(made: Made, claim_id: int) -> list[str]:
    claim = Claim.objects.get(pk=claim_id)
    if claim.state == "Open":
        if claim.statements.exists() or SignOff.objects.filter(subject=claim.subject).exists():
            return [f"{claim.code} is open and half sent"]
        claim_road.send(made.maren, claim.pk, claim.version, made.maren.person.name)
    claim.refresh_from_db()
    found = (
        claim.state,
        claim.statements.count(),
        Entry.objects.filter(subject=claim.subject, what="certified and sent the claim").count(),
    )
    return [] if found == ("In sign-off", 1, 1) else [f"{claim.code}: {found}"]


def _uploaded(made: Made, number: int) -> list[str]:
    receipts.take_in(made.maren, f"paper-{number}.pdf", paper(number))
    found = list(Receipt.objects.filter(name=f"paper-{number}.pdf"))
    if len(found) != 1 or found[0].state in ("Waiting", "Reading"):
        return [f"paper {number}: {[each.state for each in found]}"]
    with found[0].file.open("rb") as file:
        return [] if file.read() == paper(number) else [f"paper {number} is not what was sent"]


def _told(made: Made, number: int) -> list[str]:
    account, name = account_of(made), f"s{number}.csv"
    if not StatementFile.objects.filter(account=account, name=name).exists():
        taking.take_statement(made.priya, account.pk, name, statement(made, number))
    states = list(StatementFile.objects.filter(account=account, name=name).values_list("state", flat=True))
    lines = (
        Line.objects.filter(account=account, text__contains=f"Attack {number} ").count()
        or Line.objects.filter(account=account, name__contains=f"Attack {number} ").count()
    )
    return (
        []
        if (len(states), lines) == (1, LINES) and states[0] != "reading"
        else [f"statement {number}: {states}, {lines} lines"]
    )


OTHERS = {"send": _sent, "upload": _uploaded, "reconcile": _told}


def _money(made: Made, claim_id: int) -> list[str]:
    for wanted, go_on in (
        ("Cleared", lambda c: books.post(made.priya, c.pk, c.version)),
        ("Posted", lambda c: books.pay(made.priya, [c.pk], made.today)),
    ):
        claim = Claim.objects.get(pk=claim_id)
        if claim.state == wanted:
            try:
                go_on(claim)
            except Refusal as refusal:
                return [f"{claim.code} is stuck at {claim.state}: {refusal.message}"]
    claim = Claim.objects.get(pk=claim_id)
    faults = [] if claim.state == "Settled" else [f"{claim.code} stands at {claim.state}"]
    entered = LedgerEntry.objects.filter(key=claim.journal_key).count()
    paid = Payment.objects.filter(subject=claim.subject, state="Paid").count()
    journals = Posting.objects.filter(subject=claim.subject, key__startswith="payment", state="Entered").count()
    if (entered, paid, journals) != (1, 1, 1):
        faults.append(f"{claim.code}: entered {entered}, paid {paid}, payment posted {journals} times")
    return faults


def _journey(made: Made, act: str, trip_id: int) -> list[str]:
    faults = []
    for booking in Booking.objects.filter(trip_id=trip_id):
        if booking.state == "Asked" or (booking.stands and not booking.legs.exists()):
            faults.append(f"booking {booking.pk} is stuck at {booking.state}, {booking.legs.count()} legs")
        if act == "ticket" and booking.state != "Ticketed":
            faults.append(f"booking {booking.pk} was not ticketed: {booking.state}, {booking.problem}")
    standing = [b for b in Booking.objects.filter(trip_id=trip_id) if b.stands]
    if len(standing) > 1:
        faults.append(f"trip {trip_id} has {len(standing)} bookings of one way")
    return faults
