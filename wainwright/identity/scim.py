"""What is asked at a firm's door and answered: SCIM 2.0, opened by the firm's token."""

from __future__ import annotations

import json
import logging

from django.core.exceptions import RequestDataTooBig
from django.http import HttpRequest, HttpResponse
from scim2_models import PayloadTooLargeException, SCIMException, UnauthorizedException
from scim2_server.handler import ScimHandler
from scim2_server.requests import ScimRequest
from scim2_server.responses import ScimResponse
from scim2_server.service import ScimService

from wainwright import clock
from wainwright.api.models import digest_of
from wainwright.core.said import say
from wainwright.core.text import clean
from wainwright.identity.models import Door
from wainwright.identity.storage import PROVIDER, Storage
from wainwright.people.models import Firm

log = logging.getLogger(__name__)
SERVICE = ScimService(PROVIDER)
ENTERPRISE = "urn:ietf:params:scim:schemas:extension:enterprise:2.0:User"


def answer(request: HttpRequest, path: str) -> HttpResponse:
    """Answer one request of an identity provider. It shows a token, never a session."""
    try:
        firm = _firm(request)
        asked = ScimRequest(
            method=request.method or "GET", base_url=request.build_absolute_uri("/scim/v2"), path=f"/{path}", query=request.GET.dict(),
            headers=dict(request.headers), body=_body(request),
        )  # fmt: skip
        said = ScimHandler(SERVICE, Storage(firm)).handle(asked)
    except SCIMException as error:
        said = SERVICE.error_response(error)
    return _as_response(said)


def _firm(request: HttpRequest) -> Firm:
    """Whose token it is. Raises ``UnauthorizedException``."""
    kind, _, text = request.headers.get("Authorization", "").partition(" ")
    door = (
        Door.objects.select_related("firm").filter(digest=digest_of(text.strip())).first()
        if kind.casefold() == "bearer"
        else None
    )
    if door is None:
        raise UnauthorizedException(detail=say("The token is not known, or was replaced"))
    now = clock.now()
    if door.used is None or (now - door.used).total_seconds() > 60:
        Door.objects.filter(pk=door.pk).update(used=now)
    return door.firm


def _body(request: HttpRequest) -> bytes:
    """What was sent, cleaned of what no database keeps. Raises ``PayloadTooLargeException``."""
    try:
        body = request.body
    except RequestDataTooBig as error:
        raise PayloadTooLargeException(detail=say("More than 5 MB at once")) from error
    if not body:
        return body
    try:
        return json.dumps(_with_refs(_cleaned(json.loads(body)))).encode()
    except (ValueError, RecursionError):
        # Whatever it is: the protocol's own reading says what is wrong with it.
        return body


def _with_refs(value: object) -> object:
    """Say where a manager lies, beside who it is: the reading wants both, and many providers send the one alone."""
    if not isinstance(value, dict):
        return value
    extension = value.get(ENTERPRISE)
    if isinstance(extension, dict):
        extension["manager"] = _referred(extension.get("manager"))
    for each in operations if isinstance(operations := value.get("Operations"), list) else ():
        if not isinstance(each, dict):
            continue
        if str(each.get("path", "")).casefold() == f"{ENTERPRISE}:manager".casefold():
            each["value"] = _referred(each.get("value"))
        elif isinstance(each.get("value"), dict):
            each["value"] = _with_refs(each["value"])
    return value


def _referred(manager: object) -> object:
    if isinstance(manager, str | int) and not isinstance(manager, bool) and manager:
        manager = {"value": str(manager)}
    if isinstance(manager, dict) and manager.get("value"):
        return {"$ref": f"Users/{manager['value']}", **manager}
    return None if manager in ("", {}) else manager


def _cleaned(value: object) -> object:
    if isinstance(value, str):
        return clean(value)
    if isinstance(value, list):
        return [_cleaned(each) for each in value]
    if isinstance(value, dict):
        return {clean(str(key)): _cleaned(each) for key, each in value.items()}
    return value


def _as_response(said: ScimResponse) -> HttpResponse:
    body = b"" if said.body is None else json.dumps(said.body).encode()
    response = HttpResponse(body, status=said.status.value)
    for name, text in said.headers.items():
        response[name] = text
    return response
