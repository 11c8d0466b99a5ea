"""States: one table per kind of object. A state changes only through ``Machine.after``."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from wainwright.core.said import say


class NotNow(ValueError):
    """An act that is not possible in the state a thing is in."""


@dataclass(frozen=True, slots=True)
class Machine:
    """``table`` maps (state, act) to the next state; ``who`` says who does an act; ``first`` is where all begin.

    ``not_now`` is the message of an act that is not possible, with the ``{state}`` and what it cannot be, ``{past}``.
    """

    name: str
    not_now: str
    first: str
    table: Mapping[tuple[str, str], str]
    who: Mapping[str, str]

    @property
    def states(self) -> list[str]:
        """Every state, in the order of the table."""
        return list(dict.fromkeys([self.first, *(s for (s, _) in self.table), *self.table.values()]))

    def can(self, state: str, act: str) -> bool:
        """Say whether ``act`` is possible now."""
        return (state, act) in self.table

    def after(self, state: str, act: str) -> str:
        """Return the state after ``act``. Raises ``NotNow`` saying where the thing stands."""
        try:
            return self.table[state, act]
        except KeyError:
            # Formatted, a sentence is its English: the message that the reader's language is found by.
            raise NotNow(say(f"{self.not_now}", state=state, past=PAST[act])) from None


PAST = {
    "send": "sent", "take_back": "taken back", "take_personal_back": "taken back", "send_back": "sent back", "turn_down": "turned down",
    "authorise": "authorised", "call_off": "called off", "leave": "begun", "return": "ended", "close": "closed",
    "hold": "held", "confirm": "confirmed", "ticket": "ticketed", "lapse": "let go", "cancel": "cancelled",
    "use": "used", "free": "freed", "mark_personal": "marked personal", "post": "posted", "reverse": "reversed",
    "sign": "signed off", "ask": "put before others", "clear": "cleared", "refuse": "refused", "settle": "settled", "reopen": "opened again",
    "withdraw": "withdrawn", "stand": "left as it was signed", "undo": "undone", "recheck": "put back to finance",
}  # fmt: skip

TRIP = Machine(
    "trip", say("The trip stands at {state}: it cannot be {past} now."), "Planning",
    {
        ("Planning", "send"): "Awaiting sign-off", ("Sent back", "send"): "Awaiting sign-off",
        ("Awaiting sign-off", "take_back"): "Planning", ("Awaiting sign-off", "send_back"): "Sent back",
        ("Authorised", "undo"): "Awaiting sign-off",
        ("Sent back", "undo"): "Awaiting sign-off", ("Turned down", "undo"): "Awaiting sign-off",
        ("Awaiting sign-off", "turn_down"): "Turned down", ("Awaiting sign-off", "authorise"): "Authorised",
        ("Authorised", "leave"): "Under way", ("Under way", "return"): "Back", ("Back", "close"): "Closed",
        ("Planning", "call_off"): "Called off", ("Sent back", "call_off"): "Called off",
        ("Authorised", "call_off"): "Called off", ("Authorised", "reopen"): "Planning",
        ("Planning", "stand"): "Authorised", ("Sent back", "stand"): "Authorised", ("Awaiting sign-off", "stand"): "Authorised",
    },
    {
        "send": "traveller", "take_back": "traveller", "send_back": "approver", "turn_down": "approver",
        "authorise": "approver", "leave": "time", "return": "time", "close": "finance", "call_off": "traveller", "reopen": "traveller",
        "stand": "approver", "undo": "approver",
    },
)  # fmt: skip

BOOKING = Machine(
    "booking", say("The booking stands at {state}: it cannot be {past} now."), "Asked",
    {
        ("Asked", "hold"): "Held", ("Asked", "cancel"): "Cancelled", ("Held", "confirm"): "Confirmed", ("Confirmed", "ticket"): "Ticketed", ("Held", "lapse"): "Lapsed",
        ("Held", "cancel"): "Cancelled", ("Confirmed", "cancel"): "Cancelled", ("Ticketed", "cancel"): "Cancelled",
    },
    {"hold": "market", "confirm": "market", "ticket": "market", "lapse": "time", "cancel": "traveller"},
)  # fmt: skip

CHARGE = Machine(
    "charge", say("The charge stands at {state}: it cannot be {past} now."), "Loose",
    {
        ("Loose", "use"): "In an expense", ("In an expense", "free"): "Loose",
        ("Loose", "mark_personal"): "Personal", ("Personal", "free"): "Loose",
        ("In an expense", "post"): "Posted", ("Personal", "post"): "Posted",
        ("Posted", "take_back"): "In an expense", ("Posted", "take_personal_back"): "Personal",
    },
    {"use": "traveller", "free": "traveller", "mark_personal": "traveller", "post": "ledger", "take_back": "ledger", "take_personal_back": "ledger"},
)  # fmt: skip

CLAIM = Machine(
    "claim", say("The claim stands at {state}: it cannot be {past} now."), "Open",
    {
        ("Open", "send"): "In sign-off", ("Sent back", "send"): "In sign-off",
        ("In sign-off", "take_back"): "Open", ("In sign-off", "send_back"): "Sent back",
        ("In sign-off", "turn_down"): "Turned down", ("In sign-off", "sign"): "In finance check",
        ("In finance check", "send_back"): "Sent back", ("In finance check", "turn_down"): "Turned down",
        ("In finance check", "clear"): "Cleared", ("Cleared", "post"): "Posted", ("Cleared", "refuse"): "Posting refused",
        ("Posting refused", "post"): "Posted", ("Posting refused", "refuse"): "Posting refused",
        ("Posting refused", "send_back"): "Sent back", ("Posted", "settle"): "Settled",
        ("In finance check", "undo"): "In sign-off", ("Cleared", "undo"): "In finance check",
        ("Sent back", "undo"): "In sign-off", ("Turned down", "undo"): "In sign-off",
        ("Sent back", "recheck"): "In finance check", ("Turned down", "recheck"): "In finance check",
        ("In finance check", "ask"): "In sign-off", ("Cleared", "ask"): "In sign-off",
        ("Posting refused", "ask"): "In sign-off", ("Cleared", "send_back"): "Sent back",
        ("Posted", "reverse"): "In finance check", ("Settled", "reverse"): "In finance check",
        ("Open", "withdraw"): "Withdrawn", ("Sent back", "withdraw"): "Withdrawn",
    },
    {
        "send": "traveller", "take_back": "traveller", "withdraw": "traveller", "send_back": "approver", "turn_down": "approver",
        "sign": "approver", "undo": "approver", "recheck": "finance", "ask": "finance", "reverse": "finance", "clear": "finance", "post": "ledger", "refuse": "ledger", "settle": "bank",
    },
)  # fmt: skip

# A claim in one of these is decided, posted or paid: the advance of its trip is not paid out beside it.
CLAIM_SENT = ("In sign-off", "In finance check", "Cleared", "Posting refused", "Posted", "Settled")

MACHINES = {machine.name: machine for machine in (TRIP, BOOKING, CHARGE, CLAIM)}

STAGES = ("Plan", "Authorise", "Book", "Travel", "Claim", "Check", "Post", "Pay")


def stage_reached(trip_state: str, booked: bool, claim_state: str) -> int:
    """Return the index in ``STAGES`` of the stage that is at hand (8 when all are done).

    ``booked`` says that nothing is left to book; either state may be empty.
    """
    by_claim = {
        "Open": 4, "Sent back": 4, "Turned down": 4, "Withdrawn": 4, "In sign-off": 5, "In finance check": 5,
        "Cleared": 6, "Posting refused": 6, "Posted": 7, "Settled": 8,
    }  # fmt: skip
    by_trip = {"Planning": 0, "Sent back": 0, "Awaiting sign-off": 1, "Under way": 3, "Back": 4, "Closed": 8}
    if claim_state and trip_state in ("", "Back", "Closed"):
        return by_claim[claim_state]
    if trip_state == "Authorised":
        return 3 if booked else 2
    return by_trip.get(trip_state, 0)
