"""Text of strangers: what of it is kept, the same at every border where it comes in or goes out."""

from __future__ import annotations

import re
import unicodedata
from decimal import Decimal, InvalidOperation
from typing import Any

# Characters that are no writing: controls, lone surrogates, code points that Unicode will never give (Unicode 15, 23.7),
# and marks that turn the order of reading around.
_TURNING = frozenset("\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069")
_NOT_WRITING = frozenset({"Cc", "Cs"})


_NUMBER = re.compile(r"[+-]?(?:[0-9]{1,15}(?:\.[0-9]{0,12})?|\.[0-9]{1,12})")


def decimal(text: str) -> Decimal:
    """Return a number written in digits with a point, of a size that money can have.

    Raises ``InvalidOperation`` for anything else: exponents, words for numbers that are none, other scripts' digits.
    """
    text = text.strip()
    if not _NUMBER.fullmatch(text):
        raise InvalidOperation
    return Decimal(text)


def clean(text: str) -> str:
    """Return ``text`` with what is no writing left out; lines and tabs stay, line ends are one sign, NFC."""
    lines = text.replace("\r\n", "\n").replace("\r", "\n")
    return unicodedata.normalize("NFC", "".join(c for c in lines if c in "\n\t" or _is_writing(c)))


def one_line(text: str, most: int | None = None) -> str:
    """Return ``text`` cleaned and in one line, at most ``most`` characters: for subjects, headers, names of files."""
    return " ".join(clean(text).split())[:most]


def clean_data(data: Any) -> Any:
    """Return data of a file (mappings, lists, text) with every text in it cleaned to one line."""
    if isinstance(data, str):
        return one_line(data)
    if isinstance(data, dict):
        return {name: clean_data(value) for name, value in data.items()}
    if isinstance(data, list | tuple):
        return [clean_data(value) for value in data]
    return data


def _is_writing(c: str) -> bool:
    return not (
        unicodedata.category(c) in _NOT_WRITING
        or c in _TURNING
        or ord(c) & 0xFFFE == 0xFFFE
        or 0xFDD0 <= ord(c) <= 0xFDEF
    )
