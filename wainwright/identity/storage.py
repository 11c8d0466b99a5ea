"""People and groups of a firm as resources of SCIM 2.0 (RFC 7643, 7644); the protocol itself is scim2-server's."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from datetime import datetime
from typing import Any

from django.db.models import Prefetch, Q
from scim2_models import (
    AuthenticationScheme,
    Bulk,
    ChangePassword,
    Email,
    EnterpriseUser,
    ETag,
    Filter,
    Group,
    GroupMember,
    InvalidValueException,
    Manager,
    Meta,
    Name,
    NotFoundException,
    NotImplementedException,
    Patch,
    PreconditionFailedException,
    ResourceType,
    ScimPolicy,
    ScimProvider,
    ServiceProviderConfig,
    Sort,
    UniquenessException,
    User,
)
from scim2_models.path import CompareOperator, Comparison
from scim2_server.storage import ScimStorage, SearchPage

from wainwright.core.said import say
from wainwright.errors import Refusal
from wainwright.identity import bringing
from wainwright.identity.bringing import Known, Taken
from wainwright.identity.models import Brought
from wainwright.identity.models import Group as GroupRow
from wainwright.people.models import Firm, Membership

Person = User[EnterpriseUser]
MOST_AT_ONCE = 200
PROVIDER = ScimProvider(
    models=[User, EnterpriseUser, Group],
    resource_types=[ResourceType.from_resource(Person), ResourceType.from_resource(Group)],
    config=ServiceProviderConfig(
        patch=Patch(supported=True), filter=Filter(supported=True, max_results=MOST_AT_ONCE), etag=ETag(supported=True),
        bulk=Bulk(supported=False, max_operations=0, max_payload_size=0), change_password=ChangePassword(supported=False), sort=Sort(supported=False),
        authentication_schemes=[
            AuthenticationScheme(type="oauthbearertoken", name="Bearer token", description=say("The token of the firm's door."), primary=True)
        ],
    ),
    # What providers send besides the standard, and what we do not keep, is let be: the rest of it counts.
    policy=ScimPolicy(
        unknown=ScimPolicy.Unknown.ignore, remove_value_as_filter=ScimPolicy.RemoveValue.apply,
        unmatched_path_filter=ScimPolicy.UnmatchedPathFilter.create,
    ),
)  # fmt: skip
# So many are looked through where no quick way leads to what is asked.
MOST_LOOKED = 20_000


class Storage(ScimStorage):
    """A firm's people and groups. Every call is an act of its own."""

    def __init__(self, firm: Firm):
        self.firm = firm

    def get(self, resource_type, resource_id, *, response_parameters=None):
        """One person or group."""
        return self._one(resource_type, resource_id)

    def _one(self, kind: ResourceType, number: str) -> Any:
        rows = self._rows(kind).filter(pk=_number(number))
        row = rows.first()
        if row is None:
            raise NotFoundException(detail=say("There is no {kind} {number}", kind=kind.name, number=number[:40]))
        return self._as(kind, row)

    def _rows(self, kind: ResourceType):
        if kind.name == "User":
            rows = Membership.objects.filter(firm=self.firm).exclude(brought__deleted=True)
            return rows.select_related("person", "brought", "manager__person").order_by("pk")
        people = Membership.objects.select_related("person")
        return GroupRow.objects.filter(firm=self.firm).prefetch_related(Prefetch("members", people)).order_by("pk")

    def _as(self, kind: ResourceType, row: Any) -> Any:
        return _user(row) if kind.name == "User" else _group(row)

    def search(self, resource_types, search_request, *, position=None):
        """A page of those that fit. What providers ask for (a name, an address, their own key) is found by the database."""
        if len(resource_types) != 1:
            raise NotImplementedException(detail=say("Ask for users or for groups"))
        kind = resource_types[0]
        rows, asked = self._rows(kind), search_request.filter
        quick = _quick(kind, asked)
        if quick is not None:
            rows = rows.filter(quick)
        start, count = search_request.start_index_0 or 0, search_request.count
        plain = (asked is None or quick is not None) and search_request.sort_by is None
        if plain:
            total = rows.count()
            part = rows[start:] if count is None else rows[start : start + count]
            return SearchPage(total, [self._as(kind, row) for row in part])
        if rows.count() > MOST_LOOKED:
            raise NotImplementedException(
                detail=say("Ask by userName, externalId or displayName: there are too many to look through")
            )
        found = [each for each in (self._as(kind, row) for row in rows) if asked is None or asked.match(each)]
        return SearchPage(len(found), found[start:] if count is None else found[start : start + count])

    def create(self, resource_type, resource):
        """Bring somebody, or a group."""
        with _in_its_words():
            if resource_type.name == "User":
                made = bringing.bring_in(self.firm, _known(resource))
            else:
                made = bringing.keep_group(
                    self.firm, GroupRow(), resource.display_name or "", resource.external_id or "", _members(resource)
                )
        return self._one(resource_type, str(made.pk))

    def update(self, resource_type, resource, *, expected_version=None):
        """Bring them to what the provider says."""
        number = _number(resource.id)
        self._as_expected(resource_type, resource.id, expected_version)
        with _in_its_words():
            if resource_type.name == "User":
                bringing.change(self.firm, number, _known(resource))
            else:
                row = GroupRow.objects.filter(firm=self.firm, pk=number).first()
                bringing.keep_group(
                    self.firm,
                    row or GroupRow(),
                    resource.display_name or "",
                    resource.external_id or "",
                    _members(resource),
                )
        return self._one(resource_type, resource.id)

    def delete(self, resource_type, resource_id, *, expected_version=None):
        """Take them out; history stays."""
        self._as_expected(resource_type, resource_id, expected_version)
        with _in_its_words():
            if resource_type.name == "User":
                bringing.take_out(self.firm, _number(resource_id))
            else:
                bringing.drop_group(self.firm, _number(resource_id))

    def _as_expected(self, kind: ResourceType, number: str, version: str | None) -> None:
        now = self._one(kind, number)
        if version is not None and now.meta.version != version:
            raise PreconditionFailedException


