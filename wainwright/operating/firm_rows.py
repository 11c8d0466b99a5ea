"""Which rows are a firm's: by the way from each table to the firm, so that a new table is never forgotten."""

from __future__ import annotations

from collections import deque
from functools import cache

from django.apps import apps
from django.db.models import Model, QuerySet

from wainwright.core.said import say
from wainwright.people.models import Firm, Person
from wainwright.trail.models import Entry

# What stays behind, and why.
STAYS = {
    "people.Once": say("presses of forms of the last days"), "bench.Undoable": say("what can be undone for some minutes"),
    "api.ApiToken": say("a key"), "api.Answered": say("of a key"), "api.Webhook": say("a key"), "api.Delivery": say("of a key"), "identity.Door": say("a key"),
    "identity.Brought": say("of the provider"), "identity.Group": say("of the provider"), "identity.Group_members": say("of the provider"),
    "people.SignInBy": say("the provider and its key"), "accounts.Connection": say("the way to this ledger, with its key"),
    "trips.Subscription": say("addresses that are keys"), "operating.FirmArchive": say("archives like this one"),
    "reports.Head": say("read anew from what is there"), "reports.SpendLine": say("read anew from what is there"), "reports.Follow": say("read anew from what is there"),
    "rehearsal.Rehearsal": say("worked out, and can be again"), "rehearsal.Heard": say("worked out, and can be again"),
}  # fmt: skip
# What belongs to everybody or to the machine: nobody's to take along.
SHARED = frozenset({
    "people.Guess", "people.Attempt", "people.Dropped", "operating.Beat", "operating.Failure", "auth.Permission", "auth.Group", "auth.Group_permissions",
    "contenttypes.ContentType", "sessions.Session", "account.EmailAddress", "account.EmailConfirmation", "mfa.Authenticator", "socialaccount.SocialApp",
    "socialaccount.SocialApp_sites", "socialaccount.SocialAccount", "socialaccount.SocialToken", "usersessions.UserSession", "mailbox.Mail",
    "ledger.LedgerCode", "ledger.LedgerParty", "ledger.ClosedPeriod", "ledger.LedgerEntry",
})  # fmt: skip


@cache
def way_to_firm(model: type[Model]) -> str | None:
    """Return the lookup that leads from a table to its firm by the fewest steps ("" for the firm itself); nothing where none does."""
    seen, waiting = {model}, deque([(model, ())])
    while waiting:
        here, steps = waiting.popleft()
        if here is Firm:
            return "__".join(steps)
        relations = [field for field in here._meta.concrete_fields if field.is_relation]
        for field in sorted(relations, key=lambda each: (each.null, each.name != "firm")):
            if field.related_model not in seen:
                seen.add(field.related_model)
                waiting.append((field.related_model, (*steps, field.name)))
    return None


def models_of_firms() -> list[type[Model]]:
    """Every table of which rows are taken along, people and trail apart."""
    found = apps.get_models(include_auto_created=True)
    return [each for each in found if each._meta.label not in STAYS and way_to_firm(each) is not None]


def rows_of(firm: Firm, using: str = "default") -> dict[type[Model], QuerySet[Model]]:
    """Return a firm's rows by table, people first; the trail is taken along by itself."""
    found = {Person: Person.objects.using(using).filter(memberships__firm=firm).distinct().order_by("pk")}
    for model in models_of_firms():
        way = way_to_firm(model)
        rows = model._base_manager.using(using).order_by("pk")
        found[model] = rows.filter(**{way: firm}) if way else rows.filter(pk=firm.pk)
    return found


def unplaced() -> list[str]:
    """Name tables of which nobody said whether they are a firm's: a fault of ours, held by a test."""
    known = (
        {model._meta.label for model in models_of_firms()}
        | STAYS.keys()
        | SHARED
        | {"people.Person", Entry._meta.label}
    )
    return sorted(
        model._meta.label for model in apps.get_models(include_auto_created=True) if model._meta.label not in known
    )
