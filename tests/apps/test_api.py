"""The API for an outside ledger, driven by a client that is made of its document alone; tokens, keys, webhooks."""

from __future__ import annotations

import hashlib
import hmac
import io
import json
from datetime import timedelta
from pathlib import Path
from unittest import mock

import yaml
from django.core.cache import cache
from django.core.management import call_command
from django.test import Client, override_settings

from tests.apps.test_masters import Served
from tests.apps.world import WorldTestCase
from tests.coverage import shows
from wainwright import api, clock
from wainwright.accounts.models import Posting
from wainwright.api import services
from wainwright.api.models import EVENTS, SCOPES, ApiToken, Delivery
from wainwright.claims.models import Claim
from wainwright.claims.services import road
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.people.models import Membership
from wainwright.people.reachable import must_be_reachable
from wainwright.standins.ledger.models import LedgerEntry

DOCUMENT = Path(api.__file__).parent / "openapi.yaml"


class Outside:
    """A client written from the document: it knows operations by their ids, and nothing of the application."""

    def __init__(self, token: str):
        self.document, self.client, self.token = yaml.safe_load(DOCUMENT.read_text(encoding="utf-8")), Client(), token

    def call(self, operation: str, body=None, headers=None, **parameters):
        for path, methods in self.document["paths"].items():
            for method, said in methods.items():
                if said.get("operationId") != operation:
                    continue
                for parameter in said.get("parameters", ()):
                    if parameter["in"] == "path":
                        path = path.replace("{" + parameter["name"] + "}", str(parameters.pop(parameter["name"])))
                more = {f"HTTP_{name.upper().replace('-', '_')}": value for name, value in (headers or {}).items()}
                more["HTTP_AUTHORIZATION"] = f"Bearer {self.token}"
                if method == "get":
                    return self.client.get(path, parameters, **more)
                return self.client.post(path, json.dumps(body), content_type="application/json", **more)
        raise LookupError(operation)


class Api(WorldTestCase):
    def setUp(self):
        super().setUp()
        cache.clear()
        _, self.text = services.make_token(self.priya, "Tidewater ledger", list(SCOPES))
        self.outside = Outside(self.text)

    def report(self, claim: dict, number: str = "X-1", key: str = "report-0001", **more):
        body = {"version": claim["version"], "number": number, "date": self.today.isoformat()} | more
        return self.outside.call("report_posted", body, {"Idempotency-Key": key}, number=claim["number"])


class DocumentTest(Api):
    def test_the_committed_document_is_what_the_code_says(self):
        said = io.StringIO()
        call_command("spectacular", urlconf="wainwright.api.urls", stdout=said)
        self.assertEqual(
            said.getvalue().strip(), DOCUMENT.read_text(encoding="utf-8").strip(), "make it anew: manage.py spectacular"
        )

    def test_it_is_served_to_anybody(self):
        self.assertContains(Client().get("/api/v1/openapi.yaml"), "report_posted")


