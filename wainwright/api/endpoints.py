"""The endpoints of the API, version 1. A token with a scope lets in; a change asks for an idempotency key."""

from __future__ import annotations

import hashlib
import json
from datetime import date

from django.db import IntegrityError, transaction
from drf_spectacular.extensions import OpenApiAuthenticationExtension
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers, status
from rest_framework.authentication import BaseAuthentication, get_authorization_header
from rest_framework.exceptions import APIException, AuthenticationFailed, NotFound, PermissionDenied, ValidationError
from rest_framework.response import Response
from rest_framework.throttling import SimpleRateThrottle
from rest_framework.views import APIView

from wainwright import clock
from wainwright.accounts.periods import open_day
from wainwright.accounts.selectors import books as ledger_books
from wainwright.api.models import Answered, ApiToken, digest_of
from wainwright.api.services import plain_claim
from wainwright.claims.models import Claim
from wainwright.claims.selectors import journal_for
from wainwright.claims.services import books
from wainwright.claims.statements import read
from wainwright.core.said import said_by
from wainwright.core.states import NotNow
from wainwright.errors import Refusal
from wainwright.ports.ledger import Entered, Refused

MOST = 100


class Bearer(BaseAuthentication):
    """``Authorization: Bearer ww_…``: a token of a firm that was not taken back."""

    def authenticate(self, request):
        """Return the member who made the token, and the token."""
        kind, _, text = get_authorization_header(request).decode("latin-1").partition(" ")
        if kind.casefold() != "bearer" or not text:
            return None
        found = ApiToken.objects.filter(digest=digest_of(text.strip()), revoked__isnull=True)
        token = found.select_related("firm", "made_by__person", "made_by__firm").first()
        if token is None or not (token.made_by.active and token.made_by.may["let_in"]):
            raise AuthenticationFailed(
                "The token is not known, was taken back, or whoever made it is not in finance any more."
            )
        now = clock.now()
        if token.used is None or (now - token.used).total_seconds() > 60:
            ApiToken.objects.filter(pk=token.pk).update(used=now)
        return token.made_by.person, token

    def authenticate_header(self, request):
        """What is asked for."""
        return "Bearer"


class BearerSaid(OpenApiAuthenticationExtension):
    """How the document says it."""

    target_class, name = Bearer, "token"

    def get_security_definition(self, auto_schema):
        """A bearer token."""
        return {"type": "http", "scheme": "bearer"}


class PerToken(SimpleRateThrottle):
    """So many requests a minute of one token, and of one address without any."""

    scope, rate = "token", "120/min"

    def get_cache_key(self, request, view):
        """By the token, else by the address."""
        return f"api:{request.auth.pk if request.auth else self.get_ident(request)}"


class Busy(APIException):
    """The thing was changed meanwhile."""

    status_code = status.HTTP_409_CONFLICT


class Endpoint(APIView):
    """What every endpoint has in common."""

    authentication_classes = (Bearer,)
    permission_classes = ()
    throttle_classes = (PerToken,)
    scope = ""

    def initial(self, request, *args, **kwargs):
        """Let in who shows a token with the scope."""
        super().initial(request, *args, **kwargs)
        if request.auth is None:
            raise AuthenticationFailed("Show a token: Authorization: Bearer …")
        if self.scope not in request.auth.scopes:
            raise PermissionDenied(f"The token may not do this; it would need {self.scope}.")


class LineSaid(serializers.Serializer):
    """One entry of a journal."""

    account = serializers.CharField()
    coding = serializers.DictField(child=serializers.CharField())
    debit = serializers.CharField(help_text="A decimal number")
    credit = serializers.CharField(help_text="A decimal number")
    text = serializers.CharField()
    supplier = serializers.CharField(help_text="Its code in the ledger where the line is about one, else empty")


class JournalSaid(serializers.Serializer):
    """A journal: its key is entered once."""

    key = serializers.CharField()
    lines = LineSaid(many=True)


class ClaimSaid(serializers.Serializer):
    """A cleared claim."""

    number = serializers.CharField()
    version = serializers.IntegerField(help_text="To be given back with the report: another version is refused")
    title = serializers.CharField()
    claimant = serializers.CharField()
    state = serializers.CharField()
    currency = serializers.CharField()
    total = serializers.CharField()
    due = serializers.CharField()
    post_on = serializers.DateField(help_text="The first day whose month is open")
    journal = JournalSaid()


class ClaimsSaid(serializers.Serializer):
    """A page of cleared claims."""

    claims = ClaimSaid(many=True)
    next = serializers.CharField(help_text="Empty on the last page")


class PostedReport(serializers.Serializer):
    """The ledger has entered it."""

    version = serializers.IntegerField(min_value=1)
    number = serializers.CharField(max_length=20)
    date = serializers.DateField()


class RefusedReport(serializers.Serializer):
    """The ledger has refused it."""

    version = serializers.IntegerField(min_value=1)
    code = serializers.CharField(max_length=20)
    text = serializers.CharField(max_length=300)
    about = serializers.CharField(max_length=60, required=False, allow_blank=True, default="")


class Stands(serializers.Serializer):
    """Where a claim stands."""

    number = serializers.CharField()
    state = serializers.CharField()


