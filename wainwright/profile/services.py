"""Acts on one's own profile."""

from __future__ import annotations

from datetime import date

from allauth.usersessions.models import UserSession
from django.db import IntegrityError, transaction

from wainwright import clock
from wainwright.core.said import say
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.language import LANGUAGES
from wainwright.news.services import tell
from wainwright.people.models import Card, Membership, Person, Vehicle
from wainwright.trail.services import record

UNDO = say(
    "If this was not you, open your profile and put it back, then change your password. "
    "Money goes to a changed account a day after the change, or once finance has confirmed "
    "it."
)
FIELDS = ("phone", "itinerary_email", "home_code", "work_code", "iban", "mail_name")


@transaction.atomic
def change_profile(member: Membership, **values: str) -> Membership:
    """Change one's own details; trips that are under way keep the copy they have. Raises ``KeyError`` for an unknown field."""
    kept = (
        Membership.objects.select_for_update(of=("self",), no_key=True)
        .select_related("person", "firm")
        .get(pk=member.pk)
    )
    before = {name: getattr(kept, name) for name in values}
    moved = "iban" in values and values["iban"] != kept.iban
    if moved:
        kept.iban_before, kept.iban_changed, kept.iban_confirmed = kept.iban, clock.now(), False
    for name, value in values.items():
        if name not in FIELDS:
            raise KeyError(name)
        setattr(kept, name, value)
    try:
        with transaction.atomic():
            kept.save()
    except IntegrityError as error:
        raise Refusal(say("Somebody has that name for their tray already. Choose another."), "mail_name") from error
    # The account itself is no matter for everybody who reads the trail.
    shown = {name: value if name != "iban" else value[-4:] for name, value in values.items()}
    record(
        member,
        say("changed the profile"),
        f"member:{member.pk}",
        before={n: v if n != "iban" else v[-4:] for n, v in before.items()},
        after=shown,
    )
    if moved:
        words = (
            say("Your account for repayment was changed to one ending {iban}", iban=kept.iban[-4:])
            if kept.iban
            else say("Your account for repayment was taken off")
        )
        tell(kept, words, "/profile/", UNDO)
    return kept


@transaction.atomic
def put_account_back(member: Membership) -> Membership:
    """Undo the last change of one's account while it waits. Raises ``Stale`` once money may have gone there."""
    kept = (
        Membership.objects.select_for_update(of=("self",), no_key=True)
        .select_related("person", "firm")
        .get(pk=member.pk)
    )
    if kept.account_from is None:
        raise Stale(say("Nothing waits any more that could be put back. Change the account instead."))
    was = kept.iban
    kept.iban, kept.iban_before, kept.iban_changed, kept.iban_confirmed = kept.iban_before, "", None, False
    kept.save()
    record(member, say("put the account back"), f"member:{kept.pk}", before=was[-4:], after=kept.iban[-4:])
    tell(
        kept,
        say("Your account for repayment is the one that it was before"),
        "/profile/",
        say("Change your password too if the change was not yours."),
    )
    return kept


@transaction.atomic
def confirm_account(member: Membership, of_id: int) -> Membership:
    """Finance has asked a person and confirms their changed account: it is paid to at once. Never one's own."""
    if not member.may["pay"] or of_id == member.pk:
        raise NotAllowed(say("Somebody else in finance confirms that."))
    kept = (
        Membership.objects.select_for_update(of=("self",), no_key=True)
        .select_related("person", "firm")
        .get(pk=of_id, firm_id=member.firm_id)
    )
    if kept.account_from is None:
        raise Stale(say("Nothing waits any more to be confirmed."))
    kept.iban_confirmed = True
    kept.save(update_fields=["iban_confirmed"])
    record(member, say("confirmed an account"), f"member:{kept.pk}", after=kept.iban[-4:])
    tell(kept, say("{member} confirmed your new account for repayment", member=member.person.name), "/profile/", UNDO)
    return kept