class _in_its_words:
    """A refusal of ours, as the protocol says it."""

    def __enter__(self):
        return self

    def __exit__(self, kind, error, trace):
        if isinstance(error, Taken):
            raise UniquenessException(detail=error.message) from error
        if isinstance(error, Refusal):
            raise InvalidValueException(detail=error.message) from error
        return False


def _number(text: str) -> int:
    return int(text) if text.isdecimal() and text.isascii() and len(text) < 18 else 0


def _quick(kind: ResourceType, asked: Any) -> Q | None:
    """One comparison of what providers look people and groups up by, as the database asks it."""
    part = getattr(asked, "ast", None)
    if not isinstance(part, Comparison) or part.op != CompareOperator.eq or not isinstance(part.value, str):
        return None
    value = part.value
    path = ".".join(filter(None, (part.attr_path.attr, part.attr_path.sub_attr))).casefold()
    if kind.name == "User":
        return {
            "username": Q(person__email__iexact=value), "emails.value": Q(person__email__iexact=value), "emails": Q(person__email__iexact=value),
            "externalid": Q(brought__external=value), "id": Q(pk=_number(value)),
        }.get(path)  # fmt: skip
    return {"displayname": Q(name__iexact=value), "externalid": Q(external=value), "id": Q(pk=_number(value))}.get(path)


def _version(*parts: object) -> str:
    return f'W/"{hashlib.sha256(repr(parts).encode()).hexdigest()[:16]}"'


def _meta(kind: str, made: datetime | None, changed: datetime | None, *parts: object) -> Meta:
    return Meta(resource_type=kind, created=made, last_modified=changed, version=_version(*parts))


def _user(row: Membership) -> Any:
    brought: Brought | None = getattr(row, "brought", None)
    first, _, last = row.person.name.rpartition(" ")
    found = Person(
        id=str(row.pk), external_id=brought.external or None if brought else None, user_name=row.person.email, display_name=row.person.name,
        name=Name(formatted=row.person.name, given_name=first or None, family_name=last), title=row.job or None, active=row.active,
        emails=[Email(value=row.person.email, primary=True, type="work")],
    )  # fmt: skip
    if row.manager_id:
        found[EnterpriseUser] = EnterpriseUser(
            manager=Manager(
                value=str(row.manager_id), display_name=row.manager.person.name, ref=f"Users/{row.manager_id}"
            )
        )
    made, changed = (brought.made, brought.changed) if brought else (None, None)
    found.meta = _meta(
        "User",
        made,
        changed,
        row.pk,
        row.person.email,
        row.person.name,
        row.job,
        row.active,
        row.manager_id,
        found.external_id,
    )
    return found


def _group(row: GroupRow) -> Any:
    members = list(row.members.all())
    found = Group(
        id=str(row.pk), external_id=row.external or None, display_name=row.name,
        members=[GroupMember(value=str(m.pk), display=m.person.name, type="User", ref=f"Users/{m.pk}") for m in members],
    )  # fmt: skip
    found.meta = _meta("Group", row.made, row.changed, row.pk, row.name, row.external, sorted(m.pk for m in members))
    return found


def _members(resource: Any) -> list[int]:
    return list(dict.fromkeys(_number(each.value or "") for each in resource.members or []))


def _known(resource: Any) -> Known:
    """Somebody as the provider has them."""
    name = resource.name
    said = (
        (name.formatted if name else None) or " ".join(filter(None, (name.given_name, name.family_name)))
        if name
        else ""
    )
    extension = resource[EnterpriseUser]
    manager: int | None = -1
    if extension is not None:
        manager = _number(extension.manager.value or "") or None if extension.manager else None
    return Known(
        _address(resource), said or resource.display_name or "", resource.title or "", resource.external_id or "", resource.active is not False, manager,
    )  # fmt: skip


def _address(resource: Any) -> str:
    """The name to sign in by, where that is an address for mail, else the first of the addresses."""
    if "@" in (resource.user_name or ""):
        return str(resource.user_name)
    emails: Iterable[Any] = sorted(resource.emails or [], key=lambda each: not each.primary)
    return next((str(each.value) for each in emails if each.value), "")
