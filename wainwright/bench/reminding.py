"""Deadlines for deciding: who is late is reminded on the firm's rhythm, then it goes on to the next above, and says so."""

from __future__ import annotations

from datetime import date, timedelta

from django.db import transaction
from django.db.models import Q

from wainwright import clock
from wainwright.bench.moving import asker_of
from wainwright.core.routing import Signer, covered_for, who_signs_for
from wainwright.core.said import say, say_many
from wainwright.news.services import tell
from wainwright.people.models import Firm, Membership
from wainwright.people.selectors import signers
from wainwright.rulebook.selectors import rulebook
from wainwright.signoff import services as signoff
from wainwright.signoff.models import SignOff
from wainwright.trail.services import record

AT_ONCE = 500


def remind_everywhere() -> int:
    """Do it for every firm; return how many were reminded or went on."""
    return sum(remind(firm) for firm in Firm.objects.all())


@transaction.atomic
def remind(firm: Firm) -> int:
    """Remind everybody of a firm who is late with a decision, as often as it says; what is late for long goes on.

    Nobody above: the administrators have it at once, and the person is reminded on. Returns how many rows were touched.
    """
    policy, today = rulebook(firm).policy, clock.today(firm.zone)
    late = SignOff.objects.select_for_update(of=("self",), no_key=True).filter(
        firm=firm, state=SignOff.State.WAITING, turn=True, due__lt=today
    )
    touched = 0
    if policy.goes_on_days:
        people = signers(firm.pk, today)
        over = late.filter(due__lt=today - timedelta(days=policy.goes_on_days)).filter(_not_told(today))
        for row in list(over.select_related("signer__person", "signer__firm").order_by("pk")[:AT_ONCE]):
            touched += _goes_on(row, people, today)
    if policy.remind_days:
        since = today - timedelta(days=policy.remind_days)
        asked = late.filter(Q(reminded__isnull=True) | Q(reminded__lte=since))
        for row in list(asked.select_related("signer__person", "signer__firm").order_by("pk")[:AT_ONCE]):
            row.reminded = today
            row.save(update_fields=["reminded"])
            days = (today - row.due).days
            words = say_many(
                "{title} has waited for you {count} day longer than it should",
                "{title} has waited for you {count} days longer than it should",
                days,
                title=row.title,
            )
            tell(
                row.signer,
                words,
                row.decided_at,
                say("Decide, pass it on, or name a cover while you are away."),
            )
            touched += 1
    return touched


def _not_told(today: date) -> Q:
    """What was not tried today already: where nobody can take it, it is said once a day."""
    return ~Q(reminded=today)


def _goes_on(row: SignOff, people: dict[str, Signer], today: date) -> int:
    owner, people = asker_of(row), dict(covered_for(row.amount, people))
    held = people[str(row.signer_id)]
    above = people.get(held.manager)
    to, covers = who_signs_for(above.key, str(owner.pk), people) if above is not None else (None, "")
    known = (
        to is not None
        and SignOff.objects.filter(subject=row.subject, signer=int(to.key), state=SignOff.State.WAITING).exists()
    )
    if to is None or to.key == held.key or known:
        row.reminded = today
        row.save(update_fields=["reminded"])
        admins = Membership.objects.filter(firm_id=row.firm_id, administrator=True, active=True)
        for one in admins.select_related("person", "firm"):
            tell(
                one,
                say("{title} is late with {held}, and nobody above them can take it", title=row.title, held=held.name),
                f"/people/{row.signer_id}/",
            )
        tell(row.signer, say("{title} is late, and nobody above you can take it", title=row.title), row.decided_at)
        return 1
    new = Membership.objects.select_related("person", "firm").get(pk=int(to.key))
    why = say("{why}; {held} was late", why=row.why, held=held.name)
    signoff.hand_on(row, new, covers, why, row.decided_at)
    record(
        None, say("a late decision went on"), row.subject, firm_id=row.firm_id, before={"waited for": held.name, "due": str(row.due)},
        after={"waits for": new.person.name, "covers": covers},
    )  # fmt: skip
    tell(row.signer, say("{title} was late and went on to {new}", title=row.title, new=new.person.name), "/bench/")
    tell(
        owner,
        say("{title}: {new} decides, since {held} was late", title=row.title, new=new.person.name, held=held.name),
        row.lies_at,
    )
    return 1
