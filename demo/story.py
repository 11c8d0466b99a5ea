"""Tells one trip of the demo's history through the services, up to its stage."""

from __future__ import annotations

from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from functools import partial
from typing import Any

from django.core.files.base import ContentFile
from django.db.models import QuerySet

from demo import papers
from demo.beside import Beside
from wainwright import clock
from wainwright.bench import services as bench
from wainwright.bookings.choices import measure_one
from wainwright.bookings.selectors import chosen, offers_of
from wainwright.claims.models import Claim
from wainwright.claims.selectors import claim_for, load_file
from wainwright.claims.services import books as booking
from wainwright.claims.services import closing, compose, drafting, lines
from wainwright.claims.services import road as claim_road
from wainwright.core.fares import Asked
from wainwright.core.journey import Meal, Mode, Place
from wainwright.core.money import Money
from wainwright.expenses.models import Charge, Expense, Receipt, ReceiptPage
from wainwright.expenses.services import editing, taking
from wainwright.expenses.services.rides import Ride, type_ride
from wainwright.formats.places import best_place, place
from wainwright.journals.services import start_run
from wainwright.people.models import Membership
from wainwright.prepared import prepared
from wainwright.rulebook.selectors import rulebook
from wainwright.signoff.models import SignOff
from wainwright.trips import under
from wainwright.trips.figures import quarters_in
from wainwright.trips.models import Trip
from wainwright.trips.selectors import load_file as load_trip
from wainwright.trips.selectors import trip_for
from wainwright.trips.services import nights as nights_of
from wainwright.trips.services import plan, road
from wainwright.trips.services.ways import Wish, hold

AFTER = {"planning": 0, "lapsed": 0, "awaiting": 1, "trip_sent_back": 1, "trip_turned_down": 1, "authorised": 2, "called_off": 2, "under_way": 2, "back": 2,
         "claim_open": 3, "in_signoff": 4, "turned_down": 5, "sent_back": 5, "finance": 6, "cleared": 7, "refused": 8, "posted": 8,
         "pay_failed": 9, "settled": 9}  # fmt: skip


