"""Mails that are forwarded to a person's tray: known senders come in, others are held and asked about."""

from __future__ import annotations

import hashlib
import logging

from django.conf import settings
from django.core.files.base import ContentFile
from django.db import transaction

from wainwright import clock
from wainwright.errors import Stale
from wainwright.expenses.models import HeldMail, Sender
from wainwright.expenses.services.receipts import TakenIn, take_any
from wainwright.formats.mail import MOST_BYTES, read_mail
from wainwright.formats.problems import Unreadable
from wainwright.news.services import tell
from wainwright.people.models import Membership
from wainwright.trail.services import record

log = logging.getLogger(__name__)
MOST_HELD = 100


def owner_of(address: str) -> Membership | None:
    """Return whose tray an address is, or nothing."""
    name, at, domain = address.strip().casefold().partition("@")
    if not at or domain != settings.MAIL_DOMAIN:
        return None
    found = Membership.objects.select_related("firm", "person").filter(mail_name=name, active=True, traveller=True)
    return found.first()


def arrived(address: str, content: bytes) -> str:
    """Take a mail that came for an address; return what became of it: "taken", "held", or why it was not taken."""
    member = owner_of(address)
    if member is None:
        return f"nobody has the address {address[:80]}"
    if len(content) > MOST_BYTES:
        return "the mail is larger than 20 MB"
    try:
        letter = read_mail(content)
    except Unreadable as error:
        return str(error)
    known = {member.person.email.casefold(), member.itinerary_email.casefold()}
    if letter.sender in known or Sender.objects.filter(member=member, address=letter.sender).exists():
        _tell(member, letter.subject, take_any(member, "mail.eml", content))
        return "taken"
    return _hold(member, letter.sender, letter.subject, content)


def _hold(member: Membership, sender: str, subject: str, content: bytes) -> str:
    digest = hashlib.sha256(content).hexdigest()
    with transaction.atomic():
        if HeldMail.objects.filter(member=member, sha256=digest).exists():
            return "held"
        if HeldMail.objects.filter(member=member).count() >= MOST_HELD:
            return f"{MOST_HELD} mails of unknown senders wait already"
        mail = HeldMail(member=member, sender=sender[:254], subject=subject[:200], sha256=digest, time=clock.now())
        mail.file.save(f"{digest[:24]}.eml", ContentFile(content), save=False)
        mail.save()
        record(
            member,
            "held a mail of an unknown sender",
            f"member:{member.pk}",
            after={"sender": sender, "subject": subject},
        )
        tell(member, f"A mail from {sender or 'nobody'} waits: do you know the sender?", "/tray/")
    return "held"


def _tell(member: Membership, subject: str, done: list[TakenIn]) -> None:
    faults = [f"{each.name}: {each.problem}" for each in done if each.receipt is None]
    if faults:
        with transaction.atomic():
            tell(member, f"Not all of “{subject[:60]}” could be taken: {'; '.join(faults)[:200]}", "/tray/")


@transaction.atomic
def let_in(member: Membership, mail_id: int, know: bool) -> list[TakenIn]:
    """Take a held mail into the tray; ``know`` lets the sender's next ones in unasked. Raises ``Stale``."""
    mail = _held(member, mail_id)
    with mail.file.open("rb") as file:
        content = file.read()
    if know and mail.sender:
        Sender.objects.get_or_create(member=member, address=mail.sender)
    done = take_any(member, "mail.eml", content)
    record(member, "let a mail in", f"member:{member.pk}", after={"sender": mail.sender, "known from now on": know})
    _away(mail)
    return done


@transaction.atomic
def turn_away(member: Membership, mail_id: int) -> None:
    """Delete a held mail. Raises ``Stale``."""
    mail = _held(member, mail_id)
    record(member, "turned a mail away", f"member:{member.pk}", before={"sender": mail.sender, "subject": mail.subject})
    _away(mail)


def _held(member: Membership, mail_id: int) -> HeldMail:
    mail = HeldMail.objects.select_for_update().filter(member=member, pk=mail_id).first()
    if mail is None:
        raise Stale("That mail was decided on already.")
    return mail


def _away(mail: HeldMail) -> None:
    file = mail.file
    mail.delete()
    transaction.on_commit(lambda: file.delete(save=False))


def take_from_folder() -> int:
    """Take the mails that lie in the folder as ``ADDRESS.anything.eml``; what cannot be taken is kept beside it with why."""
    folder = settings.MAIL_FOLDER
    count = 0
    for path in sorted(folder.glob("*.eml"))[:50] if folder.exists() else []:
        address = "@".join((path.name.split("@")[0], settings.MAIL_DOMAIN))
        result = arrived(address, path.read_bytes())
        if result in ("taken", "held"):
            path.unlink()
            count += 1
        else:
            log.warning("mail %s was not taken: %s", path.name, result)
            path.rename(path.with_suffix(".refused"))
            path.with_suffix(".why").write_text(result)
    return count
