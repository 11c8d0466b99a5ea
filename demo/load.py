"""Loads the demo world through the application's own services, so that every figure, state and entry is true."""

from __future__ import annotations

import csv
import tomllib
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import date, timedelta
from decimal import Decimal
from functools import partial
from pathlib import Path
from typing import Any

from django.contrib.auth.hashers import make_password
from django.db import transaction
from huey.contrib.djhuey import HUEY

from demo import asking, bank, house, laying_down, northern, papers
from demo.beside import Beside, beside
from demo.enclosing import letters_later
from demo.story import Story
from wainwright import clock
from wainwright.accounts.kept import keep_split
from wainwright.accounts.models import Budget, Code, Dimension, FirmAccounts
from wainwright.accounts.selectors import books, read_coding
from wainwright.claims.models import Claim
from wainwright.claims.services.splitting import split_claim
from wainwright.core.splits import SplitPart
from wainwright.expenses.models import Charge
from wainwright.expenses.services import receipts, taking
from wainwright.founding import starting
from wainwright.people.models import Card, Firm, Membership, Person, Vehicle, new_version
from wainwright.rulebook.models import (
    AllowanceRate,
    Category,
    ExchangeRate,
    MileageRateRow,
    Policy,
)
from wainwright.rulebook.questions import from_data
from wainwright.staff.services import set_delegate
from wainwright.standins.ledger.models import ClosedPeriod, LedgerCode
from wainwright.trips.services import road

WORLD = Path(__file__).parent / "world"
PASSWORD = "harbour-tide-9"
SINCE = date(2025, 1, 1)
PER_EURO = {"NOK": "11.6350", "GBP": "0.8710", "SEK": "11.2400", "DKK": "7.4610", "PLN": "4.2650", "USD": "1.0920"}


def rows(name: str) -> Iterator[dict[str, str]]:
    """Read a CSV file of the world."""
    with (WORLD / name).open(encoding="utf-8") as file:
        yield from csv.DictReader(file)


def toml(name: str) -> dict[str, Any]:
    """Read a TOML file of the world."""
    return tomllib.loads((WORLD / name).read_text(encoding="utf-8"))


@contextmanager
def _no_queue() -> Iterator[None]:
    """Let queued work be done at once, in the moment that is being built."""
    before, HUEY.immediate = HUEY.immediate, True
    try:
        yield
    finally:
        HUEY.immediate = before


def here() -> date:
    """Return the day that it is at the first firm; the whole world is told from there."""
    return clock.today(toml("firms.toml")["ltd"]["zone"])


def load_bare() -> dict[str, Membership]:
    """Load firms, people and codes, without any history; return the people by their short names."""
    people = _load_bare()
    _let_in(make_password(PASSWORD))
    return people


@transaction.atomic
def _load_bare() -> dict[str, Membership]:
    today = here()
    firms = load_firms(today)
    people = load_people(firms, today)
    load_codes(firms, people, today)
    return people


def _let_in(hashed: str) -> None:
    """Let everybody sign in with the same password."""
    Person.objects.update(password=hashed)


def load(tour: Path | None = None) -> dict[str, Membership]:
    """Load everything up to today; return the people by their short names. The papers of the tour are written into a folder."""
    with beside() as work:
        if tour is not None:
            work.drawn(partial(write_papers, tour), papers.of_tour, tour_days()[0])
        work.later(_let_in, make_password, PASSWORD)
        with letters_later(work) as promised:
            people = _load(work)
        work.settle()
        promised.keep()
    return people


def _load(work: Beside) -> dict[str, Membership]:
    people, today = _load_bare(), here()
    with _no_queue():
        stories = [Story(row, people, today, work) for row in toml("trips.toml")["trip"]]
        for story in stories:
            story.go()
        road.move_along(clock.now())
        for story in stories:
            story.come_back()
        northern.tell(people["maren"], today)
        house.tell(people["jonas"], today)
        _split_and_shared(people, today)
        bank.tell(people, today)
        laying_down.tell(people, today)
    _loose(people["maren"], today)
    _loose(people["jonas"], today)
    # Left to the worker, as papers are that somebody sends: they are read while the first page is looked at.
    _papers(people["maren"], today)
    with _no_queue():
        taking.mark_personal(
            people["jonas"], Charge.objects.get(owner=people["jonas"], merchant__startswith="GAMLE").pk
        )
    Firm.objects.update(rules_version=new_version())
    with _no_queue():
        asking.tell(people)
    return people


