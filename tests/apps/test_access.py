"""Every address and every role: who may open what, as one table that a new address must join."""

import re
from unittest import mock

from allauth.mfa.totp.internal import auth
from django.core import mail
from django.core.files.base import ContentFile
from django.template import engines
from django.test import Client
from django.urls import URLPattern, URLResolver, get_resolver

from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright import clock
from wainwright.accounts.models import PayRun, Posting
from wainwright.bookings.models import Booking
from wainwright.claims.models import Claim
from wainwright.claims.services import books
from wainwright.expenses.models import CardFile, Charge
from wainwright.people.second_factor import has_authenticator
from wainwright.reconciling.models import BankAccount, Line, StatementFile
from wainwright.rehearsal.models import Rehearsal
from wainwright.reports.models import Kept, Run
from wainwright.rulebook.models import Category, FirmQuestion, RateSheet, RouteSetting, RuleSetting
from wainwright.signoff.models import SignOff
from wainwright.staff.models import PeopleTable
from wainwright.standins.mailbox.models import Mail
from wainwright.trips.models import Paper, Trip
from wainwright.urls import SIGNING_IN

WHO = ("maren", "aiko", "tobias", "priya", "callum", "benedikt", "liv")
# maren owns the things; aiko is somebody else; tobias signs; priya is finance; callum administers;
# benedikt audits; liv is finance of the other firm. 200 opens, 404 is not there for them, 403 is said plainly.
OPEN = {
    "desk": (200,) * 7, "find": (200,) * 7, "news": (200,) * 7, "firms": (200,) * 7, "trips": (200,) * 7, "claims": (200,) * 7,
    "places": (200,) * 7, "codes": (200,) * 7, "codes-of": (200,) * 7, "tray": (200,) * 7, "trip-new": (200,) * 7, "cost-new": (200,) * 7, "cost-grid": (200,) * 7, "ride-grid": (200,) * 7, "ride-new": (200,) * 7, "ride-change": (404,) * 7, "look": (200,) * 7,
    "rates": (200,) * 7, "rules": (403, 403, 403, 200, 200, 200, 200), "trail": (403, 403, 403, 403, 200, 200, 403),
    "trip": (200, 404, 200, 200, 404, 200, 404), "itinerary": (200, 404, 200, 200, 404, 200, 404), "ways": (200, 404, 403, 403, 404, 403, 404), "ways-days": (200, 404, 403, 403, 404, 403, 404),
    "cars": (200, 404, 403, 403, 404, 403, 404), "stays": (200, 404, 403, 403, 404, 403, 404), "sign": (302, 404, 403, 403, 404, 403, 404),
    "seats": (200, 404, 403, 403, 404, 403, 404), "trip-open": (200, 404, 200, 200, 404, 200, 404), "paper": (200, 404, 200, 200, 404, 200, 404),
    "order": (200, 404, 200, 200, 404, 200, 404), "order-pdf": (200, 404, 200, 200, 404, 200, 404), "itinerary-page": (200, 404, 200, 200, 404, 200, 404),
    "people": (403, 403, 403, 403, 200, 200, 403), "people-names": (200,) * 7, "roles": (200,) * 7, "find-charge": (302, 404, 404, 302, 404, 302, 404), "provider": (403, 403, 403, 403, 200, 403, 403), "firm": (403, 403, 403, 403, 200, 403, 403), "firm-new": (403, 403, 403, 403, 200, 403, 403), "policy": (200,) * 7, "rules-import": (403, 403, 403, 403, 200, 403, 403), "rules-toml": (403, 403, 403, 200, 200, 200, 200), "mileage": (403, 403, 403, 200, 200, 200, 200), "mileage-csv": (403, 403, 403, 200, 200, 200, 200), "limits": (403, 403, 403, 200, 200, 200, 200), "allowance-rate": (403, 403, 403, 200, 200, 200, 404), "rule-categories": (403, 403, 403, 200, 200, 200, 200), "categories-csv": (403, 403, 403, 200, 200, 200, 200), "categories-xlsx": (403, 403, 403, 200, 200, 200, 200), "rule-category": (403, 403, 403, 200, 200, 200, 404), "category-new": (403, 403, 403, 403, 200, 403, 403), "category-draft": (403, 403, 403, 403, 200, 403, 403), "questions-asked": (403, 403, 403, 200, 200, 200, 200), "question-asked": (403, 403, 403, 200, 200, 200, 404), "question-new": (403, 403, 403, 403, 200, 403, 403), "question-draft": (403, 403, 403, 403, 200, 403, 403), "figures": (403, 403, 403, 200, 200, 200, 200), "policy-edit": (403, 403, 403, 403, 200, 403, 403), "routes": (403, 403, 403, 200, 200, 200, 200), "route-new": (403, 403, 403, 403, 200, 403, 403), "route-draft": (403, 403, 403, 403, 200, 403, 403), "route-rule": (403, 403, 403, 200, 200, 200, 404), "safeguards": (403, 403, 403, 200, 200, 200, 200), "rule": (403, 403, 403, 200, 200, 200, 200), "rule-new": (403, 403, 403, 403, 200, 403, 403), "rule-draft": (403, 403, 403, 403, 200, 403, 403), "rehearsal": (403, 403, 403, 403, 200, 403, 403), "schemes": (403, 403, 403, 200, 200, 200, 200), "scheme": (403, 403, 403, 200, 200, 200, 404), "scheme-new": (403, 403, 403, 403, 200, 403, 403), "rate-sheets": (403, 403, 403, 403, 200, 403, 403), "rate-sheet": (403, 403, 403, 403, 200, 403, 403), "rate-sheet-wrong": (403, 403, 403, 403, 200, 403, 403), "rates-csv": (403, 403, 403, 200, 200, 200, 200), "people-tables": (403, 403, 403, 403, 200, 403, 403), "people-table": (403, 403, 403, 403, 200, 403, 403), "people-table-wrong": (403, 403, 403, 403, 200, 403, 403), "invite": (403, 403, 403, 403, 200, 403, 403), "leave": (403, 403, 403, 403, 200, 403, 404), "person": (200, 403, 403, 403, 200, 200, 404),
    "running": (403, 403, 403, 200, 200, 200, 200), "firm-archive": (403, 403, 403, 403, 200, 403, 403), "firm-keeping": (403, 403, 403, 403, 200, 403, 403), "trail-part": (403, 403, 403, 403, 302, 302, 403), "today": (200, 200, 200, 403, 200, 403, 200), "profile": (200,) * 7, "sessions": (200,) * 7, "stand-ins": (404,) * 7,
    "claim": (200, 404, 200, 200, 404, 200, 404), "claim-owed": (200, 404, 200, 200, 404, 200, 404), "claim-document": (200, 404, 200, 200, 404, 200, 404), "claim-asked": (200, 404, 200, 200, 404, 200, 404),
    "claim-cost": (302, 404, 403, 403, 404, 403, 404), "claim-lines": (200, 404, 200, 200, 404, 200, 404), "claim-by-coding": (200, 404, 200, 200, 404, 200, 404), "claim-planned": (200, 404, 200, 200, 404, 200, 404), "expense": (200, 404, 200, 200, 404, 200, 404),
    "receipt": (200, 404, 200, 200, 404, 200, 404), "receipt-original": (200, 404, 200, 200, 404, 200, 404),
    "receipt-thumb": (200, 404, 200, 200, 404, 200, 404), "claim-papers": (200, 404, 200, 200, 404, 200, 404), "trip-papers": (200, 404, 200, 200, 404, 200, 404),
    "loose": (403, 403, 403, 200, 403, 200, 200), "firm-cards": (403, 403, 403, 200, 403, 200, 200),
    "card-look": (200, 404, 404, 404, 404, 404, 404),
    "receipt-picture": (200, 404, 200, 200, 404, 200, 404),
    "bench": (403, 403, 302, 200, 403, 403, 200), "billed": (403, 403, 403, 200, 403, 200, 200), "firm-accounts": (403, 403, 403, 200, 200, 200, 200), "bank-columns": (403, 403, 403, 200, 403, 200, 404), "posting-runs": (403, 403, 403, 200, 403, 200, 200), "posting-run": (403, 403, 403, 404, 403, 404, 404), "bank-accounts": (403, 403, 403, 200, 403, 200, 200), "bank-account": (403, 403, 403, 200, 403, 200, 404), "bank-line": (403, 403, 403, 200, 403, 200, 404), "reconciliation": (403, 403, 403, 404, 403, 404, 404), "reconciliation-pdf": (403, 403, 403, 404, 403, 404, 404), "month": (403, 403, 403, 200, 403, 200, 200), "accrued-csv": (403, 403, 403, 200, 403, 200, 200), "account-choose": (403, 403, 403, 302, 403, 302, 302), "account-moves": (403, 403, 403, 404, 403, 404, 404), "card-statement": (403, 403, 403, 200, 403, 200, 404), "tables": (403, 403, 403, 200, 403, 200, 200), "table": (403, 403, 403, 422, 403, 422, 422), "journal-json": (403, 403, 403, 422, 403, 422, 422), "categories": (403, 403, 403, 200, 200, 200, 200), "masters": (403, 403, 403, 200, 200, 200, 200), "masters-fetch": (403, 403, 403, 404, 404, 404, 404), "api": (403, 403, 403, 200, 403, 200, 200), "corrections": (403, 403, 403, 200, 403, 200, 200), "firm-trips": (403, 403, 403, 200, 403, 200, 200), "firm-claims": (403, 403, 403, 200, 403, 200, 200), "queue": (403, 403, 200, 200, 403, 200, 200), "bench-changed": (200, 404, 200, 200, 404, 200, 404), "bench-earlier": (200, 404, 200, 200, 404, 200, 404), "bench-correct": (403, 404, 403, 302, 404, 403, 404), "bench-add": (403, 404, 403, 302, 404, 403, 404), "bench-item": (302, 404, 200, 200, 404, 302, 404),
    "ledger": (403, 403, 403, 200, 403, 200, 200), "pay": (403, 403, 403, 200, 403, 200, 200),
    "journal": (403, 403, 403, 200, 403, 200, 404), "pay-run": (403, 403, 403, 200, 403, 200, 404), "pay-csv": (403, 403, 403, 200, 403, 200, 404), "pay-file": (403, 403, 403, 200, 403, 200, 404),
    "pay-answer": (403, 403, 403, 200, 403, 200, 404),
    "reports": (200,) * 7, "report": (200,) * 7, "report-small": (200,) * 7, "report-things": (200,) * 7, "report-file": (200,) * 7, "report-runs": (200,) * 7,
    "report-run": (200, 404, 404, 404, 404, 404, 404), "report-run-file": (200, 404, 404, 404, 404, 404, 404), "report-kept": (200, 404, 404, 404, 404, 404, 404),
    "mailbox": (404,) * 7, "mail": (404,) * 7, "mail-attachment": (404,) * 7,
}  # fmt: skip
# Acts: whoever may not do them changes nothing. These change nothing of maren's for anybody but those named.
ACTS = {
    "firm-archive-file", "report-keep", "report-send", "report-send-off", "report-kept-drop", "report-run-drop", "report-run-stop", "news-read", "rates-take", "switch-firm", "demo-sign-in", "move-clock", "trip-head", "leg-line", "leg-add", "leg-move", "leg-change", "leg-moving", "bench-split", "bench-parts", "category-set", "api-token", "api-revoke", "api-webhook", "api-webhook-drop", "pay-by-hand", "owed-remind", "write-off", "pay-release", "pay-drop", "masters-connect", "masters-hand-over", "masters-fetch-now", "masters-file", "masters-gap", "masters-suppliers", "masters-take", "month-accrue", "month-take-back", "month-account", "month-close", "month-reopen", "table-keep", "bank-take", "bank-confirm", "bank-rule", "bank-rules-apply", "bank-undo", "bank-file-away", "billed-post", "firm-account-name", "reaccount", "advance-by-hand", "advance-back", "bank-close", "reconciliation-reopen", "posting-run-start", "posting-run-on", "recall", "bench-part", "bench-line", "bench-objection", "claim-object", "undo-decision", "queue-keep", "queue-approve", "take-over", "claim-trip-add", "claim-trip-off", "claim-advance", "claim-to-issuer", "issuer-set", "move-questions", "mover-add", "mover-off", "move-part", "move-join", "leg-travelled", "leg-remove", "shift", "stay-stretch", "stay-split", "quarters", "host", "questions",
    "engagement-add", "engagement-remove", "permission-add", "permission-remove", "paper-add", "paper-remove", "plan-split", "copy", "copy-take",
    "trip-reopen", "trip-say", "itinerary-mail", "car-hold", "stay-hold", "by-hand", "booking-price", "booking-card", "subscribe", "unsubscribe", "stay", "meal", "other-add",
    "other-remove", "advance", "trip-explain", "trip-send", "trip-take-back", "trip-call-off", "hold", "booking-cancel", "claim-trip",
    "drop", "card-file", "card-columns", "card-take", "card-away", "take", "take-all", "sort", "undo", "issuer", "held-mail", "receipt-join", "receipt-trip", "page-off", "page-cut", "check", "ride-check", "own-share", "lost", "papers-order", "remind", "firm-card", "personal", "receipt-take", "expense-change", "parts", "split", "expense-remove", "attach", "detach", "claim-new",
    "claim-answer", "claim-ready", "claim-withdraw", "claim-pays-back", "claim-move", "claim-split", "trip-close", "trip-as-signed", "trip-ready", "claim-send", "claim-take-back", "put-in", "claim-coding", "claim-say", "approve", "end", "pass-on",
    "bench-say", "clear", "post", "finance-end", "recode", "pay-make",
    "pay-take-answer", "pay-settle", "bench-allow", "account-confirm", "card-give", "post-again", "end-sessions", "set-safeguards",
    "set-place", "allowance-rate-end", "figures-off", "limits-set", "limits-rehearse", "limit-off", "mileage-rehearse", "rehearsal-set", "category-try", "categories-look", "categories-take", "category-end", "category-out", "category-force", "category-drop", "question-end", "question-out", "question-force", "question-drop", "mileage-add", "mileage-end", "mileage-out", "mileage-look", "mileage-take", "rule-read", "route-try", "route-end", "route-out", "route-force", "route-drop", "route-rehearse", "rule-end", "rule-out", "rule-force", "rule-drop", "rule-rehearse", "rehearsal-on", "rehearsal-drop", "scheme-try", "scheme-force", "scheme-out", "scheme-rehearse", "rate-sheet-rehearse", "rate-sheet-take", "archive", "door-make", "door-shut", "group-set", "provider-set", "provider-drop", "firm-accounts-proposed", "firm-set", "firm-rates", "factor-off", "people-table-take", "bring-back", "invite-again", "paid-back", "set-cover", "end-cover", "set-delegate", "end-delegate", "prepare-for", "stop-preparing",
}  # fmt: skip
FREE = {
    "scim",
    "api-document",
    "api-cleared",
    "api-posted",
    "api-refused",
    "up",
    "ready",
    "metrics",
    "refused-by-browser",
    "manifest",
    "worker",
    "away",
    "away-share",
    "subscribed",
    "news-mail",
}
FORM = re.compile(r'<form[^>]*method="post".*?</form>', re.DOTALL)


