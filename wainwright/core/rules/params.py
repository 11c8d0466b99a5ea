"""What a kind of rule is given: parameters with a type, and how what was typed is read."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from typing import Literal

from wainwright.core.money import Money
from wainwright.core.said import joined, said_by, say, small
from wainwright.core.workings import as_number

Type = Literal["money", "days", "count", "percent", "km", "choice", "yes", "words"]
# How far a number of each type goes, and what stands behind it on a form.
LIMITS: Mapping[str, tuple[int, int]] = {
    "days": (0, 3660), "count": (0, 1000), "percent": (0, 1000), "km": (0, 100_000), "money": (0, 10_000_000),
}  # fmt: skip
UNITS = {"days": say("days"), "percent": "%", "km": "km"}
MOST_LETTERS = 300


@dataclass(frozen=True, slots=True)
class Param:
    """One parameter of a kind: its name in the data, its type, its words on a form, and what it is unless said.

    ``needed``: without it the kind cannot be run. ``choices`` are (value, words) of a choice.
    """

    name: str
    type: Type
    label: str
    default: str = ""
    help: str = ""
    needed: bool = True
    choices: tuple[tuple[str, str], ...] = ()

    @property
    def unit(self) -> str:
        """What stands behind its number; nothing for an amount, which is in the firm's currency."""
        return UNITS.get(self.type, "")

    def say(self, value: str, currency: str) -> str:
        """Return a value in words, as it stands beside a rule; nothing where nothing is said."""
        if not value or (self.type == "yes" and value != "yes"):
            return ""
        if self.type == "yes":
            return self.label
        if self.type == "choice":
            return joined("", (self.label, ": ", dict(self.choices).get(value, value)))
        unit = currency if self.type == "money" else self.unit
        return joined("", (self.label, ": ", as_number(value), " " if unit else "", unit))


class ParamFaults(ValueError):
    """What of some parameters cannot be used, each by its name."""

    def __init__(self, faults: Mapping[str, str]) -> None:
        super().__init__(joined("; ", (joined("", (name, ": ", words)) for name, words in faults.items())))
        self.faults = dict(faults)


def read_params(params: Collection[Param], typed: Mapping[str, str], currency: str) -> dict[str, str]:
    """Return what was typed as the data of a setting holds it: plain decimals, "yes", the value of a choice.

    What may be empty and is, is left out; a choice that is not made is its default. Raises ``ParamFaults`` with everything that is wrong; a name that the kind does
    not know is wrong too.
    """
    known = {param.name: param for param in params}
    faults = {name: say("This kind of rule has no {name}.", name=name) for name in typed if name not in known}
    read: dict[str, str] = {}
    for param in params:
        text = " ".join(str(typed.get(param.name, "")).split())
        text = text or (param.default if param.type == "choice" else "")
        if not text:
            if param.needed and param.type != "yes":
                faults[param.name] = say("Say {param_label}.", param_label=small(param.label))
            continue
        try:
            value = _value(param, text, currency)
        except ValueError as error:
            faults[param.name] = said_by(error)
            continue
        if value:
            read[param.name] = value
    if faults:
        raise ParamFaults(faults)
    return read


def _value(param: Param, text: str, currency: str) -> str:
    if param.type == "yes":
        if text.lower() not in ("yes", "no", "on"):
            raise ValueError(say("Say yes or no."))
        return "" if text.lower() == "no" else "yes"
    if param.type == "choice":
        if text not in dict(param.choices):
            raise ValueError(say("Choose one of: {choices}.", choices=", ".join((value for value, _ in param.choices))))
        return text
    if param.type == "words":
        if len(text) > MOST_LETTERS:
            raise ValueError(say("At most {most_letters} letters.", most_letters=MOST_LETTERS))
        return text
    return _number(param, text, currency)


def _number(param: Param, text: str, currency: str) -> str:
    least, most = LIMITS[param.type]
    try:
        number = Decimal(text)
    except InvalidOperation:
        number = Decimal("NaN")
    if not number.is_finite():
        raise ValueError(say("“{value}” is no number.", value=text[:20]))
    if not least <= number <= most:
        raise ValueError(say("Between {least} and {most}, please.", least=least, most=most))
    if param.type == "money":
        amount = Money.rounded(number, currency)
        if amount.amount != number:
            raise ValueError(
                say(
                    "{value} is counted in steps of {amount}.",
                    value=currency,
                    amount=Money.from_minor(1, currency).amount,
                )
            )
        return str(amount.amount)
    if param.type != "percent" and number != number.to_integral_value():
        raise ValueError(say("A whole number, please."))
    return f"{number.normalize():f}"