def _split_and_shared(people: dict[str, Membership], today: date) -> None:
    """A split that finance shares, in use on a claim; and somebody who prepares for somebody else."""
    ledger = books(people["maren"].firm)
    parts = [
        SplitPart(read_coding(text, ledger), Decimal(share))
        for text, share in (("3120 / P-0417 / field", 60), ("3140", 40))
    ]
    keep_split(people["priya"], "Field and boats", parts, shared=True)
    claim = Claim.objects.get(claimant=people["maren"], state="Open")
    split_claim(people["maren"], claim.pk, "category:lodging", "Lodging", parts, None)
    set_delegate(people["maren"], people["aiko"].pk, today, today + timedelta(days=60))


def load_firms(today: date) -> dict[str, Firm]:
    """Load the firms with their policy, schemes, rates, categories and rules."""
    data, firms = toml("firms.toml"), {}
    for slug in ("ltd", "norge"):
        row = data[slug]
        firm = firms[slug] = Firm.objects.create(
            slug=slug,
            **{k: row[k] for k in ("name", "country", "currency", "zone", "iban", "bic", "address")},
            language=row.get("language", "en"),
        )
        Policy.objects.create(
            firm=firm, **{k: row[k] for k in ("terms", "trip_signoff", "quarters", "kin", "goes_on_days")},
            transfer_km=Decimal("0.45") if row["currency"] == "EUR" else Decimal("5.20"),
            transfer_least=Decimal(3) if row["currency"] == "EUR" else Decimal(35),
            second_payer_minor=200_000 if row["currency"] == "EUR" else 2_000_000,
        )  # fmt: skip
        starting.set_scheme(firm, data["schemes"][row["scheme"]])
        FirmAccounts.objects.create(firm=firm, **data["accounts"])
        starting.set_rules(firm, SINCE)
        starting.set_categories(firm, {row["code"]: row for row in rows("categories.csv")})
        from_data(firm, row["questions"])
        scale = starting.factor(firm.currency)
        bands = [[5000, "0.42"], [None, "0.28"]] if scale == 1 else [[None, "4.90"]]
        MileageRateRow.objects.create(
            firm=firm, vehicle="car", since=SINCE, bands=bands, passenger=Decimal("0.04") * scale
        )
        for vehicle, rate in (("motorcycle", "0.24"), ("bicycle", "0.08")):
            amount = str(Decimal(rate) * scale)
            MileageRateRow.objects.create(firm=firm, vehicle=vehicle, since=SINCE, bands=[[None, amount]])
    for r in rows("rates.csv"):
        minor = {
            k: int(Decimal(r[k] or 0) * 100) for k in ("full", "breakfast", "lunch", "dinner", "incidentals", "ceiling")
        }
        AllowanceRate.objects.create(
            firm=firms[r["firm"]],
            town=r["town"],
            country=r["country"],
            since=SINCE,
            **{f"{k}_minor": v for k, v in minor.items()},
        )
    ExchangeRate.objects.bulk_create(
        ExchangeRate(
            day=today - timedelta(days=ago),
            currency=currency,
            per_euro=Decimal(rate) * (Decimal(1) + Decimal(4 - abs((ago + later) % 16 - 8)) / 2000),
            source="Brackwater table",
        )
        for ago in range(100)
        for later, (currency, rate) in enumerate(PER_EURO.items())
    )
    return firms


def load_people(firms: dict[str, Firm], today: date) -> dict[str, Membership]:
    """Load the people with their roles, managers, cards and vehicles."""
    people: dict[str, Membership] = {}
    records = list(rows("people.csv"))
    for r in records:
        person = Person.objects.create(email=r["email"], name=r["name"])
        roles = dict.fromkeys(r["roles"].split(), True)
        people[r["key"]] = Membership.objects.create(
            firm=firms[r["firm"]], person=person, job=r["job"], **{"traveller": False, **roles},
            limit_minor=int(r["limit"]) * 100 if r["limit"] else None, codes=[pair.split(":") for pair in r["coding"].split()],
            home_code=r["home"], iban=r["iban"], mail_name=r["key"],
        )  # fmt: skip
    for r in records:
        member = people[r["key"]]
        if r["manager"]:
            member.manager = people[r["manager"]]
            member.save()
        if r["card"]:
            Card.objects.create(
                owner=member, last_four=r["card"], issuer="Quayside Card", expires=today + timedelta(days=400)
            )
        if member.traveller:
            Vehicle.objects.create(owner=member, plate=f"26-C-{1000 + member.pk}", kind="car")
    Membership.objects.create(
        firm=firms["norge"], person=people["benedikt"].person, job="Auditor", traveller=False, auditor=True
    )
    return people


