"""A ledger over HTTP and JSON, as ``ledger.openapi.yaml`` beside this file says.

Every change carries an idempotency key, so what timed out is asked again under the same key. A time-out, a broken
connection, an answer from 500 up, or one that is not what the document says, is ``LedgerAway``: nothing is known.
"""

from __future__ import annotations

from datetime import date
from decimal import Decimal, InvalidOperation
from typing import Any
from urllib.parse import quote

import requests

from wainwright.core.masters import Master
from wainwright.core.posting import Journal
from wainwright.core.said import say
from wainwright.ports.ledger import Entered, LedgerAway, LedgerShut, Masters, NewSupplier, Refused

# Seconds to connect, and between two pieces of an answer.
TIMEOUT = (4, 15)
PAGE, MOST_PAGES, MOST_BYTES = 1000, 500, 30_000_000


class HttpLedger:
    """Speaks to one ledger: its address and the token that it gave."""

    def __init__(self, address: str, token: str, session: requests.Session | None = None) -> None:
        self.address, self.session = address.rstrip("/"), session or requests.Session()
        self.session.headers.update({"Authorization": f"Bearer {token}", "Accept": "application/json"})

    def post(self, firm: str, journal: Journal, on: date) -> Entered | Refused:
        """Enter a journal under its key."""
        body = {
            "key": journal.key, "date": on.isoformat(), "currency": journal.currency,
            "lines": journal.plain_lines,
        }  # fmt: skip
        status, answer = self._ask("POST", f"/v1/{quote(firm)}/journals", body, journal.key)
        if status in (200, 201):
            return Entered(_text(answer, "number", 20))
        if status == 422:
            return Refused(_text(answer, "code", 20), _text(answer, "text", 300), str(answer.get("about") or "")[:60])
        raise LedgerAway(say("it answered {status} to a journal", status=status))

    def state(self, firm: str, key: str) -> Entered | None:
        """Return under which number a journal stands."""
        status, answer = self._ask("GET", f"/v1/{quote(firm)}/journals/{quote(key, safe='')}")
        if status == 404:
            return None
        if status != 200:
            raise LedgerAway(say("it answered {status} to the question where a journal stands", status=status))
        return Entered(_text(answer, "number", 20))

    def masters(self, firm: str) -> Masters:
        """Return every master, page by page."""
        rows: list[Master] = []
        kinds: set[str] = set()
        after = ""
        for _ in range(MOST_PAGES):
            status, answer = self._ask("GET", f"/v1/{quote(firm)}/masters?limit={PAGE}&after={quote(after)}")
            if status != 200:
                raise LedgerAway(say("it answered {status} when asked for its masters", status=status))
            found = answer.get("masters")
            if not isinstance(found, list):
                raise LedgerAway(say("its masters are no list"))
            rows += [_master(row) for row in found]
            kinds |= {str(kind)[:20] for kind in answer.get("kinds") or []}
            after = str(answer.get("next") or "")
            if not after:
                return Masters(tuple(rows), frozenset(kinds))
        raise LedgerAway(say("its masters never end"))

    def make_supplier(self, firm: str, supplier: NewSupplier) -> Master:
        """Make a supplier under its key."""
        body = {
            "name": supplier.name,
            "iban": supplier.iban,
            "tax_number": supplier.tax_number,
            "country": supplier.country,
        }
        status, answer = self._ask("POST", f"/v1/{quote(firm)}/suppliers", body, supplier.key)
        if status not in (200, 201):
            raise LedgerAway(say("it answered {status} when asked to make a supplier", status=status))
        return _master(answer)

    def _ask(
        self, method: str, path: str, body: dict[str, Any] | None = None, key: str = ""
    ) -> tuple[int, dict[str, Any]]:
        headers = {"Idempotency-Key": key} if key else {}
        try:
            with self.session.request(
                method,
                self.address + path,
                json=body,
                headers=headers,
                timeout=TIMEOUT,
                allow_redirects=False,
                stream=True,
            ) as response:
                if response.status_code in (401, 403):
                    raise LedgerShut(say("it does not know the token of this connection"))
                if response.status_code >= 500:
                    raise LedgerAway(say("it answered {status_code}", status_code=response.status_code))
                content = response.raw.read(MOST_BYTES + 1, decode_content=True)
                status = response.status_code
        except requests.RequestException as error:
            raise LedgerAway(say("it cannot be reached: {name}", name=type(error).__name__)) from error
        if len(content) > MOST_BYTES:
            raise LedgerAway(say("its answer never ends"))
        try:
            answer = requests.compat.json.loads(content or b"{}")
        except ValueError as error:
            raise LedgerAway(say("its answer is no JSON")) from error
        if not isinstance(answer, dict):
            raise LedgerAway(say("its answer is no object"))
        return status, answer


def _text(answer: dict[str, Any], name: str, most: int) -> str:
    found = answer.get(name)
    if not isinstance(found, str) or not found.strip():
        raise LedgerAway(say("its answer has no {name}", name=name))
    return found.strip()[:most]


def _day(value: object) -> date | None:
    return date.fromisoformat(value) if isinstance(value, str) and value else None


def _number(value: object) -> Decimal | None:
    found = Decimal(str(value)) if value not in (None, "") else None
    if found is not None and not 0 <= found <= 1:
        raise ValueError("a rate lies between 0 and 1")
    return found


def _master(row: object) -> Master:
    """One master of an answer. Raises ``LedgerAway`` for what the document does not allow."""
    if not isinstance(row, dict):
        raise LedgerAway(say("one of its masters is no object"))
    try:
        kind, code = str(row["kind"])[:20], str(row["code"])[:20]
        if not kind or not code:
            raise ValueError("empty")
        return Master(
            kind, code, str(row.get("name") or code)[:80], _day(row.get("open_from")), _day(row.get("open_until")),
            tuple(str(each)[:20] for each in row.get("asks_for") or []), str(row.get("parent") or "")[:20], str(row.get("country") or "")[:2],
            _number(row.get("rate")), _number(row.get("share")), str(row.get("iban") or "")[:34], str(row.get("tax_number") or "")[:20],
        )  # fmt: skip
    except (KeyError, TypeError, ValueError, InvalidOperation) as error:
        raise LedgerAway(say("one of its masters is not as the document says")) from error