class Cleared(Endpoint):
    """What is cleared and not posted."""

    scope = "claims:read"

    @extend_schema(
        responses=ClaimsSaid, operation_id="list_cleared", summary="What is cleared and not posted, page by page",
        parameters=[OpenApiParameter("after", str, description="What the last page gave as next"), OpenApiParameter("limit", int), OpenApiParameter("If-None-Match", str, OpenApiParameter.HEADER)],
    )  # fmt: skip
    def get(self, request):
        """A page of cleared claims with their journals; unchanged since an ETag: 304."""
        firm = request.auth.firm
        after, limit = (
            _whole(request.query_params.get("after")),
            min(_whole(request.query_params.get("limit")) or MOST, MOST),
        )
        rows = Claim.objects.filter(firm=firm, state__in=["Cleared", "Posting refused"], number__gt=after).exclude(
            claimant=request.auth.made_by
        )
        rows = list(rows.select_related("firm", "claimant__person", "statement").order_by("number")[: limit + 1])
        tag = f'"{hashlib.sha256(json.dumps([[row.pk, row.version] for row in rows]).encode()).hexdigest()[:32]}"'
        if request.headers.get("If-None-Match") == tag:
            return Response(status=status.HTTP_304_NOT_MODIFIED, headers={"ETag": tag})
        ledger, day = ledger_books(firm), open_day(firm, clock.today(firm.zone)).isoformat()
        body = [
            plain_claim(row, journal_for(row, read(row.statement, row.currency), ledger), day)
            for row in rows[:limit]
            if row.statement
        ]
        last = str(rows[limit - 1].number) if len(rows) > limit else ""
        return Response({"claims": body, "next": last}, headers={"ETag": tag})


class Report(Endpoint):
    """What both reports have in common."""

    scope = "claims:report"
    said: type[serializers.Serializer]

    def report(self, request, number: str):
        """Take a report in under its key; the same key gives the same answer, another question under it is refused."""
        key = request.headers.get("Idempotency-Key", "").strip()
        if not 8 <= len(key) <= 80:
            raise ValidationError({"Idempotency-Key": ["Give a key of 8 to 80 letters: the same for the same report."]})
        form = self.said(data=request.data)
        form.is_valid(raise_exception=True)
        asked = hashlib.sha256(
            json.dumps([request.path, form.validated_data], sort_keys=True, default=str).encode()
        ).hexdigest()
        known = Answered.objects.filter(token=request.auth, key=key).first()
        if known is None:
            code, body = self._taken(request.auth, number, form.validated_data)
            values = {"asked": asked, "status": code, "body": body, "time": clock.now()}
            try:
                with transaction.atomic():
                    known = Answered.objects.create(token=request.auth, key=key, **values)
            except IntegrityError:
                known = Answered.objects.get(token=request.auth, key=key)
        if known.asked != asked:
            raise Busy("Another report was made under this key.")
        return Response(known.body, status=known.status)

    def _taken(self, token: ApiToken, number: str, values: dict) -> tuple[int, dict]:
        claim = Claim.objects.filter(firm=token.firm, number=_whole(number.upper().removeprefix("C-"))).first()
        if claim is None or claim.claimant_id == token.made_by_id:
            raise NotFound("There is no such claim.")
        if claim.version != values["version"] and claim.state in ("Cleared", "Posting refused"):
            raise Busy(
                f"The claim was changed since it was fetched: it is version {claim.version} now. Fetch it again."
            )
        try:
            claim = books.take_report(
                token.made_by, claim.pk, self.answer(values), values.get("date") or clock.today(token.firm.zone)
            )
        except (Refusal, NotNow) as error:
            raise Busy(said_by(error)) from error
        return 200, {"number": claim.code, "state": claim.state}

    def answer(self, values: dict) -> Entered | Refused:
        """The report as the ledger's answer."""
        raise NotImplementedError


class Posted(Report):
    """A claim was posted."""

    said = PostedReport

    @extend_schema(
        request=PostedReport, responses=Stands, operation_id="report_posted", summary="Report that a claim stands in the ledger",
        parameters=[OpenApiParameter("Idempotency-Key", str, OpenApiParameter.HEADER, required=True)],
    )  # fmt: skip
    def post(self, request, number: str):
        """Report it."""
        return self.report(request, number)

    def answer(self, values: dict) -> Entered:
        """Entered under its number."""
        if not date(2000, 1, 1) <= values["date"] <= date(2999, 1, 1):
            raise ValidationError({"date": ["That is no day on which a claim is posted."]})
        return Entered(values["number"])


class RefusedBy(Report):
    """A claim was refused."""

    said = RefusedReport

    @extend_schema(
        request=RefusedReport, responses=Stands, operation_id="report_refused", summary="Report that the ledger refused a claim, and why",
        parameters=[OpenApiParameter("Idempotency-Key", str, OpenApiParameter.HEADER, required=True)],
    )  # fmt: skip
    def post(self, request, number: str):
        """Report it."""
        return self.report(request, number)

    def answer(self, values: dict) -> Refused:
        """Refused with its own words."""
        return Refused(values["code"], values["text"], values["about"])


def _whole(text: str | None) -> int:
    text = (text or "").strip()
    return int(text) if text.isdecimal() and len(text) < 10 else 0
