"""Acts on one's own profile."""

from __future__ import annotations

from datetime import date

from django.db import IntegrityError, transaction

from wainwright.errors import Refusal, Stale
from wainwright.people.models import Card, Membership, Vehicle
from wainwright.trail.services import record

FIELDS = ("phone", "itinerary_email", "home_code", "work_code", "iban", "mail_name")


@transaction.atomic
def change_profile(member: Membership, **values: str) -> Membership:
    """Change one's own details; trips that are under way keep the copy they have. Raises ``KeyError`` for an unknown field."""
    kept = Membership.objects.select_for_update().get(pk=member.pk)
    before = {name: getattr(kept, name) for name in values}
    for name, value in values.items():
        if name not in FIELDS:
            raise KeyError(name)
        setattr(kept, name, value)
    try:
        with transaction.atomic():
            kept.save()
    except IntegrityError as error:
        raise Refusal("Somebody has that name for their tray already. Choose another.", "mail_name") from error
    # The account itself is no matter for everybody who reads the trail.
    shown = {name: value if name != "iban" else value[-4:] for name, value in values.items()}
    record(
        member,
        "changed the profile",
        f"member:{member.pk}",
        before={n: v if n != "iban" else v[-4:] for n, v in before.items()},
        after=shown,
    )
    return kept


@transaction.atomic
def add_card(member: Membership, last_four: str, issuer: str, expires: date, firm_pays: bool) -> Card:
    """Put a card on file, or a new date on one that is there. Raises ``Refusal``."""
    try:
        with transaction.atomic():
            card, _ = Card.objects.update_or_create(
                owner=member,
                last_four=last_four,
                defaults={"issuer": issuer.strip(), "expires": expires, "firm_pays": firm_pays},
            )
    except IntegrityError as error:
        raise Refusal("That card is on file already.", "last_four") from error
    record(member, "put a card on file", f"member:{member.pk}", after={"card": last_four, "expires": expires})
    return card


@transaction.atomic
def add_vehicle(member: Membership, plate: str, kind: str) -> Vehicle:
    """Add a vehicle. Raises ``Refusal`` for one that is there."""
    plate = " ".join(plate.upper().split())
    if Vehicle.objects.filter(owner=member, plate=plate).exists():
        raise Refusal("That vehicle is there already.", "plate")
    vehicle = Vehicle.objects.create(owner=member, plate=plate, kind=kind)
    record(member, "added a vehicle", f"member:{member.pk}", after={"plate": plate})
    return vehicle


@transaction.atomic
def remove_vehicle(member: Membership, vehicle_id: int) -> None:
    """Take a vehicle off."""
    vehicle = Vehicle.objects.filter(owner=member, pk=vehicle_id).first()
    if vehicle is None:
        raise Stale("That vehicle is gone already.")
    vehicle.delete()
    record(member, "took a vehicle off", f"member:{member.pk}", before={"plate": vehicle.plate})
