"""Mails that are forwarded to a person's tray: known senders come in, others are held and asked about."""

from __future__ import annotations

import hashlib
import logging
from datetime import timedelta

from django.conf import settings
from django.core.files.base import ContentFile
from django.db import transaction
from huey.contrib.djhuey import on_commit_task

from wainwright import clock
from wainwright.core.said import joined, said_by, say
from wainwright.errors import Stale
from wainwright.expenses.models import HeldMail, Sender
from wainwright.expenses.services.receipts import TakenIn, take_in
from wainwright.formats.apart import apart
from wainwright.formats.mail import MOST_BYTES, Letter, is_mail
from wainwright.formats.problems import Unreadable
from wainwright.news.services import tell
from wainwright.people.files import drop_file
from wainwright.people.models import Membership
from wainwright.trail.services import record
from wainwright.tries import NOT_READ, at_most_twice

log = logging.getLogger(__name__)
MOST_HELD, MOST_OPENING = 100, 200
BUSY = say("too many mails are being opened")
BROKEN_OFF = timedelta(minutes=10)


def owner_of(address: str) -> Membership | None:
    """Return whose tray an address is, or nothing."""
    name, at, domain = address.strip().casefold().partition("@")
    if not at or domain != settings.MAIL_DOMAIN:
        return None
    found = Membership.objects.select_related("firm", "person").filter(mail_name=name, active=True, traveller=True)
    return found.first()


def arrived(address: str, content: bytes) -> str:
    """Take a mail that came for an address; return "taken", ``BUSY``, or why it was not. It is opened in the queue."""
    member = owner_of(address)
    if member is None:
        return say("nobody has the address {address}", address=address[:80])
    if len(content) > MOST_BYTES:
        return say("the mail is larger than 20 MB")
    return "taken" if keep(member, content, trusted=False) else BUSY


def take_any(member: Membership, name: str, content: bytes) -> TakenIn:
    """Take a file that a person sent in; a mail is opened in the queue, and gives its papers one by one."""
    if not is_mail(content) or len(content) > MOST_BYTES:
        return take_in(member, name, content)
    if not keep(member, content, trusted=True):
        return TakenIn(
            name,
            None,
            say("{most_opening} mails are being opened. Send it again in a minute.", most_opening=MOST_OPENING),
        )
    return TakenIn(name, None, "", True)


@transaction.atomic
def keep(member: Membership, content: bytes, trusted: bool) -> bool:
    """Keep a mail and have it opened; the same mail again changes nothing. Says whether there was room for it."""
    digest = hashlib.sha256(content).hexdigest()
    mine = HeldMail.objects.filter(member=member)
    known = mine.select_for_update(no_key=True).filter(sha256=digest).first()
    if known is None:
        if mine.filter(state=HeldMail.State.OPENING).count() >= MOST_OPENING:
            return False
        known = HeldMail(member=member, sha256=digest, time=clock.now(), state=HeldMail.State.OPENING, trusted=trusted)
        known.file.save(f"{digest[:24]}.eml", ContentFile(content), save=False)
        known.save()
    elif trusted and known.state == HeldMail.State.HELD:
        known.state, known.trusted, known.tries = HeldMail.State.OPENING, True, 0
        known.save()
    else:
        return True
    open_mail(known.pk)
    return True


@on_commit_task(retries=1, retry_delay=5)
def open_mail(mail_id: int) -> None:
    """Open a mail: the papers of a known sender lie in the tray, another's is held, a damaged one is kept and says so."""
    mail = HeldMail.objects.select_related("member__firm", "member__person").filter(pk=mail_id).first()
    if mail is None or mail.state != HeldMail.State.OPENING:
        return
    at_most_twice(mail, lambda: _open(mail), lambda: _damaged(mail, NOT_READ))


def _open(mail: HeldMail) -> None:
    try:
        with mail.file.open("rb") as file:
            content = file.read()
        member = mail.member
        if not mail.trusted:
            # Nothing below the heads is looked at before its owner knows the sender.
            sender, subject = apart("heads", content)
            own = {member.person.email.casefold(), member.itinerary_email.casefold()} - {""}
            if sender not in own and not Sender.objects.filter(member=member, address=sender).exists():
                _hold(mail, sender, subject)
                return
        letter = apart("mail", content)
    except Unreadable as error:
        _damaged(mail, said_by(error))
        return
    except FileNotFoundError:
        _damaged(mail, say("Its file is missing on this machine. Ask for it again."))
        return
    _tell(member, letter.subject, _papers_of(member, letter, content))
    with transaction.atomic():
        _away(mail)


