"""People come: invited by an administrator, with a link by which they choose their own password; it works once, and for three days."""

from __future__ import annotations

from dataclasses import dataclass

from allauth.account.forms import default_token_generator
from allauth.account.utils import user_pk_to_url_str
from django.conf import settings
from django.core.mail import EmailMultiAlternatives
from django.db import IntegrityError, transaction
from django.template.loader import render_to_string
from django.utils.translation import gettext

from wainwright.core.roles import ROLES
from wainwright.core.said import say
from wainwright.core.text import one_line
from wainwright.errors import Refusal, Stale
from wainwright.language import written_for
from wainwright.news.services import tell
from wainwright.people.addresses import as_kept, is_address
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership, Person
from wainwright.people.post import post
from wainwright.staff.services import Place
from wainwright.trail.services import record

SHORT = 2


@dataclass(frozen=True)
class Invited:
    """Whoever is invited: name, address, what they do, and their place."""

    name: str
    email: str
    job: str
    place: Place


@transaction.atomic
def invite(by: Membership, whom: Invited) -> Membership:
    """Invite a person: they are of the firm at once, and choose a password by the link in their mail.

    Who signs in to another firm already is of both from now on, with the password they have. Raises ``NotAllowed``; ``Refusal``.
    """
    must(by, "people")
    name, email = _who(whom.name, whom.email)
    place = whom.place
    if not place.roles or not place.roles <= set(ROLES):
        raise Refusal(say("Everybody has a role. Choose at least one."), "roles")
    manager = Membership.objects.filter(pk=place.manager, firm_id=by.firm_id, active=True).first()
    if manager is None and (place.manager or "traveller" in place.roles):
        raise Refusal(say("Say to whom they report: else nothing of theirs could be signed."), "manager")
    person = Person.objects.filter(email__iexact=email).first()
    known = (
        Membership.objects.filter(firm_id=by.firm_id, person=person).select_related("person").first()
        if person
        else None
    )
    if known is not None and known.active:
        raise Refusal(say("{known} is here under that address already.", known=known.person.name), "email")
    if known is not None:
        raise Refusal(
            say(
                "{known} was here under that address: bring them back on their page under People.",
                known=known.person.name,
            ),
            "email",
        )
    new = person is None
    try:
        with transaction.atomic():
            # Without a password nobody comes in: the link lets them choose one.
            person = person or Person.objects.create_user(email, None, name=name)
            made = Membership.objects.create(
                firm=by.firm, person=person, job=one_line(whom.job, 80), manager=manager, codes=manager.codes if manager else [],
                limit_minor=None if place.limit is None else place.limit.minor, **{role: role in place.roles for role in ROLES},
            )  # fmt: skip
    except IntegrityError as error:
        raise Refusal(say("That address was invited a moment ago."), "email") from error
    record(
        by, say("invited a person"), f"member:{made.pk}",
        after={"name": person.name, "roles": made.roles, "manager": manager.person.name if manager else "", "new here": new},
    )  # fmt: skip
    if person.has_usable_password() and not person.is_active:
        person.is_active = True
        person.save(update_fields=["is_active"])
    welcome(by, made)
    return made


def welcome(by: Membership, made: Membership) -> None:
    """Tell somebody that they are of the firm now, or invite who has no password yet. Inside the caller's transaction."""
    if not made.person.has_usable_password():
        send_invitation(by, made)
        return
    words = say("{by} added you to {by_2}", by=by.person.name, by_2=by.firm.name)
    tell(made, words, "/firms/", say("Sign in as you do, and choose the firm at the top."))


@transaction.atomic
def invite_again(by: Membership, who_id: int) -> Membership:
    """Send the link again to somebody who has not come yet; the one before works no more once either was used. Raises ``Stale``."""
    must(by, "people")
    who = Membership.objects.select_related("person", "firm").get(pk=who_id, firm_id=by.firm_id)
    if not who.active or who.person.has_usable_password():
        raise Stale(say("{who} has a password already: they sign in, or say that they forgot it.", who=who.person.name))
    record(by, say("invited a person again"), f"member:{who.pk}")
    send_invitation(by, who)
    return who


def link_of(person: Person) -> str:
    """The address at which a person chooses a password: it holds until one was chosen, and for three days."""
    key = f"{user_pk_to_url_str(person)}-{default_token_generator.make_token(person)}"
    return f"{settings.ADDRESS}/accounts/password/reset/key/{key}/"


def send_invitation(by: Membership, who: Membership) -> None:
    """The invitation by mail. It stands in no news: whoever reads those is signed in, and the link is a key."""
    context = {
        "name": who.person.name,
        "by": by.person.name if by.pk != who.pk else who.firm.name,
        "firm": who.firm.name,
        "link": link_of(who.person),
        "again": f"{settings.ADDRESS}/accounts/password/reset/",
    }
    with written_for(who.firm):
        mail = EmailMultiAlternatives(
            subject=gettext("%(by)s invites you to the travel and expenses of %(firm)s") % context,
            body=render_to_string("staff/invitation.txt", context), from_email=settings.DEFAULT_FROM_EMAIL, to=[who.person.email],
        )  # fmt: skip
        mail.attach_alternative(render_to_string("staff/invitation.html", context), "text/html")
    post(mail)


def first_administrator(firm: Firm, name: str, email: str, by: Membership | None) -> Membership:
    """Make the first administrator of a firm that was just founded, and send them the link where they have no password.

    ``by`` is who founded it, an administrator of another firm here; nobody where a command did. Inside the caller's
    transaction. Raises ``Refusal``.
    """
    name, email = _who(name, email)
    person = Person.objects.filter(email__iexact=email).first() or Person.objects.create_user(email, None, name=name)
    made = Membership.objects.create(firm=firm, person=person, traveller=False, administrator=True)
    if by is not None and by.person_id == person.pk:
        return made
    if person.has_usable_password():
        words = say("You are the administrator of {firm}", firm=firm.name)
        tell(made, words, "/firms/", say("Sign in as you do, and choose the firm at the top."))
    else:
        send_invitation(by or made, made)
    return made


def _who(name: str, email: str) -> tuple[str, str]:
    """Return name and address as they are kept. Raises ``Refusal``."""
    name, email = one_line(name, 120).strip(), as_kept(email)
    if len(name) < SHORT:
        raise Refusal(say("Type their name, as it stands on letters."), "name")
    if not is_address(email):
        raise Refusal(say("That is no address for mail: check it."), "email")
    return name, email