def names() -> set[str]:
    """Every name of an address of ours."""

    signing_in = {pattern.name for pattern in SIGNING_IN}

    def walk(patterns):
        for pattern in patterns:
            if isinstance(pattern, URLPattern) and pattern.name in signing_in:
                continue
            if isinstance(pattern, URLResolver):
                if "allauth" not in str(pattern.urlconf_name):
                    yield from walk(pattern.url_patterns)
            elif isinstance(pattern, URLPattern):
                yield pattern.name

    return set(walk(get_resolver().url_patterns))


# The number of a draft of each sort.
DRAFT = 9001


class AccessTest(WorldTestCase):
    same_on_any_day = True

    def setUp(self):
        self.claim = self.sent_claim()
        self.trip = self.claim.trip
        self.paper = Paper.objects.create(
            trip=self.trip, kind="agenda", name="a.png", sha256="0" * 64, media_type="image/png", added=clock.now(), file=ContentFile(b"x", "a.png")
        )  # fmt: skip
        self.file = CardFile.objects.create(member=self.maren, name="x", sha256="0", time=clock.now())
        self.booking = Booking.objects.create(
            firm=self.trip.firm, trip=self.trip, booker=self.maren, state="Held", carrier="Skerry Air", label="Flight", currency="EUR", price_minor=1,
            cheapest_minor=1, departure=clock.now(), asked=clock.now(), once="access", placed=True,
        )  # fmt: skip
        self.expense = self.claim.expenses.first()
        self.receipt = self.a_receipt(self.expense)
        posted = self.cleared_claim(costs=("22.00",))
        with self.done():
            books.post(self.priya, posted.pk, posted.version)
            self.run_ = books.pay(self.priya, [posted.pk], self.today)
        firm = self.priya.firm
        account = BankAccount.objects.create(
            firm=firm, name="Access", number="XX990001", ledger_account="1100", currency="EUR"
        )
        statement = StatementFile.objects.create(
            account=account, name="x", sha256="0", state="taken", by=self.priya, time=clock.now()
        )
        line = Line.objects.create(account=account, file=statement, key="x", day=self.today, amount_minor=-1, name="x")
        self.mail = Mail.objects.create(to=self.maren.person.email, subject="x", text="x", raw=b"", time=clock.now())
        self.draft = RuleSetting.objects.create(
            pk=DRAFT, firm=firm, code="x-2", kind="due_soon", level="note", text="x", draft=True
        )
        RouteSetting.objects.create(
            pk=DRAFT, firm=firm, code="receipt", text="x", signer=self.tobias, place="last", draft=True
        )
        Category.objects.create(pk=DRAFT, firm=firm, code="receipt", name="x", account="", draft=True)
        FirmQuestion.objects.create(pk=DRAFT, firm=firm, code="receipt", text="x", kind="words", draft=True)
        self.rehearsal = Rehearsal.objects.create(
            firm=firm, rule=self.draft, seen="x", by=self.callum, since=self.today, until=self.today, time=clock.now(), state="Done"
        )  # fmt: skip
        self.kept = Kept.objects.create(
            firm=self.maren.firm, owner=self.maren, name="x", report="spend-by-month", asked={}, time=clock.now()
        )
        self.ran = Run.objects.create(
            firm=self.maren.firm,
            by=self.maren,
            report="spend-by-month",
            title="x",
            asked={},
            time=clock.now(),
            state="Done",
        )
        self.values = {
            "scheme_id": self.maren.firm.schemes.get().pk,
            "report_key": "spend-by-month", "form": "csv", "kept_id": self.kept.pk, "sending_id": 1, "ran_id": self.ran.pk, "change_id": 1, "rate_id": firm.allowance_rates.first().pk, "draft_id": self.draft.pk, "row_id": firm.mileage_rates.first().pk, "rule_code": "receipt", "rehearsal_id": self.rehearsal.pk,
            "sheet_id": RateSheet.objects.create(firm=self.callum.firm, by=self.callum, name="x", rows=[], time=clock.now()).pk,
            "table_id": PeopleTable.objects.create(firm=self.callum.firm, by=self.callum, name="x", rows=[], time=clock.now()).pk,
            "archive_id": 1, "group_id": 1, "charge_id": Charge.objects.create(firm=self.maren.firm, owner=self.maren, card=self.maren.cards.first(), bank_id="access", date=self.today, merchant="X", currency="EUR", amount_minor=1).pk, "account_id": account.pk, "token_id": 1, "fetch_id": 1, "code": "none", "line_id": line.pk, "match_id": 1,
            "signoff_id": SignOff.objects.first().pk, "trip_id": self.trip.pk, "claim_id": self.claim.pk, "expense_id": self.expense.pk, "receipt_id": self.receipt.pk,
            "page_id": self.receipt.pages.first().pk, "kind": "claim", "object_id": self.claim.pk, "posting_id": Posting.objects.first().pk,
            "run_id": self.run_.pk, "answer_id": self.run_.answers.get().pk, "payment_id": self.run_.payments.get().pk, "member_id": self.maren.pk, "cover_id": 1, "delegate_id": 1, "mail_id": self.mail.pk, "number": 0, "leg_id": self.trip.legs.first().pk, "other_id": 1,
            "booking_id": self.booking.pk, "paper_id": self.paper.pk, "card_id": self.maren.cards.first().pk, "file_id": self.file.pk, "index": 0, "opened": "papers", "secret": "x", "act": "send-back", "slug": "norge",
        }  # fmt: skip

    def address(self, name: str) -> str:
        patterns = get_resolver().reverse_dict.getlist(name)
        template, wanted = patterns[0][0][0]
        return "/" + template % {key: self.values[key] for key in wanted}

    def test_every_address_is_in_the_table(self):
        self.assertEqual(names(), set(OPEN) | ACTS | FREE)

    def test_an_approver_who_was_not_asked_sees_no_more_than_anybody_else(self):
        self.enter(self.ottilie)
        for name, wanted in OPEN.items():
            status = {"bench": 200, "queue": 200, "bench-item": 404}.get(name, wanted[WHO.index("aiko")])
            with self.subTest(name):
                response = self.client.get(self.address(name))
                self.close(response)
                self.assertEqual(response.status_code, status)

    @shows("U3.1")
    def test_who_may_open_what(self):
        for name, wanted in OPEN.items():
            path = self.address(name)
            for who, status in zip(WHO, wanted, strict=True):
                with self.subTest(name=name, who=who):
                    self.enter(getattr(self, who))
                    response = self.client.get(path)
                    self.close(response)
                    self.assertEqual(response.status_code, status)
                    if status == 200 and "html" in response["Content-Type"] and not response.streaming:
                        # A form that posts without its token is refused, and no test without that check would tell.
                        for form in FORM.findall(response.content.decode()):
                            self.assertIn("csrfmiddlewaretoken", form)

    def test_nobody_comes_in_without_signing_in(self):
        self.client.logout()
        for name in set(OPEN) | ACTS:
            if name in ("demo-sign-in",):
                continue
            with self.subTest(name):
                for response in (self.client.get(self.address(name)), self.client.post(self.address(name))):
                    self.assertEqual((response.status_code, response.url.split("?")[0]), (302, "/accounts/login/"))

    def close(self, response):
        """Close a file that was sent, without ending the test's transaction as ``response.close`` would."""
        for closer in response._resource_closers if response.streaming else ():
            closer()

    def everything(self):
        """All that could have been changed, to compare."""
        return [
            list(Trip.objects.filter(pk=self.trip.pk).values()), list(Claim.objects.filter(pk=self.claim.pk).values()),
            list(self.claim.expenses.values()), list(self.trip.legs.values()), list(self.trip.nights.values()), Charge.objects.count(),
            list(Booking.objects.values()), Posting.objects.count(), PayRun.objects.count(), list(self.receipt.pages.values()), Kept.objects.count(), Run.objects.count(),
        ]  # fmt: skip

    @shows("U3.6", "C6.1")
    def test_nobody_else_acts_on_what_is_not_theirs(self):
        before = self.everything()
        mine = {
            "news-read",
            "check",
            "ride-check",
            "switch-firm",
            "demo-sign-in",
            "move-clock",
            "report-keep",
            "drop",
            "card-file",
            "take",
            "take-all",
            "sort",
            "undo",
            "personal",
            "claim-new",
            "pay-make",
            "subscribe",
            "unsubscribe",
        }
        for name in ACTS - mine:
            path = self.address(name)
            for who in ("aiko", "callum", "benedikt", "liv"):
                with self.subTest(name=name, who=who):
                    self.enter(getattr(self, who))
                    data = {
                        "version": self.claim.version,
                        "comment": "mine now",
                        "name": "Maren Oyelaran",
                        "text": "x",
                        "meal": "2026-01-01:lunch",
                    }
                    # An auditor may say something on what they read, which changes nothing of it.
                    # A token is shown once, on the page that its own administrator makes it from; a scheme is only tried.
                    shown = (
                        (200,)
                        if (
                            who == "callum"
                            and name in ("door-make", "scheme-try", "route-try", "category-try", "rule-read")
                        )
                        or name == "archive"
                        else ()
                    )
                    self.assertIn(self.client.post(path, data).status_code, (302, 404, 403, 422, *shown))
                    self.assertEqual(self.everything(), before)

    def test_made_up_acts_and_kinds_are_not_there(self):
        self.enter(self.priya)
        pk = self.claim.pk
        for path in (
            f"/bench/nonsense/{pk}/",
            f"/bench/claim/{pk}/end/nonsense/",
            f"/bench/claim/{pk}/finance/nonsense/",
            f"/ledger/pay/{self.run_.pk}/nonsense/",
        ):
            with self.subTest(path):
                self.assertEqual((self.client.get(path).status_code, self.client.post(path).status_code), (404, 404))

    def test_an_act_asks_for_post(self):
        self.enter(self.maren)
        for name in ACTS - {"move-clock"}:
            with self.subTest(name):
                self.assertIn(self.client.get(self.address(name)).status_code, (404, 405))

    def test_a_link_on_what_came_back_from_a_form_leads_to_its_page(self):
        """A page that stands at the address of an act, since something was wrong, names in its links only what differs."""
        self.enter(self.maren)
        trip = self.address("trip")
        for act in ("stay/", "papers/", "bookings/1/card/", "nonsense/"):
            path = f"{trip}{act}"
            answer = self.client.get(f"{path}?open=papers", headers={"Referer": f"http://testserver{path}"})
            wanted = (404, "") if act == "nonsense/" else (302, f"{trip}?open=papers")
            self.assertEqual((answer.status_code, answer.headers.get("Location", "")), wanted)
        for headers in (
            {},
            {"Referer": f"http://elsewhere.example{trip}stay/"},
            {"Referer": f"http://testserver{trip}"},
        ):
            self.assertEqual(self.client.get(f"{trip}stay/?open=papers", headers=headers).status_code, 405)

    def test_a_form_from_elsewhere_is_refused(self):
        client = self.enter(self.tobias, Client(enforce_csrf_checks=True))
        self.assertEqual(client.post(self.address("approve")).status_code, 403)

    @shows("X8.1")
    def test_headers_say_what_a_page_may_load(self):
        self.enter(self.maren)
        response = self.client.get("/")
        policy = response["Content-Security-Policy"]
        self.assertIn("script-src 'self'", policy)
        self.assertNotIn("unsafe", policy)
        self.assertEqual(response["X-Frame-Options"], "DENY")
        original = self.client.get(self.address("receipt-original"))
        self.close(original)
        self.assertIn("attachment", original["Content-Disposition"])
        self.assertEqual(original["X-Content-Type-Options"], "nosniff")