class LedgerTest(Api):
    @shows("A8.1")
    def test_cleared_claims_are_fetched_posted_and_reported_once(self):
        claims = [self.cleared_claim(costs=(amount,)) for amount in ("20.00", "21.00", "22.00")]
        first = self.outside.call("list_cleared", limit=2)
        page = first.json()
        self.assertEqual(
            ([row["number"] for row in page["claims"]], bool(page["next"])), ([claims[0].code, claims[1].code], True)
        )
        rest = self.outside.call("list_cleared", limit=2, after=page["next"]).json()
        self.assertEqual(([row["number"] for row in rest["claims"]], rest["next"]), ([claims[2].code], ""))
        for row in page["claims"]:
            lines = row["journal"]["lines"]
            self.assertEqual(sum(float(each["debit"]) for each in lines), sum(float(each["credit"]) for each in lines))
        same = self.outside.call("list_cleared", headers={"If-None-Match": first["ETag"]}, limit=2)
        self.assertEqual(same.status_code, 304)
        with self.done():
            answer = self.report(page["claims"][0])
        self.assertEqual((answer.status_code, answer.json()["state"]), (200, "Posted"))
        posting = Posting.objects.get(key=claims[0].journal_key)
        self.assertEqual((posting.state, posting.number), ("Entered", "X-1"))
        self.assertEqual(posting.key, page["claims"][0]["journal"]["key"])
        # Nothing of it went to the ledger of this installation.
        self.assertFalse(LedgerEntry.objects.filter(key=posting.key).exists())
        again = self.report(page["claims"][0])
        self.assertEqual(again.json(), answer.json())
        self.assertEqual(self.report(page["claims"][0], number="X-2").status_code, 409)
        self.assertEqual(self.report(page["claims"][0], number="X-3", key="report-0003").json()["state"], "Posted")
        posting.refresh_from_db()
        self.assertEqual(posting.number, "X-1")
        self.assertNotEqual(
            self.outside.call("list_cleared", limit=2, headers={"If-None-Match": first["ETag"]}).status_code, 304
        )

    @shows("A8.1")
    def test_refused_it_stands_on_the_claim_and_is_reported_posted_later(self):
        claim = self.cleared_claim(costs=("20.00",))
        (row,) = self.outside.call("list_cleared").json()["claims"]
        body = {"version": row["version"], "code": "LB-202", "text": "sperret", "about": "cost_centre:3120"}
        with self.done():
            answer = self.outside.call("report_refused", body, {"Idempotency-Key": "refused-01"}, number=row["number"])
        self.assertEqual(answer.json()["state"], "Posting refused")
        self.enter(self.priya)
        self.assertContains(self.client.get(f"/bench/claim/{claim.pk}/"), "The ledger has closed cost centre 3120")
        (row,) = self.outside.call("list_cleared").json()["claims"]
        self.assertEqual(self.report(row).json()["state"], "Posted")

    def test_changed_since_gone_or_odd_gives_a_clear_answer(self):
        claim = self.cleared_claim(costs=("20.00",))
        (row,) = self.outside.call("list_cleared").json()["claims"]
        self.assertEqual(self.report(row | {"version": row["version"] - 1}).status_code, 409)
        self.assertEqual(self.report(row, key="short").status_code, 400)
        for odd in ({"number": ""}, {"date": "soon"}, {"date": "0001-01-01"}, {"version": 0}, {"version": "x"}):
            self.assertEqual(self.report(row, key=f"odd-{odd}"[:70], **odd).status_code, 400, odd)
        self.assertEqual(self.report(row | {"number": "C-9999"}, key="unknown-01").status_code, 404)
        road.finance_end(self.priya, claim.pk, claim.version, "send_back", "One more look")
        self.assertEqual(self.report(row, key="report-late").status_code, 409)
        self.assertFalse(Posting.objects.filter(state="Entered").exists())
        for method, path in (
            ("post", "/api/v1/claims/cleared/"),
            ("get", f"/api/v1/claims/{row['number']}/posted/"),
            ("put", "/api/v1/claims/cleared/"),
        ):
            self.assertEqual(getattr(Client(), method)(path, HTTP_AUTHORIZATION=f"Bearer {self.text}").status_code, 405)
        self.assertEqual(
            Client()
            .post(
                f"/api/v1/claims/{row['number']}/posted/",
                "{",
                content_type="application/json",
                HTTP_AUTHORIZATION=f"Bearer {self.text}",
                HTTP_IDEMPOTENCY_KEY="broken-01",
            )
            .status_code,
            400,
        )