class Story:
    """One trip of the history, told up to its stage."""

    def __init__(self, row: dict[str, Any], people: dict[str, Membership], today: date, work: Beside) -> None:
        self.row, self.people, self.today, self.work, self.now = row, people, today, work, clock.now()
        self.member = people[row["who"]]
        self.first = today + timedelta(days=row["starts"])
        if row["stage"] != "under_way":
            self.first -= timedelta(days=self.first.weekday())
        self.last = self.first + timedelta(days=row["days"] - 1)
        self.reach = AFTER[row["stage"]]

    def moment(self, day: date, hour: int) -> datetime:
        """A moment of the history, never one to come."""
        return min(datetime.combine(day, time(hour), UTC), self.now - timedelta(hours=1))

    def go(self) -> None:
        """Plan, send, authorise: what is done before anybody leaves."""
        # A hold stands for two days: what was begun three days ago has lapsed.
        latest = self.today - timedelta(days=3 if self.row["stage"] == "lapsed" else 1)
        begun = min(self.first - timedelta(days=20), latest)
        with clock.at(self.moment(begun, 8)):
            trip = self.trip = self._plan(begun)
            if self.reach >= 1:
                self._send(trip)
        if self.reach >= 2:
            with clock.at(self.moment(begun, 12)):
                self._approve("trip", trip.pk)
        if self.row["stage"] == "trip_sent_back":
            bench.end(self._signer("trip", trip.pk), "trip", trip.pk, "send_back", self.row["comment"])
        if self.row["stage"] == "trip_turned_down":
            bench.end(self._signer("trip", trip.pk), "trip", trip.pk, "turn_down", self.row["comment"])
        if self.row.get("advance"):
            with clock.at(self.moment(begun, 14)):
                booking.pay(self.finance, [], clock.today(self.finance.firm.zone), [trip.pk])
        if self.row["stage"] == "called_off":
            road.call_off(self.member, trip.pk)

    def come_back(self) -> None:
        """Spend, claim, decide, post, pay: as far as the story goes. Trips have begun and ended by now."""
        if self.reach >= 2:
            self._spend()
        if self.reach >= 3:
            self._claim(self.trip)

    def _plan(self, begun: date) -> Trip:
        row, member = self.row, self.member
        coding = member.coding
        trip = plan.start_trip(member, row["title"], row["purpose"], coding)
        home, there = place(member.home_code), place(row["to"])
        keys = []
        for origin, target, day in ((home, there, self.first), (there, home, self.last)):
            offers = sorted(
                offers_of(origin, target, day, begun, trip.currency), key=lambda o: (o.price.amount, o.leaves)
            )
            found = [o for o in offers if 8 <= o.leaves.hour < 17 and o.mode == Mode.AIR and o.cabin == "economy"]
            found = [o for o in found if o.arrives.date() == day] or found
            # Each is measured against all of the day: no more of them than it takes.
            fair = (o for o in found if not measure_one(o, offers, Asked()).over.minor)
            keys.append(next(fair, found[0]).key)
        hold(
            member,
            trip.pk,
            chosen(keys, begun, trip.currency),
            Wish("Arrives in time for the work", "Nearest to the work at that time."),
        )
        if row.get("then"):
            self._side_trip(trip, there, best_place(row["then"]))
        over = row.get("night_over", 0)
        nights = under.nights_of(trip)
        for town in dict.fromkeys(n.place["town"] for n in nights):
            stay = [n for n in nights if n.place["town"] == town]
            expected = nights_of.expected_night(rulebook(trip.firm), Place(**stay[0].place), stay[0].date)
            cost = Decimal(expected) / 100 + (28 if town == "Florø" else -8) + over
            name = (
                "Florø Rooms" if town == "Florø" else "Lamp Quay Hotel" if town == "Bergen" else f"{town} Harbour Inn"
            )
            dates = [n.date for n in stay]
            nights_of.set_stay(member, trip.pk, dates, name, cost, "firm", False)
            if quarters_in(rulebook(trip.firm), town, stay[0].place["country"]):
                nights_of.record_full(member, trip.pk, dates, begun.isoformat(), "Port office", f"Q-{trip.pk:03d}")
        for mark in row.get("supplied", ()):
            day, _, meal = mark.partition(":")
            nights_of.mark_meal(member, trip.pk, self.first + timedelta(days=int(day)), Meal(meal))
        scale = 10 if trip.currency == "NOK" else 1
        plan.add_other(member, trip.pk, "taxi", "Taxis and parking", Decimal(80 * scale), "self")
        if row.get("advance"):
            asked = Decimal(row["advance"])
            plan.ask_advance(member, trip.pk, asked, Money.of(row["advance"], trip.currency), row["advance_why"])
        return trip_for(member, trip.pk)

    def _side_trip(self, trip: Trip, near, far) -> None:
        there, back = self.first + timedelta(days=2), self.last
        at = datetime.combine
        plan.add_leg(
            self.member,
            trip.pk,
            Mode.FERRY,
            near,
            far,
            at(there, time(7, 30)),
            at(there, time(14, 15)),
            Decimal(90),
            "firm",
        )
        first_flight = trip.legs.order_by("-leaves_at").first()
        leave = min(time(4, 30), first_flight.leaves.time())
        plan.add_leg(
            self.member,
            trip.pk,
            Mode.HIRE_CAR,
            far,
            near,
            at(back, leave),
            at(back, time(leave.hour + 3, 30)),
            Decimal(95),
            "firm",
        )

    def _send(self, trip: Trip) -> None:
        member = self.member
        file = load_trip(member, trip_for(member, trip.pk))
        for each in file.findings:
            if each.open:
                reason = each.finding.reasons[0] if each.finding.reasons else ""
                plan.explain(
                    member,
                    trip.pk,
                    [each.finding],
                    [each.finding.identity],
                    reason,
                    "Nearest to the work at that time.",
                )
        trip = trip_for(member, trip.pk)
        road.send(member, trip.pk, trip.version, member.person.name, advance_confirmed=bool(trip.advance_minor))

    def _approve(self, kind: str, object_id: int, most: int = 9) -> None:
        for _ in range(most):
            waiting = _has_the_turn(kind, object_id)
            if not waiting:
                return
            bench.approve(waiting[0].signer, kind, object_id)

    def _signer(self, kind: str, object_id: int) -> Membership:
        (waiting,) = _has_the_turn(kind, object_id)
        return waiting.signer

    def _spend(self) -> None:
        for number, (day, merchant, category, amount, paid_by, proven, *rate) in enumerate(self.row["costs"]):
            on = self.first + timedelta(days=day)
            money = Money.of(amount, self.member.firm.currency)
            guests = "Two from the port authority" if category == "meals" else ""
            with clock.at(self.moment(on + timedelta(days=1), 18)):
                expense = taking.type_cost(
                    self.member,
                    on,
                    merchant,
                    category,
                    money,
                    paid_by,
                    Decimal(*rate) if rate else Decimal(0),
                    None,
                    "",
                    guests,
                    3 if guests else 1,
                    country=self.member.firm.country if rate else "",
                )
                if proven:
                    proof(expense, number, self.work)
                if paid_by == "firm":
                    self._charge(expense, number)
        for day, origin, target, there_and_back in self.row.get("rides", ()):
            on = self.first + timedelta(days=day)
            ride = Ride(
                on, best_place(origin), best_place(target), "car", there_and_back, description=self.row["purpose"]
            )
            with clock.at(self.moment(on + timedelta(days=1), 18)):
                type_ride(self.member, ride)
        if self.reach >= 3:
            self._hotel()

    @property
    def finance(self) -> Membership:
        """Who checks, clears and pays in this firm."""
        return self.people["liv" if self.member.firm.slug == "norge" else "priya"]

    def _correct(self, claim: Claim) -> None:
        """Finance puts the first cost where it belongs, and says why."""
        expense = claim.expenses.filter(merchant=self.row["costs"][0][1]).get()
        values = {
            "day": expense.date, "merchant": expense.merchant, "category": self.row["corrected"]["category"], "amount": expense.amount,
            "paid_by": expense.paid_by, "tax_rate": expense.tax_rate, "tax": None, "description": "", "guests": "", "heads": 1, "country": expense.country,
        }  # fmt: skip
        version = Claim.objects.get(pk=claim.pk).version
        lines.correct_line(self.finance, claim.pk, version, expense.pk, self.row["corrected"]["why"], **values)

    def _charge(self, expense: Expense, number: int) -> None:
        card = self.member.cards.first()
        Charge.objects.create(
            firm=expense.firm, owner=self.member, card=card, expense=expense, bank_id=f"{self.first}-{number}-{expense.pk}",
            date=expense.date, merchant=expense.merchant.upper(), currency=expense.currency,
            amount_minor=expense.amount_minor, state="In an expense",
        )  # fmt: skip

    def _hotel(self) -> None:
        trip = self.trip
        nights = under.nights_of(trip)
        for town in dict.fromkeys(n.place["town"] for n in nights):
            stay = [n for n in nights if n.place["town"] == town]
            price = Money.from_minor(stay[0].cost_minor, trip.currency)
            with clock.at(self.moment(self.last + timedelta(days=1), 19)):
                expense = taking.type_cost(
                    self.member,
                    stay[-1].date,
                    stay[0].name,
                    "lodging",
                    price.times(len(stay)),
                    "firm",
                    Decimal(0),
                    None,
                    "",
                    "",
                    1,
                )
                parts = editing.nightly_parts(stay[0].date, len(stay), price, "lodging")
                expense = editing.set_parts(self.member, expense.pk, 1, parts)
                proof(expense, 50, self.work)
                self._charge(expense, 50)

    def _claim(self, trip: Trip) -> None:
        member = self.member
        done = self.last + timedelta(days=2)
        with clock.at(self.moment(done, 9)):
            claim = drafting.claim_trip(member, trip.pk)
            if self.reach == 3:
                return
            self._certify(claim)
        with clock.at(self.moment(done + timedelta(days=1), 10)):
            if self.row["stage"] == "turned_down":
                signer = self._signer("claim", claim.pk)
                bench.end(signer, "claim", claim.pk, "turn_down", self.row["comment"])
                # They begin anew, read why, and leave it to whoever pays.
                again = drafting.claim_trip(member, trip.pk)
                closing.withdraw(member, again.pk, again.version)
                return
            if self.row["stage"] == "sent_back":
                signer = self._signer("claim", claim.pk)
                line = claim.expenses.order_by("-amount_minor").filter(category="meals").first()
                remarks = {line.key: "Who were the guests from the port?"} if line else {}
                bench.end(signer, "claim", claim.pk, "send_back", "Please name the guests at the dinner.", remarks)
                return
            if self.row["stage"] == "in_signoff":
                return
            self._approve("claim", claim.pk)
        finance = self.finance
        if self.reach >= 7:
            with clock.at(
                self.moment(self.today - timedelta(days=1) if self.reach == 8 else done + timedelta(days=3), 11)
            ):
                if self.row.get("corrected"):
                    self._correct(claim)
                cleared = claim_road.clear(finance, claim.pk, Claim.objects.get(pk=claim.pk).version)
                if self.reach >= 8 and self.row.get("in_a_run"):
                    start_run(finance, [claim.pk])
                elif self.reach >= 8:
                    booking.post(finance, claim.pk, cleared.version)
                if self.reach >= 9:
                    booking.pay(finance, [claim.pk], clock.today(finance.firm.zone))

    def _certify(self, claim: Claim) -> None:
        for each in load_file(self.member, claim_for(self.member, claim.pk)).findings:
            if each.open:
                reason = each.finding.reasons[0] if each.finding.reasons else ""
                compose.explain(
                    self.member,
                    claim.pk,
                    [each.finding],
                    [each.finding.identity],
                    reason,
                    "Nothing else was to be had that week.",
                )
        version = claim_for(self.member, claim.pk).version
        claim_road.send(self.member, claim.pk, version, self.member.person.name)