@transaction.atomic
def add_card(member: Membership, last_four: str, issuer: str, expires: date) -> Card:
    """Put a card of one's own on file, or a new date on one that is there. The firm's cards are given by finance.

    Raises ``Refusal``.
    """
    known = Card.objects.select_for_update(of=("self",), no_key=True).filter(owner=member, last_four=last_four).first()
    if known is not None and known.firm_pays:
        raise Refusal(say("That is a card of the firm: finance keeps it, and its date."), "last_four")
    card, _ = Card.objects.update_or_create(
        owner=member, last_four=last_four,
        defaults={"issuer": issuer.strip(), "expires": expires, "firm_pays": False, "closed": None},
    )  # fmt: skip
    record(member, say("put a card on file"), f"member:{member.pk}", after={"card": last_four, "expires": expires})
    tell(
        member,
        say("Your own card ending {last_four} was put on file", last_four=last_four),
        "/profile/",
        say("If this was not you, take it off under your profile and change your password."),
    )
    return card


@transaction.atomic
def close_card(member: Membership, card_id: int) -> None:
    """Take a card of one's own off: nothing is charged to it from today on. The firm's are closed by finance."""
    card = (
        Card.objects.select_for_update(no_key=True)
        .filter(owner=member, pk=card_id, firm_pays=False, closed=None)
        .first()
    )
    if card is None:
        raise Stale(say("That is no card of your own that is on file."))
    card.closed = clock.today(member.firm.zone)
    card.save(update_fields=["closed"])
    record(member, say("took a card off"), f"member:{member.pk}", before={"card": card.last_four})
    tell(
        member,
        say("Your own card ending {last_four} was taken off", last_four=card.last_four),
        "/profile/",
        say("If this was not you, change your password."),
    )


@transaction.atomic
def add_vehicle(member: Membership, plate: str, kind: str) -> Vehicle:
    """Add a vehicle. Raises ``Refusal`` for one that is there."""
    plate = " ".join(plate.upper().split())
    if Vehicle.objects.filter(owner=member, plate=plate).exists():
        raise Refusal(say("That vehicle is there already."), "plate")
    vehicle = Vehicle.objects.create(owner=member, plate=plate, kind=kind)
    record(member, say("added a vehicle"), f"member:{member.pk}", after={"plate": plate})
    return vehicle


@transaction.atomic
def remove_vehicle(member: Membership, vehicle_id: int) -> None:
    """Take a vehicle off."""
    vehicle = Vehicle.objects.filter(owner=member, pk=vehicle_id).first()
    if vehicle is None:
        raise Stale(say("That vehicle is gone already."))
    vehicle.delete()
    record(member, say("took a vehicle off"), f"member:{member.pk}", before={"plate": vehicle.plate})


def sessions_of(person: Person) -> list[UserSession]:
    """Return where a person is signed in, the newest first; those that ran out are forgotten."""
    return sorted(UserSession.objects.purge_and_list(person), key=lambda each: each.created_at, reverse=True)


@transaction.atomic
def end_sessions(member: Membership, here: str, session_id: int | None) -> int:
    """End one of a person's sessions, or all but the one they are in; return how many ended."""
    rows = UserSession.objects.filter(user=member.person)
    rows = rows.filter(pk=session_id) if session_id else rows.exclude(session_key=here)
    ended = list(rows)
    for each in ended:
        each.end()
    if ended:
        record(member, say("ended sessions"), f"member:{member.pk}", after={"sessions": len(ended)})
    return len(ended)


@transaction.atomic
def choose_language(member: Membership, code: str) -> None:
    """Say pages and mails to a person in a language; an empty ``code`` is that of their firm. Raises ``Refusal``."""
    if code not in ("", *dict(LANGUAGES)):
        raise Refusal(say("Choose a language of the list."), "language")
    before, member.person.language = member.person.language, code
    member.person.save(update_fields=["language"])
    record(
        member, say("chose a language"), f"member:{member.pk}", before={"language": before}, after={"language": code}
    )