class TokenTest(Api):
    def get(self, token: str = "", **more) -> int:
        return (
            Client()
            .get("/api/v1/claims/cleared/", **({"HTTP_AUTHORIZATION": f"Bearer {token}"} if token else {}), **more)
            .status_code
        )

    def test_hashed_shown_once_scoped_revocable_and_last_used(self):
        self.assertEqual((self.get(), self.get("ww_wrong"), self.get(self.text)), (401, 401, 200))
        self.assertFalse(ApiToken.objects.filter(digest=self.text).exists())
        self.assertIsNotNone(ApiToken.objects.get().used)
        row, reading = services.make_token(self.priya, "Reads only", ["claims:read"])
        self.cleared_claim(costs=("20.00",))
        (claim,) = Outside(reading).call("list_cleared").json()["claims"]
        self.outside = Outside(reading)
        self.assertEqual(self.report(claim).status_code, 403)
        services.revoke(self.priya, row.pk)
        self.assertEqual(self.get(reading), 401)
        with self.assertRaises(Stale):
            services.revoke(self.priya, row.pk)
        Membership.objects.filter(pk=self.priya.pk).update(finance=False)
        self.assertEqual(self.get(self.text), 401)

    def test_from_the_page(self):
        self.enter(self.priya)
        page = self.client.post("/ledger/api/tokens/", {"name": "Second ledger", "scopes": ["claims:read"]})
        self.assertContains(page, "Shown this once")
        self.assertNotContains(self.client.get("/ledger/api/"), "Shown this once")
        self.assertContains(self.client.post("/ledger/api/tokens/", {"name": "x"}), "for: the ledger", status_code=422)
        for wrong in ({"address": "ftp://x", "events": ["claim.posted"]}, {"address": "https://x.example"}, {}):
            self.assertEqual(self.client.post("/ledger/api/webhooks/", wrong).status_code, 422)
        for act, values in (
            (services.make_token, ("Name", ["claims:read"])),
            (services.add_webhook, ("https://x.example", ["claim.posted"])),
            (services.revoke, (1,)),
        ):
            with self.assertRaises(NotAllowed):
                act(self.tobias, *values)
        with self.assertRaises(Refusal):
            services.make_token(self.priya, "Name", ["everything"])

    def test_what_is_asked_is_outside_and_not_in_the_open(self):
        for wrong in (
            "", "x", "ftp://a.example", "http://a.example", "https://", "https://u:p@a.example", "https://127.0.0.1/x", "https://localhost", "https://10.0.0.1",
            "https://[::1]/", "https://169.254.169.254/", "https://printer.local", "https://a.example:99999", "http://127.0.0.2",
        ):  # fmt: skip
            with self.subTest(wrong), self.assertRaises(Refusal):
                must_be_reachable(wrong)
        must_be_reachable("https://ledger.example/hook")
        must_be_reachable("http://127.0.0.1:8090")
        with override_settings(TESTING=False, DEMO=False), self.assertRaises(Refusal):
            must_be_reachable("http://127.0.0.1:8090")

    @shows("U6.3")
    def test_another_firms_token_sees_nothing_of_this_one(self):
        self.cleared_claim(costs=("20.00",))
        _, theirs = services.make_token(self.liv, "Other", list(SCOPES))
        self.assertEqual(Outside(theirs).call("list_cleared").json()["claims"], [])
        (row,) = self.outside.call("list_cleared").json()["claims"]
        self.outside = Outside(theirs)
        self.assertIn(self.report(row).status_code, (404, 409))
        self.assertFalse(Posting.objects.exists())

    def test_too_many_requests_are_slowed_down(self):
        with (
            mock.patch("wainwright.api.endpoints.PerToken.rate", "3/min"),
            mock.patch("wainwright.api.endpoints.PerToken.THROTTLE_RATES", {"token": "3/min"}),
        ):
            found = [self.get(self.text) for _ in range(5)]
        self.assertEqual((found[0], found[-1]), (200, 429))


class WebhookTest(Api):
    def test_told_once_signed_and_tried_again_later_and_later(self):
        with Served([(500, b""), (200, b""), (200, b"")]) as served:
            hook, secret = services.add_webhook(self.priya, served.address, list(EVENTS))
            self.assertNotIn(secret, hook.secret)
            claim = self.cleared_claim(costs=("20.00",))
            self.assertEqual(services.deliver_due(), 0)
            row = Delivery.objects.get()
            self.assertEqual((row.event, row.tries, row.problem), ("claim.cleared", 1, "it answered 500"))
            self.assertEqual(services.deliver_due(), 0)
            with mock.patch.object(clock, "now", return_value=clock.now() + timedelta(minutes=2)):
                self.assertEqual(services.deliver_due(), 1)
                (fetched,) = self.outside.call("list_cleared").json()["claims"]
                with self.done():
                    self.report(fetched)
                self.assertEqual(services.deliver_due(), 1)
                self.assertEqual(services.deliver_due(), 0)
            self.assertEqual(
                [json.loads(body)["event"] for _, _, _, body in served.seen],
                ["claim.cleared", "claim.cleared", "claim.posted"],
            )
            _, _, headers, body = served.seen[-1]
            wanted = hmac.new(
                secret.encode(), headers["Wainwright-Sent"].encode() + b"." + body, hashlib.sha256
            ).hexdigest()
            self.assertEqual(headers["Wainwright-Signature"], wanted)
            self.assertEqual(json.loads(body)["claim"], claim.code)

    def test_given_up_in_the_end_and_nothing_from_before(self):
        self.cleared_claim(costs=("20.00",))
        hook, _ = services.add_webhook(self.priya, "http://127.0.0.1:9", list(EVENTS))
        services.deliver_due()
        self.assertFalse(Delivery.objects.exists())
        self.cleared_claim(costs=("21.00",))
        now = clock.now()
        for hours in range(0, 60, 4):
            with mock.patch.object(clock, "now", return_value=now + timedelta(hours=hours)):
                services.deliver_due()
        self.assertEqual(set(Delivery.objects.values_list("state", "tries")), {("given up", len(services.AGAIN) + 1)})
        self.enter(self.priya)
        self.assertContains(self.client.get("/ledger/api/"), "fails since")
        services.drop_webhook(self.priya, hook.pk)
        self.assertEqual(Claim.objects.count(), 2)
