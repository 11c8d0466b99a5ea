"""One mail a day for those who prefer it, and the link in every mail by which one chooses it."""

from __future__ import annotations

from django.conf import settings
from django.core import signing
from django.core.mail import EmailMultiAlternatives
from django.db import transaction
from django.template.loader import render_to_string

from wainwright.core.said import say
from wainwright.language import read_by
from wainwright.news.models import Notice
from wainwright.people.models import Membership
from wainwright.people.post import post
from wainwright.trail.services import record

SALT = "news.daily"
MOST_LINES = 60


def link_for(member: Membership) -> str:
    """The address, without signing in, at which a person chooses one mail a day."""
    return f"{settings.ADDRESS}/news/mail/{signing.dumps(member.pk, salt=SALT)}/"


def member_of(token: str) -> Membership | None:
    """Return whose link it is; nothing where it is none."""
    try:
        pk = signing.loads(token, salt=SALT)
    except signing.BadSignature:
        return None
    return Membership.objects.select_related("person", "firm").filter(pk=pk, active=True).first()


@transaction.atomic
def choose(member: Membership, daily: bool) -> None:
    """Gather news into one mail a day, or send each at once."""
    Membership.objects.filter(pk=member.pk).update(mail_daily=daily)
    record(member, say("chose how news comes by mail"), f"member:{member.pk}", after={"daily": daily})


def send_daily() -> int:
    """Send everybody who prefers it one mail with what was said since the last; return to how many."""
    waiting = Notice.objects.filter(mailed=False, member__mail_daily=True, member__active=True)
    members = Membership.objects.filter(pk__in=waiting.values("member")).select_related("person", "firm")
    return sum(_send(member) for member in members)


@transaction.atomic
def _send(member: Membership) -> bool:
    rows = list(Notice.objects.select_for_update(no_key=True).filter(member=member, mailed=False).order_by("time"))
    if not rows:
        return False
    Notice.objects.filter(pk__in=[row.pk for row in rows]).update(mailed=True)
    context = {
        "name": member.person.name.split()[0], "rows": rows[:MOST_LINES], "more": len(rows) - MOST_LINES, "firm": member.firm.name,
        "address": settings.ADDRESS, "quiet": link_for(member),
    }  # fmt: skip
    with read_by(member.person.language, member.firm.language):
        mail = EmailMultiAlternatives(
            str(say("News of the day: {rows_count}", rows_count=len(rows))),
            render_to_string("news/daily.txt", context),
            settings.DEFAULT_FROM_EMAIL,
            [member.person.email],
        )
        mail.attach_alternative(render_to_string("news/daily.html", context), "text/html")
    mail.extra_headers |= headers_for(member)
    post(mail)
    return True


def headers_for(member: Membership) -> dict[str, str]:
    """What a mail says of how to get fewer of them (RFC 2369, RFC 8058)."""
    return {"List-Unsubscribe": f"<{link_for(member)}>", "List-Unsubscribe-Post": "List-Unsubscribe=One-Click"}