@prepared
def _has_the_turn(kind: str, object_id: int) -> QuerySet[SignOff]:
    waiting = SignOff.objects.filter(kind=kind, object_id=object_id, turn=True, state="Waiting")
    return waiting.select_related("signer__person", "signer__firm").order_by("pk")


def proof(expense: Expense, seed: int, work: Beside | None = None) -> None:
    """Give an expense a receipt that was read, drawn as a till would print it: beside the telling, or at once."""
    printed = papers.Printed(
        (
            expense.merchant.upper(),
            f"{expense.date:%d.%m.%Y}",
            (expense.merchant[:18], str(expense.amount)),
            (f"TOTAL {expense.currency}", str(expense.amount)),
        )
    )
    name = f"demo-{expense.pk}"
    fields = {
        "merchant": {"value": expense.merchant, "sure": 0.95, "box": [0, 130, 120, 500, 50]},
        "date": {"value": expense.date.isoformat(), "sure": 0.96, "box": [0, 130, 170, 260, 46]},
        "total": {"value": f"{expense.amount.amount:.2f}", "sure": 0.96, "box": [0, 620, 262, 190, 56]},
        "currency": {"value": expense.currency, "sure": 0.97, "box": [0, 240, 262, 100, 50]},
    }
    receipt = Receipt(
        firm=expense.firm, owner=expense.owner, expense=expense, name=f"{expense.merchant.lower().replace(' ', '-')}.jpg",
        media_type="image/jpeg", size=0, sha256=f"{name:0>64}", state="Read", fields=fields, received=clock.now(),
    )  # fmt: skip
    page = ReceiptPage(receipt=receipt, number=0, width=920, height=110 + 4 * 46 + 160)
    receipt.thumb, receipt.file, page.picture = (
        of.field.generate_filename(row, f"{name}{end}.jpg")
        for row, of, end in (
            (receipt, receipt.thumb, "-small"),
            (receipt, receipt.file, ""),
            (page, page.picture, "-0"),
        )
    )
    receipt.save()
    page.save()
    drawn = (printed, (seed % 5) - 2, seed + expense.pk)
    if work is None:
        _put_away(receipt, page, papers.with_thumb(*drawn))
    else:
        work.drawn(partial(_put_away, receipt, page), papers.with_thumb, *drawn)


def _put_away(receipt: Receipt, page: ReceiptPage, drawn: tuple[bytes, bytes]) -> None:
    """Put the pictures where the receipt says that they lie."""
    content, thumb = drawn
    for file, bytes_of in ((receipt.thumb, thumb), (receipt.file, content), (page.picture, content)):
        # What an earlier world left there is not this one's.
        file.storage.delete(file.name)
        file.storage.save(file.name, ContentFile(bytes_of))
    Receipt.objects.filter(pk=receipt.pk).update(size=len(content))
