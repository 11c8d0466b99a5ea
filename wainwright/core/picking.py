"""Finding one of many by any part of its code or name, whatever dashes, spaces and capitals are typed."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from wainwright.core.said import say

_PASSED_OVER = re.compile(r"[\W_]+")


def folded(text: str) -> str:
    """A text as it is compared: no marks, no accents, no capitals."""
    plain = unicodedata.normalize("NFKD", text.casefold())
    return _PASSED_OVER.sub("", "".join(c for c in plain if not unicodedata.combining(c)))


@dataclass(frozen=True)
class PickList:
    """What can be picked, as (code, name); found in one pass over texts that are folded once."""

    rows: tuple[tuple[str, str], ...]
    with_codes: bool = True
    _texts: tuple[str, ...] = field(init=False, repr=False, compare=False)
    _names: dict[str, str] = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "_texts", tuple(f"{folded(code)}\n{folded(name)}" for code, name in self.rows))
        object.__setattr__(self, "_names", dict(self.rows))

    @classmethod
    def of(cls, rows: Iterable[tuple[str, str]], with_codes: bool = True) -> PickList:
        """Build one from any rows; ``with_codes`` says whether people read the codes beside the names."""
        return cls(tuple(rows), with_codes)

    def words(self, code: str) -> str:
        """A code with its name, or its name alone; a code that is not in the list stands for itself."""
        name = self._names.get(code)
        if name is None:
            return code
        if name.casefold() == code.casefold():
            return name
        return f"{code} {name}" if self.with_codes else name

    def first(self, recent: Sequence[str], most: int) -> list[str]:
        """The codes to offer before anything is typed: those used last, then the list's first."""
        known = [code for code in recent if code in self._names]
        return list(dict.fromkeys([*known, *(code for code, _ in self.rows[:most])]))[:most]

    def find(self, text: str, most: int = 0) -> list[str]:
        """The codes that fit a text, the best first: the code itself, its beginning, then any part of code or name.

        ``most`` above 0 stops at so many.
        """
        wanted = folded(text)
        if not wanted:
            return []
        exact: list[str] = []
        begins: list[str] = []
        parts: list[str] = []
        for (code, _), hay in zip(self.rows, self._texts, strict=True):
            if wanted not in hay.replace("\n", "") and wanted not in hay:
                continue
            own, _, name = hay.partition("\n")
            kind = exact if wanted in (own, name, own + name) else begins if own.startswith(wanted) else parts
            kind.append(code)
        found = [*exact, *begins, *parts]
        return found[:most] if most else found

    def exact(self, text: str) -> str:
        """The one code that a text is: as its code, its name, both, or what fits it alone. Raises ``Several``, ``Nothing``."""
        stripped = " ".join(text.split())
        for code, name in self.rows:
            if stripped in (code, f"{code} {name}", name if not self.with_codes else code):
                return code
        wanted, found = folded(text), self.find(text)
        same = [
            code
            for code in found
            if wanted in (folded(code), folded(self._names[code]), folded(code + self._names[code]))
        ]
        if len(same) == 1 or len(found) == 1:
            return (same or found)[0]
        if found:
            raise Several(found)
        raise Nothing(text)


class Several(ValueError):
    """A text fits several codes; ``codes`` are those."""

    def __init__(self, codes: Sequence[str]) -> None:
        super().__init__(say("fits several"))
        self.codes = list(codes)


class Nothing(ValueError):
    """A text fits no code."""