class SecondFactorTest(WorldTestCase):
    @shows("U1.2")
    def test_an_authenticator_is_set_up_and_asked_for_at_sign_in(self):
        # The sign-in package's own templates leave names undefined on purpose.
        self.enterContext(mock.patch.object(engines["django"].engine, "string_if_invalid", ""))
        self.client.post(
            "/accounts/login/", {"login": "maren.oyelaran@brackwater.example", "password": "harbour-tide-9"}
        )
        self.assertContains(self.client.get("/accounts/2fa/"), "Wainwright")
        again = self.client.get("/accounts/2fa/totp/activate/")
        if again.status_code == 302:
            self.client.post(again.url, {"password": "harbour-tide-9"})
        page = self.client.get("/accounts/2fa/totp/activate/")
        secret = page.context["form"].secret
        code = auth.format_hotp_value(auth.hotp_value(secret, next(iter(auth.yield_hotp_counters_from_time()))))
        self.assertEqual(self.client.post("/accounts/2fa/totp/activate/", {"code": "000000"}).status_code, 200)
        self.assertRedirects(
            self.client.post("/accounts/2fa/totp/activate/", {"code": code}),
            "/accounts/2fa/recovery-codes/",
            fetch_redirect_response=False,
        )
        self.client.post("/accounts/logout/")
        self.client.post(
            "/accounts/login/", {"login": "maren.oyelaran@brackwater.example", "password": "harbour-tide-9"}
        )
        self.assertEqual(self.client.get("/trips/").status_code, 302)
        self.assertTrue(has_authenticator(self.maren.person))