def _papers_of(member: Membership, letter: Letter, content: bytes) -> list[TakenIn]:
    """Take in what is attached, one by one, and the mail itself where it carries a booking or no paper."""
    done = [take_in(member, each.name, each.content) for each in letter.attached if not is_mail(each.content)]
    if letter.bookings or not any(each.receipt for each in done):
        done.append(take_in(member, f"{letter.subject or 'Mail'}.eml", content))
    return done


@transaction.atomic
def _hold(mail: HeldMail, sender: str, subject: str) -> None:
    member = mail.member
    if HeldMail.objects.filter(member=member).exclude(state=HeldMail.State.OPENING).count() >= MOST_HELD:
        # Whoever floods a tray keeps nobody else out of it: known senders still come in.
        record(member, say("turned a mail away: too many wait"), f"member:{member.pk}", after={"sender": sender})
        words = say(
            "{most_held} mails wait in your tray; further ones of unknown senders are turned away "
            "until you decide on them",
            most_held=MOST_HELD,
        )
        if not member.notices.filter(text=words, read=False).exists():
            tell(member, words, "/tray/")
        _away(mail)
        return
    mail.state, mail.sender, mail.subject = HeldMail.State.HELD, sender[:254], subject[:200]
    mail.save()
    after = {"sender": sender, "subject": subject}
    record(mail.member, say("held a mail of an unknown sender"), f"member:{mail.member_id}", after=after)
    tell(mail.member, say("A mail from {sender} waits: do you know the sender?", sender=sender or "nobody"), "/tray/")


@transaction.atomic
def _damaged(mail: HeldMail, problem: str) -> None:
    mail.state, mail.problem = HeldMail.State.UNREADABLE, problem[:300]
    mail.save()
    tell(mail.member, say("A mail that came in could not be opened. {problem}", problem=problem)[:300], "/tray/")


def _tell(member: Membership, subject: str, done: list[TakenIn]) -> None:
    faults = [joined("", (each.name, ": ", each.problem)) for each in done if each.receipt is None]
    if faults:
        with transaction.atomic():
            tell(
                member,
                say(
                    "Not all of “{subject}” could be taken: {list}",
                    subject=subject[:60],
                    list=joined("; ", faults)[:200],
                ),
                "/tray/",
            )


@transaction.atomic
def let_in(member: Membership, mail_id: int, know: bool) -> None:
    """Let a held mail into the tray; ``know`` lets the sender's next ones in unasked. Raises ``Stale``."""
    mail = _held(member, mail_id)
    if mail.state != HeldMail.State.HELD:
        raise Stale(say("That mail cannot be taken in: it is being opened, or is damaged."))
    if know and mail.sender:
        Sender.objects.get_or_create(member=member, address=mail.sender)
    mail.state, mail.trusted, mail.tries = HeldMail.State.OPENING, True, 0
    mail.save()
    record(
        member, say("let a mail in"), f"member:{member.pk}", after={"sender": mail.sender, "known from now on": know}
    )
    open_mail(mail.pk)


def open_again_what_broke_off() -> int:
    """Put mails back into the queue whose opening was broken off; return how many."""
    late = HeldMail.objects.filter(state=HeldMail.State.OPENING, time__lt=clock.now() - BROKEN_OFF)[:MOST_HELD]
    for mail in late:
        open_mail(mail.pk)
    return len(late)


@transaction.atomic
def turn_away(member: Membership, mail_id: int) -> None:
    """Delete a held mail. Raises ``Stale``."""
    mail = _held(member, mail_id)
    record(
        member,
        say("turned a mail away"),
        f"member:{member.pk}",
        before={"sender": mail.sender, "subject": mail.subject},
    )
    _away(mail)


def _held(member: Membership, mail_id: int) -> HeldMail:
    mail = HeldMail.objects.select_for_update(no_key=True).filter(member=member, pk=mail_id).first()
    if mail is None:
        raise Stale(say("That mail was decided on already."))
    return mail


def _away(mail: HeldMail) -> None:
    drop_file(mail.file)
    mail.delete()


def take_from_folder() -> int:
    """Take the mails that lie in the folder as ``ADDRESS.anything.eml``; what cannot be taken is kept beside it with why."""
    folder = settings.MAIL_FOLDER
    count = 0
    for path in sorted(folder.glob("*.eml"))[:50] if folder.exists() else []:
        address = "@".join((path.name.split("@")[0], settings.MAIL_DOMAIN))
        result = arrived(address, path.read_bytes())
        if result == BUSY:
            break
        if result == "taken":
            path.unlink()
            count += 1
        else:
            log.warning("mail %s was not taken: %s", path.name, result)
            path.rename(path.with_suffix(".refused"))
            path.with_suffix(".why").write_text(result)
    return count
