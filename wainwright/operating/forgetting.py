"""A person's name and address, taken out of everything a firm has: no table is named here, so that none is forgotten."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from dataclasses import dataclass
from functools import reduce
from operator import or_

from allauth.account.models import EmailAddress
from allauth.mfa.models import Authenticator
from allauth.usersessions.models import UserSession
from django.db import transaction
from django.db.models import CharField, Field, FileField, JSONField, Model, Q, QuerySet, TextField
from django.db.models.functions import Cast

from wainwright.accounts.models import Payment
from wainwright.core.said import say
from wainwright.expenses.models import HeldMail, MerchantMemory, Receipt
from wainwright.news.models import Notice
from wainwright.operating.firm_rows import rows_of
from wainwright.people.files import drop_file
from wainwright.people.models import Membership, Person, Vehicle
from wainwright.trail.models import Entry

GONE, CHUNK = say("Somebody who left"), 500
# What of an entry is left where its words go: its place in the chain.
BLANK = {
    "held": True,
    "who": "",
    "for_whom": "",
    "what": say("taken away by law"),
    "subject": "",
    "before": "",
    "after": "",
}


@dataclass(frozen=True)
class Named:
    """Where a person is named in their firm: texts, each as it is to be, and entries of the trail."""

    texts: tuple[tuple[type[Model], object, dict[str, object]], ...]
    entries: tuple[int, ...]


def named(who: Membership) -> Named:
    """Look through everything of a firm for a person's name and address. Long: not for a transaction, which others wait for."""
    name, address = who.person.name, who.person.email
    # A name that somebody else of the firm bears says nothing of whom it means.
    namesake = Person.objects.filter(memberships__firm=who.firm, name=name).exclude(pk=who.person_id).exists()
    wanted = [address] if namesake else [name, address]
    texts = tuple(
        (model, pk, new)
        for model, rows in rows_of(who.firm).items()
        if model is not Person
        for pk, new in _texts(model, rows, wanted)
    )
    return Named(texts, tuple(_entries(who)))


@transaction.atomic
def forget(who: Membership, found: Named) -> int:
    """Take a person out of their firm's rows, and out of the installation where no other firm knows them; the trail holds.

    Returns of how many entries of the trail the hash alone is left.
    """
    person = who.person
    elsewhere = person.memberships.exclude(pk=who.pk).exists()
    _own_rows(who)
    for model, pk, new in found.texts:
        model._base_manager.filter(pk=pk).update(**new)
    for start in range(0, len(found.entries), CHUNK):
        Entry.objects.filter(number__in=found.entries[start : start + CHUNK]).update(**BLANK)
    if not elsewhere:
        for kept in (EmailAddress, Authenticator, UserSession):
            kept.objects.filter(user=person).delete()
        person.name, person.email = GONE, f"left-{person.pk}@nobody.invalid"
        person.set_unusable_password()
        person.save()
    return len(found.entries)


def _own_rows(who: Membership) -> None:
    for paper in Receipt.objects.filter(owner=who, expense=None):
        for file in paper.all_files:
            drop_file(file)
        paper.delete()
    for mail in HeldMail.objects.filter(member=who):
        drop_file(mail.file)
        mail.delete()
    for model, field in ((MerchantMemory, "member"), (Notice, "member"), (Vehicle, "owner")):
        model.objects.filter(**{field: who}).delete()
    Payment.objects.filter(member=who).update(iban="")
    fields = {
        "job": "", "phone": "", "itinerary_email": "", "iban": "", "iban_before": "", "iban_changed": None, "home_code": "", "work_code": "",
        "mail_name": None,
    }  # fmt: skip
    Membership.objects.filter(pk=who.pk).update(**fields)


def _entries(who: Membership) -> list[int]:
    """The entries that name them. The seal of the first days is none: the chain is checked by it."""
    name, address = who.person.name, who.person.email
    asked = Q(who__contains=f"<{address}>") | Q(for_whom__contains=f"<{address}>") | Q(subject=f"member:{who.pk}")
    for text in {name, address, json.dumps(name)[1:-1]}:
        asked |= Q(before__contains=text) | Q(after__contains=text)
    rows = Entry.objects.filter(asked, firm_id=who.firm_id, held=False).exclude(subject="trail")
    return list(rows.order_by("number").values_list("number", flat=True))


def _texts(model: type[Model], rows: QuerySet, wanted: list[str]) -> Iterator[tuple[object, dict[str, object]]]:
    """Rows of a table that name somebody, each with its texts as they are to be. One query."""
    fields = [
        field
        for field in model._meta.concrete_fields
        if isinstance(field, (CharField, TextField, JSONField))
        and not (field.primary_key or field.unique or field.choices or isinstance(field, FileField))
    ]
    if not fields:
        return
    # A name within a longer word is another's.
    words = re.compile("|".join(rf"(?<!\w){re.escape(text)}(?!\w)" for text in wanted), re.IGNORECASE)
    asked, data = Q(), {}
    for field in fields:
        if isinstance(field, JSONField):
            data[f"written_{field.name}"] = Cast(field.name, TextField())
            spelt = {*wanted, *(json.dumps(text)[1:-1] for text in wanted)}
            asked |= reduce(or_, (Q(**{f"written_{field.name}__icontains": text}) for text in spelt))
        else:
            asked |= reduce(or_, (Q(**{f"{field.name}__icontains": text}) for text in wanted))
    names = [field.name for field in fields]
    for pk, *values in rows.order_by("pk").annotate(**data).filter(asked).values_list("pk", *names).distinct():
        new = {field.name: _mended(field, value, words) for field, value in zip(fields, values, strict=True)}
        changed = {name: new[name] for name, value in zip(names, values, strict=True) if new[name] != value}
        if changed:
            yield pk, changed


def _mended(field: Field, value: object, words: re.Pattern[str]) -> object:
    if isinstance(field, JSONField):
        return json.loads(words.sub(GONE, json.dumps(value, ensure_ascii=False)))
    if not isinstance(value, str):
        return value
    new = words.sub(GONE, value)
    return new[: field.max_length] if field.max_length else new