class SignInTest(WorldTestCase):
    same_on_any_day = True

    @shows("U1.1")
    def test_by_mail_and_password_and_limited(self):
        for password, status in [("wrong", 200), ("harbour-tide-9", 302)]:
            response = self.client.post(
                "/accounts/login/", {"login": "maren.oyelaran@brackwater.example", "password": password}
            )
            self.assertEqual(response.status_code, status)
        self.client.post("/accounts/logout/")
        for _ in range(6):
            response = self.client.post(
                "/accounts/login/", {"login": "aiko.brandt@brackwater.example", "password": "wrong"}
            )
        self.assertContains(response, "Too many failed login attempts")
        right = self.client.post(
            "/accounts/login/", {"login": "aiko.brandt@brackwater.example", "password": "harbour-tide-9"}
        )
        self.assertEqual(right.status_code, 200)

    def test_forgotten_passwords_are_asked_for_in_our_own_frame(self):
        for path in ("/accounts/password/reset/", "/accounts/logout/", "/accounts/inactive/"):
            with self.subTest(path):
                self.assertContains(self.client.get(path, follow=True), "Wainwright")
        with self.done():
            self.client.post("/accounts/password/reset/", {"email": "maren.oyelaran@brackwater.example"})
        self.assertIn("password/reset/key", mail.outbox[-1].body)

    def test_nobody_signs_up_and_the_demo_door_is_shut_outside_the_demo(self):
        self.assertNotContains(self.client.get("/accounts/signup/"), "password1")
        self.assertEqual(self.client.post("/demo-sign-in/", {"member": self.maren.pk}).status_code, 404)
        self.enter(self.maren)
        self.assertEqual(self.client.post("/clock/", {"day": "2026-01-01"}).status_code, 404)
