"""A firm from a folder of files: all of it, or nothing, with everything that is wrong said at its file and row."""

from __future__ import annotations

import csv
import tomllib
from collections.abc import Callable, Iterator
from dataclasses import dataclass, fields
from datetime import date
from decimal import Decimal, InvalidOperation
from pathlib import Path
from typing import Any

from django.db import transaction

from wainwright import clock
from wainwright.accounts.models import Budget, Code, Dimension, FirmAccounts
from wainwright.core.allowance.reading import SchemeFaults
from wainwright.core.coding import Asked
from wainwright.core.money import Money, places
from wainwright.core.said import joined, said_by, say
from wainwright.errors import Faults, Refusal
from wainwright.fields import plain_number
from wainwright.formats.people_table import read_people
from wainwright.formats.problems import Unreadable
from wainwright.founding import starting
from wainwright.founding.services import SINCE, FirmData, found
from wainwright.masters.services.posting_to import FIRM_ACCOUNTS
from wainwright.people.models import Firm, Membership, new_version
from wainwright.rulebook.models import AllowanceRate, Category, MileageRateRow, Policy
from wainwright.rulebook.questions import from_data
from wainwright.staff.checking import NEW, check, in_order
from wainwright.staff.importing import make_members
from wainwright.staff.inviting import send_invitation
from wainwright.trail.services import record

# What of the policy a folder may say, besides what every firm starts with.
POLICY = (
    "terms",
    "trip_signoff",
    "advance_percent",
    "claim_days",
    "hold_hours",
    "ticket_hours",
    "drive_km",
    "questions",
    "kin",
    "quarters",
)
_SUMS = ("full", "breakfast", "lunch", "dinner", "incidentals", "ceiling")


@dataclass(frozen=True)
class Fault:
    """Something wrong with a folder: where, and in words."""

    where: str
    words: str


class _Back(Exception):
    """Everything is taken back: something was wrong, or it was only looked at."""


def take(path: Path, only_look: bool = False) -> tuple[list[Fault], Membership | None]:
    """Found a firm from a folder, unless something in it is wrong; return what is, and its first administrator.

    ``only_look`` changes nothing. Raises ``Refusal`` where there is no firm.toml to begin with.
    """
    faults: list[Fault] = []
    made: Membership | None = None
    try:
        with transaction.atomic():
            data = _toml(path / "firm.toml")
            made = _found(data, faults)
            if made is not None:
                _fill(path, data, made, faults)
            if faults or only_look or made is None:
                raise _Back
    except _Back:
        made = None
    return faults, made


def _found(data: dict[str, Any], faults: list[Fault]) -> Membership | None:
    """Found the firm by its firm.toml."""
    who = data.get("administrator", {})
    known = {field.name for field in fields(FirmData)}
    typed = {key: value for key, value in data.items() if key in known}
    odd = [key for key, value in typed.items() if type(value) is not (int if key == "year_begins" else str)]
    if odd or not isinstance(who, dict) or not all(isinstance(value, str) for value in who.values()):
        faults.append(
            Fault(
                say("firm.toml, {odd}", odd=odd[0] if odd else "administrator"),
                say("Texts stand in quotes, figures without."),
            )
        )
        return None
    unknown = set(data) - known - {"administrator", "accounts", "policy", "scheme"}
    faults += [Fault("firm.toml", say("There is nothing called “{key}”.", key=key)) for key in sorted(unknown)]
    try:
        return found(
            FirmData(**{"name": "", "country": "", "currency": "", "zone": "", **typed}),
            who.get("name", ""),
            who.get("email", ""),
        )
    except Refusal as refusal:
        faults.append(
            Fault(say("firm.toml, {field}", field=refusal.field) if refusal.field else "firm.toml", refusal.message)
        )
    return None


def _toml(path: Path) -> dict[str, Any]:
    try:
        return tomllib.loads(path.read_text(encoding="utf-8"))
    except (OSError, UnicodeDecodeError) as error:
        raise Refusal(say("{path} cannot be read: a folder of a firm has a firm.toml in it.", path=path)) from error
    except tomllib.TOMLDecodeError as error:
        raise Refusal(joined(": ", (path.name, error))) from error


