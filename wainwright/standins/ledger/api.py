"""The ledger stand-in over HTTP: the API of ``adapters/ledger.openapi.yaml`` as a WSGI application of its own."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable
from datetime import date
from typing import Any
from urllib.parse import parse_qs, unquote

from wainwright.core.coding import Coding
from wainwright.core.masters import plain
from wainwright.core.money import Money
from wainwright.core.posting import Entry, Journal, Unbalanced
from wainwright.ports.ledger import NewSupplier, Refused
from wainwright.standins.ledger.models import LedgerEntry, LedgerParty
from wainwright.standins.ledger.service import Standin

TOKEN = "tidewater-ledger"
LIMIT = 1000
STATUS = {
    200: "200 OK",
    201: "201 Created",
    400: "400 Bad Request",
    401: "401 Unauthorized",
    404: "404 Not Found",
    422: "422 Unprocessable Content",
}

Answer = tuple[int, dict[str, Any]]


def application(environ: dict[str, Any], start_response: Callable) -> Iterable[bytes]:
    """Answer one request."""
    status, body = answer(environ)
    content = json.dumps(body).encode()
    start_response(STATUS[status], [("Content-Type", "application/json"), ("Content-Length", str(len(content)))])
    return [content]


def answer(environ: dict[str, Any]) -> Answer:
    """Return the status and the body of an answer."""
    if environ.get("HTTP_AUTHORIZATION") != f"Bearer {TOKEN}":
        return 401, {"text": "Ukjent nøkkel"}
    method = environ["REQUEST_METHOD"]
    raw = environ.get("RAW_URI") or environ.get("REQUEST_URI") or environ["PATH_INFO"]
    parts = [unquote(each) for each in raw.partition("?")[0].strip("/").split("/")]
    key = environ.get("HTTP_IDEMPOTENCY_KEY", "")
    match method, parts:
        case "GET", ["v1", firm, "masters"]:
            return _masters(firm, parse_qs(environ.get("QUERY_STRING", "")))
        case "GET", ["v1", firm, "journals", wanted]:
            found = Standin().state(firm, wanted)
            return (200, {"number": found.number}) if found else (404, {})
        case "POST", ["v1", firm, "journals"] if key:
            return _journal(firm, key, _body(environ))
        case "POST", ["v1", firm, "suppliers"] if key:
            return _supplier(firm, key, _body(environ))
    return (400, {"text": "Nøkkel mangler"}) if method == "POST" and not key else (404, {})


def _body(environ: dict[str, Any]) -> dict[str, Any]:
    size = min(int(environ.get("CONTENT_LENGTH") or 0), 5_000_000)
    found = json.loads(environ["wsgi.input"].read(size) or b"{}")
    return found if isinstance(found, dict) else {}


def _masters(firm: str, query: dict[str, list[str]]) -> Answer:
    found = Standin().masters(firm)
    first = int((query.get("after") or ["0"])[0] or 0)
    limit = min(int((query.get("limit") or [str(LIMIT)])[0] or LIMIT), LIMIT)
    page = found.rows[first : first + limit]
    after = str(first + limit) if first + limit < len(found.rows) else ""
    return 200, {"kinds": sorted(found.kinds), "masters": [plain(each) for each in page], "next": after}


def _journal(firm: str, key: str, body: dict[str, Any]) -> Answer:
    known = LedgerEntry.objects.filter(firm=firm, key=key).exists()
    try:
        currency = str(body["currency"])
        entries = tuple(
            Entry(
                Coding.of(dict(line.get("coding") or {}).items()).with_account(str(line["account"])), Money.of(str(line["debit"]), currency),
                Money.of(str(line["credit"]), currency), str(line.get("text") or ""),
                str(line.get("supplier") or "")[:20],
            )
            for line in body["lines"]
        )  # fmt: skip
        journal, on = Journal(key, currency, entries), date.fromisoformat(str(body["date"]))
    except Unbalanced:
        return 422, {"code": "LB-410", "text": "Debet og kredit stemmer ikke", "about": key[:60]}
    except (KeyError, TypeError, ValueError, ArithmeticError):
        return 400, {"text": "Bilaget kan ikke leses"}
    found = Standin().post(firm, journal, on)
    if isinstance(found, Refused):
        return 422, {"code": found.code, "text": found.text, "about": found.about}
    return 200 if known else 201, {"number": found.number}


def _supplier(firm: str, key: str, body: dict[str, Any]) -> Answer:
    known = LedgerParty.objects.filter(firm=firm).count()
    made = Standin().make_supplier(
        firm, NewSupplier(key, str(body.get("name") or "")[:120], str(body.get("iban") or ""), str(body.get("tax_number") or ""), str(body.get("country") or "")[:2])
    )  # fmt: skip
    return 201 if LedgerParty.objects.filter(firm=firm).count() > known else 200, plain(made)
