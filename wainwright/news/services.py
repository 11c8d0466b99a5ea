"""Telling people."""

from __future__ import annotations

from dataclasses import dataclass

from django.conf import settings
from django.core.mail import EmailMultiAlternatives
from django.template.loader import render_to_string

from wainwright import clock
from wainwright.core.text import one_line
from wainwright.language import read_by
from wainwright.news.daily import headers_for, link_for
from wainwright.news.models import Notice
from wainwright.people.models import Membership
from wainwright.people.post import post
from wainwright.reading import again


@dataclass(frozen=True)
class Enclosed:
    """A file that goes with a mail."""

    name: str
    content: bytes
    media_type: str


def tell(member: Membership, text: str, link: str, body: str = "", enclosed: tuple[Enclosed, ...] = ()) -> None:
    """Tell a person in the application and by mail, once the act is kept; in the day's mail where they prefer it, but for enclosures."""
    later = member.mail_daily and not enclosed
    Notice.objects.create(member=member, text=one_line(text)[:300], link=link, time=clock.now(), mailed=not later)
    if later:
        return
    with read_by(member.person.language, member.firm.language):
        mail = _mail(member, text, link, body)
    for each in enclosed:
        mail.attach(each.name, each.content, each.media_type)
    post(mail)


def _mail(member: Membership, text: str, link: str, body: str) -> EmailMultiAlternatives:
    text, body = one_line(again(text)), str(body)
    context = {
        "name": member.person.name.split()[0],
        "text": text,
        "body": body,
        "link": settings.ADDRESS + link,
        "firm": member.firm.name,
        "quiet": link_for(member),
    }
    mail = EmailMultiAlternatives(
        subject=text[:150],
        body=render_to_string("news/mail.txt", context),
        from_email=settings.DEFAULT_FROM_EMAIL,
        to=[member.person.email],
    )
    mail.attach_alternative(render_to_string("news/mail.html", context), "text/html")
    mail.extra_headers |= headers_for(member)
    return mail


def mark_read(member: Membership) -> int:
    """Mark all notices of a person as read."""
    return Notice.objects.filter(member=member, read=False).update(read=True)