def _fill(path: Path, data: dict[str, Any], admin: Membership, faults: list[Fault]) -> None:
    """Everything besides the firm itself. Inside the caller's transaction."""
    firm = admin.firm
    _policy(data, firm, faults)
    if (path / "categories.csv").exists():
        Category.objects.filter(firm=firm).delete()
    if (path / "dimensions.csv").exists():
        firm.dimensions.all().delete()
    parts: tuple[tuple[str, Callable[[Firm, dict[str, str]], None]], ...] = (
        ("dimensions.csv", _dimension), ("codes.csv", _code), ("categories.csv", _category), ("rates.csv", _rate), ("mileage.csv", _mileage),
    )  # fmt: skip
    for name, keep in parts:
        for number, row in _rows(path / name, faults):
            try:
                keep(firm, row)
            except (Refusal, ValueError, InvalidOperation, KeyError) as error:
                words = said_by(error) if isinstance(error, Refusal) else _cure(error)
                faults.append(Fault(say("{name}, row {number}", name=name, number=number), words))
    # What an answer decides names categories, so these come first.
    try:
        from_data(firm, data.get("policy", {}).get("questions", []))
    except (Faults, AttributeError, TypeError) as wrong:
        faults.append(
            Fault(
                say("firm.toml, policy, questions"),
                said_by(wrong) if isinstance(wrong, Faults) else say("A question is a table with text and kind."),
            )
        )
    Firm.objects.filter(pk=firm.pk).update(rules_version=new_version())
    firm.refresh_from_db()
    made = _people(path, admin, faults)
    if not faults:
        _owners(path, firm, faults)
    if not faults:
        Firm.objects.filter(pk=firm.pk).update(rules_version=new_version())
        record(
            admin,
            say("filled the firm from a folder"),
            f"firm:{firm.pk}",
            after={"folder": path.name, "people": len(made)},
        )
        for member in made:
            if not member.person.has_usable_password():
                send_invitation(admin, member)


def _cure(error: Exception) -> str:
    if isinstance(error, KeyError):
        return say("The column {error} is missing.", error=error)
    if isinstance(error, InvalidOperation):
        return say("A figure in it is no number.")
    return said_by(error)


def _rows(path: Path, faults: list[Fault]) -> Iterator[tuple[int, dict[str, str]]]:
    """The rows of a table, with their numbers; nothing where there is no such file."""
    if not path.exists():
        return
    try:
        with path.open(encoding="utf-8-sig", newline="") as file:
            for number, row in enumerate(csv.DictReader(file), 2):
                yield (
                    number,
                    {
                        (key or "").strip().lower(): (value or "").strip()
                        for key, value in row.items()
                        if isinstance(value, str)
                    },
                )
    except (UnicodeDecodeError, csv.Error):
        faults.append(Fault(path.name, say("It is no CSV in UTF-8.")))


def _policy(data: dict[str, Any], firm: Firm, faults: list[Fault]) -> None:
    policy, accounts = Policy.objects.get(firm=firm), FirmAccounts.objects.get(firm=firm)
    for key, value in data.get("policy", {}).items():
        if key not in POLICY:
            faults.append(
                Fault(
                    say("firm.toml, policy"),
                    say("There is nothing called “{key}”. There is: {list}.", key=key, list=joined(", ", POLICY)),
                )
            )
            continue
        if key != "questions":
            setattr(policy, key, value)
    if "scheme" in data:
        try:
            firm.schemes.all().delete()
            starting.set_scheme(firm, data["scheme"])
        except SchemeFaults as wrong:
            faults += [
                Fault(say("firm.toml, scheme, {where}", where=fault.where), fault.words) for fault in wrong.faults
            ]
    for key, value in data.get("accounts", {}).items():
        if key not in FIRM_ACCOUNTS:
            faults.append(
                Fault(
                    say("firm.toml, accounts"),
                    say(
                        "There is nothing called “{key}”. There is: {list}.", key=key, list=joined(", ", FIRM_ACCOUNTS)
                    ),
                )
            )
            continue
        setattr(accounts, key, str(value)[:20])
    try:
        policy.full_clean(exclude=["firm"])
    except Exception as error:  # noqa: BLE001 - whatever a field has to say of its value
        faults.append(Fault(say("firm.toml, policy"), joined("; ", getattr(error, "messages", [said_by(error)]))))
        return
    policy.save()
    accounts.save()


def _dimension(firm: Firm, row: dict[str, str]) -> None:
    asked = row.get("asked") or Asked.BY_CODE.value
    if asked not in {each.value for each in Asked}:
        raise ValueError(
            say(
                "“{asked}” is not how one is asked for. There is: {asked_2}.",
                asked=asked,
                asked_2=", ".join(each.value for each in Asked),
            )
        )
    Dimension.objects.create(
        firm=firm, code=row["code"][:20], name=row["name"][:40], plural=(row.get("plural") or row["name"])[:40],
        order=firm.dimensions.count(), asked=asked, choosable=row.get("choosable", "yes") != "no",
    )  # fmt: skip


