"""Every address of the application, and a thing of somebody's for each number that it wants."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterable
from dataclasses import dataclass

from django.db import connection
from django.urls import URLPattern, URLResolver, get_resolver

from wainwright.accounts.models import BankAnswer, Payment, PayRun, Posting
from wainwright.api.models import ApiToken
from wainwright.claims.models import Claim
from wainwright.expenses.models import CardFile, Charge, Expense, HeldMail, Receipt, ReceiptPage
from wainwright.identity.models import Group
from wainwright.masters.models import Fetch
from wainwright.operating.models import FirmArchive
from wainwright.people.models import Card, Cover, Delegate, Membership
from wainwright.reconciling.models import BankAccount, Line, Match
from wainwright.rehearsal.models import Rehearsal
from wainwright.reports.models import Kept, Run, Sending
from wainwright.rulebook.models import RateSheet, RuleSetting, SchemeData
from wainwright.signoff.models import SignOff
from wainwright.staff.models import LimitChange, PeopleTable
from wainwright.standins.mailbox.models import Mail
from wainwright.trips.models import Leg, OtherCost, Paper, Trip

# What every press, look or signing in writes for whoever does it, and nobody else.
THEIR_OWN = (
    "django_session", "people_once", "people_attempt", "people_counts", "usersessions_usersession", "trail_entry", "news_notice",
    "mailbox_mail", "account_emailaddress", "claims_binder", "sqlite_sequence", "people_dropped",
)  # fmt: skip


@dataclass(frozen=True)
class Address:
    """A name, and how its path is written."""

    name: str
    pattern: str

    @property
    def wants(self) -> list[str]:
        """The names of what it wants."""
        return re.findall(r"%\((\w+)\)s", self.pattern)


def addresses() -> list[Address]:
    """Every address, those of the sign-in package as well."""
    names: list[str] = []

    def walk(patterns: Iterable[object]) -> None:
        for pattern in patterns:
            if isinstance(pattern, URLResolver):
                walk(pattern.url_patterns)
            elif isinstance(pattern, URLPattern) and pattern.name:
                names.append(pattern.name)

    walk(get_resolver().url_patterns)
    found = []
    for name in dict.fromkeys(names):
        for template, *_ in get_resolver().reverse_dict.getlist(name):
            found += [Address(name, f"/{path}") for path, _ in template]
    return found


def things_of(member: Membership) -> dict[str, object]:
    """A thing of a person, or of their firm, for each name that an address wants; 0 where they have none."""
    mine, firm = {"pk": member.pk}, member.firm

    def first(rows):
        return getattr(rows.order_by("pk").first(), "pk", 0)

    trip = Trip.objects.filter(traveller=member).order_by("-claims__pk", "pk").first()
    claim = Claim.objects.filter(claimant=member).exclude(statement=None).order_by("pk").first()
    page = ReceiptPage.objects.filter(receipt__owner=member)
    run = PayRun.objects.filter(firm=firm)
    return {
        "member_id": mine["pk"], "cover_id": first(Cover.objects.filter(member=member)), "delegate_id": first(Delegate.objects.filter(member=member)), "signoff_id": first(SignOff.objects.filter(signer=member)), "trip_id": trip.pk if trip else 0, "claim_id": claim.pk if claim else 0, "object_id": claim.pk if claim else 0,
        "expense_id": first(Expense.objects.filter(owner=member)), "receipt_id": first(Receipt.objects.filter(owner=member)), "page_id": first(page),
        "leg_id": first(Leg.objects.filter(trip__traveller=member)), "other_id": first(OtherCost.objects.filter(trip__traveller=member)),
        "booking_id": getattr(trip and trip.bookings.first(), "pk", 0), "paper_id": first(Paper.objects.filter(trip__traveller=member)),
        "card_id": first(Card.objects.filter(owner=member)), "file_id": first(CardFile.objects.filter(member=member)),
        "mail_id": first(HeldMail.objects.filter(member=member)) or first(Mail.objects.filter(to=member.person.email)),
        "posting_id": first(Posting.objects.filter(firm=firm)), "run_id": first(run), "answer_id": first(BankAnswer.objects.filter(run__in=run)),
        "token_id": first(ApiToken.objects.filter(firm=firm)), "fetch_id": first(Fetch.objects.filter(firm=firm)), "code": "2320", "account_id": first(BankAccount.objects.filter(firm=firm)), "line_id": first(Line.objects.filter(account__firm=firm)), "match_id": first(Match.objects.filter(account__firm=firm)),
        "payment_id": first(Payment.objects.filter(run__in=run)), "kind": "claim", "act": "send-back", "slug": firm.slug, "index": 0, "number": 0,
        "charge_id": first(Charge.objects.filter(owner=member)), "table_id": first(PeopleTable.objects.filter(firm=firm)), "group_id": first(Group.objects.filter(firm=firm)),
        "report_key": "spend-by-month", "form": "csv", "kept_id": first(Kept.objects.filter(firm=firm)), "sending_id": first(Sending.objects.filter(kept__firm=firm)), "ran_id": first(Run.objects.filter(firm=firm)), "rate_id": first(firm.allowance_rates.all()), "change_id": first(LimitChange.objects.filter(firm=firm)), "draft_id": first(RuleSetting.objects.filter(firm=firm, draft=True)), "rule_code": "receipt", "row_id": first(firm.mileage_rates.all()), "rehearsal_id": first(Rehearsal.objects.filter(firm=firm)),
        "scheme_id": first(SchemeData.objects.filter(firm=firm)), "sheet_id": first(RateSheet.objects.filter(firm=firm)), "provider_id": firm.slug, "path": "Users", "opened": "papers", "secret": "x", "token": "x", "archive_id": first(FirmArchive.objects.filter(firm=firm)), "pk": 0, "uidb36": "1", "key": "x-y", "line": "x",
    }  # fmt: skip


def digest() -> str:
    """A digest of everything that is kept, but for what whoever asks writes for themselves."""
    made = hashlib.sha256()
    with connection.cursor() as cursor:
        for table in sorted(connection.introspection.table_names(cursor)):
            if table not in THEIR_OWN:
                # Names of tables are our own.
                for row in cursor.execute(f'SELECT * FROM "{table}" ORDER BY 1'):
                    made.update(repr(row).encode())
    return made.hexdigest()
