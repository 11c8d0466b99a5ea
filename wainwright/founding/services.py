"""Acts that set a firm up: founding it, its letters and bank, its first rates."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import date
from decimal import Decimal
from zoneinfo import available_timezones

from babel import Locale
from django.db import IntegrityError, transaction
from django.utils.text import slugify
from stdnum import bic as bics
from stdnum import iban as ibans
from stdnum.exceptions import ValidationError as NotValid

from wainwright import clock
from wainwright.accounts.models import FirmAccounts
from wainwright.core.money import Money
from wainwright.core.said import joined, say
from wainwright.core.text import one_line
from wainwright.errors import Refusal
from wainwright.expenses.models import Expense
from wainwright.formats.countries import countries
from wainwright.founding import starting
from wainwright.language import ENGLISH, LANGUAGES
from wainwright.people.may import must
from wainwright.people.models import Firm, Membership, new_version
from wainwright.rulebook.models import AllowanceRate, MileageRateRow, Policy
from wainwright.staff.inviting import first_administrator
from wainwright.trail.services import record

SHORT = 2
RESERVED = {"new"}
_ENGLISH = Locale("en")
# Long before anything that a new firm is told of.
SINCE = date(2020, 1, 1)


@dataclass(frozen=True)
class FirmData:
    """A firm as it is set up; the country by ISO 3166, the currency by ISO 4217, the zone by IANA."""

    name: str
    country: str
    currency: str
    zone: str
    address: str = ""
    letter_foot: str = ""
    iban: str = ""
    bic: str = ""
    year_begins: int = 1
    language: str = ENGLISH


def right(data: FirmData) -> FirmData:
    """Return the data as it is kept. Raises ``Refusal`` naming the field."""
    name = one_line(data.name, 120).strip()
    if len(name) < SHORT:
        raise Refusal(say("Type the firm's name, as it stands on letters."), "name")
    country, currency = data.country.strip().upper(), data.currency.strip().upper()
    if country not in countries():
        raise Refusal(say("Choose a country by its two letters, as IE."), "country")
    if len(currency) != 3 or currency not in _ENGLISH.currencies:
        raise Refusal(say("Choose a currency by its three letters, as EUR."), "currency")
    if data.zone not in available_timezones() or "/" not in data.zone:
        raise Refusal(say("Choose a time zone, as Europe/Dublin."), "zone")
    if not 1 <= data.year_begins <= 12:
        raise Refusal(say("Choose the month in which the fiscal year begins."), "year_begins")
    if data.language not in dict(LANGUAGES):
        raise Refusal(
            say(
                "Choose the language of letters: {list}.",
                list=joined(", ", (f"{code} ({name})" for code, name in LANGUAGES)),
            ),
            "language",
        )
    iban, bic = data.iban, data.bic
    try:
        iban = str(ibans.validate(iban)) if iban.strip() else ""
    except NotValid as error:
        raise Refusal(say("That is no IBAN: its check digits do not fit."), "iban") from error
    try:
        bic = str(bics.validate(bic)) if bic.strip() else ""
    except NotValid as error:
        raise Refusal(say("That is no BIC: eight or eleven letters and digits."), "bic") from error
    return FirmData(
        name, country, currency, data.zone, one_line(data.address, 200), one_line(data.letter_foot, 200), iban, bic, data.year_begins, data.language
    )  # fmt: skip


@transaction.atomic
def found(data: FirmData, name: str, email: str, by: Membership | None = None) -> Membership:
    """Found a firm with what every firm starts with, and its first administrator, who gets a link to sign in.

    ``by`` is an administrator of another firm here, who becomes that administrator where ``email`` is their own; nobody where
    it is founded by a command on the machine. Raises ``NotAllowed``, ``Refusal``.
    """
    if by is not None:
        must(by, "firm")
    data = right(data)
    if Firm.objects.filter(name__iexact=data.name).exists():
        raise Refusal(say("{data} is here already.", data=data.name), "name")
    try:
        with transaction.atomic():
            firm = Firm.objects.create(slug=_slug(data.name), **asdict(data))
    except IntegrityError as error:
        raise Refusal(say("That firm was founded a moment ago."), "name") from error
    today = clock.today(firm.zone)
    Policy.objects.create(firm=firm, terms=starting.TERMS)
    starting.set_scheme(firm)
    FirmAccounts.objects.create(firm=firm)
    starting.set_dimensions(firm)
    starting.set_rules(firm, min(SINCE, today))
    starting.set_categories(firm)
    member = first_administrator(firm, name, email, by)
    record(
        member, say("founded the firm"), f"firm:{firm.pk}", after=asdict(data) | {"administrator": member.person.name}
    )
    return member


def _slug(name: str) -> str:
    """A short name for addresses that no firm has."""
    base = slugify(name)[:40] or "firm"
    taken = set(Firm.objects.filter(slug__startswith=base).values_list("slug", flat=True)) | RESERVED
    return base if base not in taken else next(f"{base}-{n}" for n in range(2, 10_000) if f"{base}-{n}" not in taken)


@transaction.atomic
def set_firm(by: Membership, data: FirmData) -> Firm:
    """Set a firm's letters, bank and fiscal year. Country and currency stay once something is reckoned in them.

    Raises ``NotAllowed``, ``Refusal``.
    """
    must(by, "firm")
    data = right(data)
    firm = Firm.objects.select_for_update(no_key=True).get(pk=by.firm_id)
    if Firm.objects.filter(name__iexact=data.name).exclude(pk=firm.pk).exists():
        raise Refusal(say("Another firm here is called {data}.", data=data.name), "name")
    if (data.currency, data.country) != (firm.currency, firm.country) and in_use(firm):
        field = "currency" if data.currency != firm.currency else "country"
        raise Refusal(
            say("Trips or claims are reckoned in {currency} already: set up another firm.", currency=firm.currency),
            field,
        )
    before = {key: getattr(firm, key) for key in asdict(data)}
    if before == asdict(data):
        return firm
    if data.currency != firm.currency:
        _in_other_money(firm, data.currency)
    for key, value in asdict(data).items():
        setattr(firm, key, value)
    firm.rules_version = new_version()
    firm.save()
    changed = [key for key, value in asdict(data).items() if before[key] != value]
    record(
        by, say("set the firm up"), f"firm:{firm.pk}", before={key: before[key] for key in changed}, after={key: getattr(firm, key) for key in changed}
    )  # fmt: skip
    return firm


def in_use(firm: Firm) -> bool:
    """Whether something is reckoned in the firm's currency already. Three queries."""
    return firm.trips.exists() or firm.claims.exists() or Expense.objects.filter(firm=firm).exists()


