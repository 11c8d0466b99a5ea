"""Sentences that were kept as text, known again by their messages: which message a text is made of, and with which figures."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property, lru_cache

_HOLE = re.compile(r"\{(\w+)\}")
# A text that is longer than this is no sentence of ours alone: it is shown as it stands.
MOST = 2000
# A message of so many letters of its own is known by them, whatever else a text has.
SURE = 10
# And so is one of so many letters and signs: "{shows}, allows {sum} ({why}), {proofs}".
SIGNS = 14
# One that begins with so many of its own and has a single figure leads on to a name: "Receipt taxi.jpg".
LEADS = 4
# How an amount is kept: so it is told from the name before it, which may have blanks and commas too.
AMOUNT = r"[-−]?\d[\d,]*(?:\.\d+)?(?: [A-Z]{3})?"
SUMS = ("amount", "cost", "price", "sum", "total")
# What a message begins with that goes on with a sentence.
GOES_ON = (", ", " ")


@dataclass(frozen=True, slots=True)
class Found:
    """A text as a message and its figures, each a text too. ``one`` is the message for one thing, where there is another."""

    one: str
    many: str
    number: int
    figures: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class _Form:
    written: str
    strict: str
    names: tuple[str, ...]
    one: str
    many: str
    surest: str
    weight: int
    letters: int
    led: bool

    @cached_property
    def pattern(self) -> re.Pattern[str]:
        """Made when it is first tried: there are more than a thousand, and most are never met."""
        return re.compile(self.written, re.DOTALL)

    @cached_property
    def strict_pattern(self) -> re.Pattern[str]:
        """The same, with figures alone where amounts stand."""
        return re.compile(self.strict, re.DOTALL)

    def fits(self, text: str) -> re.Match[str] | None:
        """How a text is made of it: with figures where amounts stand, else with anything."""
        found = self.pattern.fullmatch(text)
        return (self.strict_pattern.fullmatch(text) or found) if found and self.strict != self.written else found

    def says_enough(self, letters: int) -> bool:
        """Whether so many of a text's letters are the message's own that it cannot be taken for another's: "{a} from {b}" fits too
        much.
        """
        share = 2 if not self.led else 5 if len(self.names) == 1 else 3
        return self.letters >= SURE or self.weight >= SIGNS or self.letters * share >= letters


class Messages:
    """Every message there is, to find those that a text may be made of: the one that says most of the text by itself first."""

    def __init__(self, pairs: Iterable[tuple[str, str]]) -> None:
        self._plain: dict[str, tuple[str, str]] = {}
        forms: list[_Form] = []
        for one, many in pairs:
            for message in dict.fromkeys((one, many)):
                if _HOLE.search(message):
                    forms += [form for form in (_form(message, one, many),) if form is not None]
                else:
                    self._plain.setdefault(message, (one, many))
        self._forms = sorted(forms, key=lambda form: -form.weight)
        self._going_on = {sign: [form for form in self._forms if form.many.startswith(sign)] for sign in GOES_ON}
        self.find = lru_cache(maxsize=20_000)(self._find)

    def _find(self, text: str, sign: str = "") -> Found | None:
        """Return what ``text`` is made of; None where no message fits. ``sign``: of those that begin with it alone."""
        text = f"{sign}{text}"
        if (plain := self._plain.get(text)) is not None:
            return Found(plain[0], plain[1], 1 if text == plain[0] else 2)
        if len(text) > MOST:
            return None
        letters = sum(map(str.isalpha, text))
        for form in self._going_on[sign] if sign else self._forms:
            if form.surest in text and form.says_enough(letters) and (fits := form.fits(text)):
                figures = dict(zip(form.names, fits.groups(), strict=True))
                count = figures.get("count", "")
                number = int(count.replace(",", "")) if count.replace(",", "").isdigit() else 2
                return Found(form.one, form.many, number, figures)
        return None


def _form(message: str, one: str, many: str) -> _Form | None:
    pieces = _HOLE.split(message)
    literals, names = pieces[::2], pieces[1::2]
    said = [each.replace("{{", "{").replace("}}", "}") for each in literals]
    surest = max(said, key=len)
    # Too little is said by the message itself to be known again by it: "{a}: {b}" would fit any text with a colon.
    letters = sum(map(str.isalpha, "".join(said)))
    if letters < 2:
        return None
    pattern, strict, seen = "", "", set()
    for literal, name in zip(said, [*names, ""], strict=True):
        pattern, strict = pattern + re.escape(literal), strict + re.escape(literal)
        if name:
            # What follows a word at once goes on with a part of a sentence where there is one: "{title} is late{for_whom}".
            goes_on = pattern and (not literal or literal[-1].isalnum())
            fits = r"\d[\d,]*" if name == "count" else ".*?" if goes_on else ".+?"
            figure = AMOUNT if name.endswith(SUMS) else fits
            pattern += f"(?P<{name}>{fits})" if name not in seen else f"(?P={name})"
            strict += f"(?P<{name}>{figure})" if name not in seen else f"(?P={name})"
            seen.add(name)
    kept = tuple(dict.fromkeys(names))
    return _Form(
        pattern,
        strict,
        kept,
        one,
        many,
        surest,
        sum(map(len, said)),
        letters,
        len(said[0].strip()) >= LEADS,
    )