def load_codes(firms: dict[str, Firm], people: dict[str, Membership], today: date) -> None:
    """Load dimensions, codes and budgets, here and in the ledger stand-in; one project is closed there already."""
    for order, r in enumerate(rows("dimensions.csv")):
        Dimension.objects.create(
            firm=firms[r["firm"]], code=r["code"], name=r["name"], plural=r["plural"], order=order, asked=r["asked"],
            choosable=r["choosable"] == "yes",
        )  # fmt: skip
    for r in rows("codes.csv"):
        firm, asks = firms[r["firm"]], r["asks_for"].split()
        Code.objects.create(
            firm=firm, dimension=r["dimension"], code=r["code"], name=r["name"], asks_for=asks, parent=r["parent"],
            owner=people[r["owner"]] if r["owner"] else None, threshold_minor=int(r["threshold"] or 0) * 100,
        )  # fmt: skip
        closed = today - timedelta(days=int(r["ledger_closed_days_ago"])) if r["ledger_closed_days_ago"] else None
        LedgerCode.objects.create(
            firm=firm.slug,
            dimension=r["dimension"],
            code=r["code"],
            name=r["name"],
            parent=r["parent"],
            open_until=closed,
            asks_for=asks,
        )
        if r["budget"]:
            for year in (today.year - 1, today.year, today.year + 1):
                Budget.objects.create(
                    firm=firm, dimension=r["dimension"], code=r["code"], year=year, amount_minor=int(r["budget"]) * 100
                )
    for firm in firms.values():
        accounts = dict(Category.objects.filter(firm=firm).values_list("account", "name"))
        for code, name in toml("firms.toml")["accounts"].items():
            accounts[name] = code.replace("_", " ").capitalize()
        Code.objects.bulk_create(
            Code(firm=firm, dimension="account", code=code, name=name) for code, name in accounts.items()
        )
        LedgerCode.objects.bulk_create(
            LedgerCode(firm=firm.slug, dimension="account", code=code, name=name) for code, name in accounts.items()
        )
        # Closed before the oldest posting of the history.
        month = f"{today - timedelta(days=115):%Y-%m}"
        ClosedPeriod.objects.create(firm=firm.slug, month=month)


def _loose(member: Membership, today: date) -> None:
    """Leave charges loose in the tray, some of them weeks old."""
    card = member.cards.first()
    for number, (ago, merchant, amount) in enumerate(
        (
            (9, "GAMLE KINO BERGEN", 1600),
            (12, "LAB OG LODD 2231", 4380),
            (11, "HAVNEKROA FLORO", 14840),
            (33, "SKERRY AIR 70455", 3900),
        )
    ):
        Charge.objects.create(
            firm=member.firm, owner=member, card=card, bank_id=f"loose-{member.pk}-{number}", date=today - timedelta(days=ago),
            merchant=merchant, currency=member.firm.currency, amount_minor=amount,
        )  # fmt: skip


def _papers(member: Membership, today: date) -> None:
    """Leave papers in the tray that the machine reads now: two good ones, one blurred, one that is no receipt at all."""

    def day(ago: int) -> str:
        return f"{today - timedelta(days=ago):%d.%m.%Y}"

    lab = papers.Printed(
        (
            "LAB & LODD",
            "Lodd gate 3, Bergen",
            f"{day(12)} 10:41",
            ("Calibration salts", "43.80"),
            ("TOTAL EUR", "43.80"),
            "Card **** 4410",
        )
    )
    taxi = papers.Printed(("PIER TAXI", day(8), ("Pier to airport", "19.60"), ("TOTAL EUR", "19.60")))
    kroa = papers.Printed(("HAVNEKROA", "Florø", f"{day(11)} 20:15", ("4 dinners", "148.40"), ("TOTAL EUR", "148.40")))
    for name, content in (
        ("lab-og-lodd.jpg", papers.photo(lab, turn=-2)), ("pier-taxi.png", papers.clean_png(taxi)),
        ("havnekroa.jpg", papers.photo(kroa, turn=4, seed=7)), ("unclear.jpg", papers.photo(papers.Printed(("", "", "")), turn=9, seed=3)),
    ):  # fmt: skip
        receipts.take_in(member, name, content)


def write_papers(folder: Path, files: dict[str, bytes]) -> list[Path]:
    """Write the papers of the tour; return where they lie."""
    folder.mkdir(parents=True, exist_ok=True)
    for name, content in files.items():
        (folder / name).write_bytes(content)
    return [folder / name for name in files]


def tour_days() -> tuple[date, date]:
    """Return the Monday and the Friday that the tour travels: three weeks from this week."""
    first = here() + timedelta(days=21 - here().weekday())
    return first, first + timedelta(days=4)