def _in_other_money(firm: Firm, currency: str) -> None:
    """Put the rules that ship into another currency; rates that were typed are no rates of it. Inside the caller's transaction."""
    firm.currency = currency
    firm.rules.all().delete()
    starting.set_rules(firm, SINCE)
    firm.allowance_rates.all().delete()
    firm.mileage_rates.all().delete()


@dataclass(frozen=True)
class FirstRates:
    """What a day away, its meals, a night and a kilometre come to, anywhere, in the firm's currency."""

    full: Decimal
    breakfast: Decimal
    lunch: Decimal
    dinner: Decimal
    ceiling: Decimal
    car: Decimal


@transaction.atomic
def set_first_rates(by: Membership, rates: FirstRates) -> None:
    """Set the rates that hold anywhere, from the first day on; those of places and from later days are not touched.

    Raises ``NotAllowed``, ``Refusal``.
    """
    must(by, "firm")
    firm = Firm.objects.select_for_update(no_key=True).get(pk=by.firm_id)
    for key, value in asdict(rates).items():
        if value < 0:
            raise Refusal(say("An amount below zero means nothing here."), key)
    if rates.breakfast + rates.lunch + rates.dinner > rates.full:
        raise Refusal(say("The meals come to more than the day."), "full")
    if in_use(firm) and firm.allowance_rates.filter(country="", town="").exists():
        raise Refusal(say("They are in use already: what is reckoned by them would change."), "full")
    minor = {
        f"{key}_minor": Money.rounded(value, firm.currency).minor for key, value in asdict(rates).items() if key != "car"
    }  # fmt: skip
    AllowanceRate.objects.update_or_create(firm=firm, country="", town="", since=SINCE, defaults=minor)
    MileageRateRow.objects.update_or_create(
        firm=firm, vehicle="car", since=SINCE, defaults={"bands": [[None, str(rates.car)]]}
    )
    Firm.objects.filter(pk=firm.pk).update(rules_version=new_version())
    record(
        by,
        say("set the first rates"),
        f"firm:{firm.pk}",
        after={key: str(value) for key, value in asdict(rates).items()},
    )