def _code(firm: Firm, row: dict[str, str]) -> None:
    if not row["code"] or not row["dimension"]:
        raise ValueError(say("It has no code or no dimension."))
    if row["dimension"] != "account" and not firm.dimensions.filter(code=row["dimension"]).exists():
        raise ValueError(say("There is no dimension “{row}” in dimensions.csv.", row=row["dimension"]))
    if Code.objects.filter(firm=firm, dimension=row["dimension"], code=row["code"]).exists():
        raise ValueError(say("{row} {row_2} stands there twice.", row=row["dimension"], row_2=row["code"]))
    code = Code.objects.create(
        firm=firm, dimension=row["dimension"], code=row["code"][:20], name=(row.get("name") or row["code"])[:80],
        asks_for=row.get("asks_for", "").split(), parent=row.get("parent", "")[:20], threshold_minor=_minor(firm, row.get("threshold", "")) or 0,
    )  # fmt: skip
    if row.get("budget"):
        Budget.objects.create(
            firm=firm, dimension=code.dimension, code=code.code, year=int(row.get("year") or 0) or _this_year(firm), amount_minor=_minor(firm, row["budget"]) or 0
        )  # fmt: skip


def _this_year(firm: Firm) -> int:
    return firm.year_of(clock.today(firm.zone))


def _category(firm: Firm, row: dict[str, str]) -> None:
    if not row["code"] or not row["name"]:
        raise ValueError(say("It has no code or no name."))
    if "/" in row["code"] or len(row["code"]) > 20:
        raise ValueError(say("“{row}” is no code: at most 20 letters, without a slash.", row=row["code"][:30]))
    if Category.objects.filter(firm=firm, code=row["code"]).exists():
        raise ValueError(say("{row} stands there twice.", row=row["code"]))
    starting.add_categories(firm, [row])
    Category.objects.filter(firm=firm, code=row["code"]).update(order=firm.categories.count())


def _rate(firm: Firm, row: dict[str, str]) -> None:
    minor = {f"{key}_minor": _minor(firm, row.get(key, "")) for key in _SUMS}
    if minor["full_minor"] is None:
        raise ValueError(say("It has no full day."))
    country = row.get("country", "").upper()
    if len(country) not in (0, 2):
        raise ValueError(say("A country is two letters, or nothing for everywhere."))
    kept = {key: value if value is not None or key == "ceiling_minor" else 0 for key, value in minor.items()}
    AllowanceRate.objects.create(
        firm=firm, town=row.get("town", "")[:80], country=country, since=_day(row.get("since", "")), **kept
    )


def _mileage(firm: Firm, row: dict[str, str]) -> None:
    rate, passenger = (Decimal(plain_number(row.get(key) or "0")) for key in ("rate", "passenger"))
    if rate <= 0 or passenger < 0:
        raise ValueError(say("A rate is above zero."))
    upper = int(row["up_to"]) if row.get("up_to") else None
    since, vehicle = _day(row.get("since", "")), (row.get("vehicle") or "car")[:20]
    kept, _ = MileageRateRow.objects.get_or_create(
        firm=firm, vehicle=vehicle, since=since, defaults={"bands": [], "passenger": passenger}
    )
    if kept.bands and (kept.bands[-1][0] is None or (upper is not None and upper <= kept.bands[-1][0])):
        raise ValueError(say("Bands stand in their order; the last has no upper end."))
    kept.bands = [*kept.bands, [upper, str(rate)]]
    kept.save(update_fields=["bands"])


def _minor(firm: Firm, text: str) -> int | None:
    if not text:
        return None
    amount = Decimal(plain_number(text, places(firm.currency)))
    if not amount.is_finite() or amount < 0:
        raise ValueError(say("“{value}” is no amount.", value=text))
    return Money.of(amount, firm.currency).minor


def _day(text: str) -> date:
    return date.fromisoformat(text) if text else SINCE


def _people(path: Path, admin: Membership, faults: list[Fault]) -> list[Membership]:
    """Make the people of people.csv (or .xlsx); they are invited once everything is right."""
    file = next((path / name for name in ("people.csv", "people.xlsx") if (path / name).exists()), None)
    if file is None:
        return []
    try:
        rows = read_people(file.read_bytes(), list(admin.firm.dimensions.values_list("name", flat=True)))
    except Unreadable as error:
        faults.append(Fault(file.name, said_by(error)))
        return []
    found = check(admin.firm, [(row.number, row.cells) for row in rows])
    for row in found:
        faults += [
            Fault(say("{file}, row {number}, {column}", file=file.name, number=row.number, column=column), words)
            for column, words in row.faults
        ]
    new = [row for row in found if row.what == NEW]
    return make_members(admin, in_order(new)) if not faults else []


def _owners(path: Path, firm: Firm, faults: list[Fault]) -> None:
    """Who owns a code, by address or name, once the people are there."""
    members = {m.person.email.lower(): m for m in Membership.objects.filter(firm=firm).select_related("person")}
    members |= {m.person.name.casefold(): m for m in list(members.values())}
    for number, row in _rows(path / "codes.csv", faults):
        if owner := row.get("owner", "").casefold():
            if owner not in members:
                faults.append(
                    Fault(
                        say("codes.csv, row {number}", number=number),
                        say("Nobody of the folder is called {owner}.", owner=row["owner"]),
                    )
                )
                continue
            Code.objects.filter(firm=firm, dimension=row["dimension"], code=row["code"]).update(owner=members[owner])
