"""What a bank takes as text: the character set of SEPA credit transfers, and what other writing becomes in it."""

from __future__ import annotations

import re

from text_unidecode import unidecode

# EPC217-08, SEPA Requirements for an Extended Character Set, section 1.4: what every bank must take.
_TAKEN = re.compile(r"[A-Za-z0-9](?:[A-Za-z0-9\-?:().,'+]| (?! ))*(?<! )")
_REFUSED = re.compile(r"[^A-Za-z0-9/\-?:().,'+ ]+")


def bank_text(text: str, most: int, instead: str) -> str:
    """Return ``text`` as a bank takes it: other scripts in Latin letters, what has none left out, ``most`` characters.

    ``instead`` stands where nothing is left (an emoji alone, an empty name). It never begins or ends with a slash and
    has no two in a row, as the rulebook asks.
    """
    if _TAKEN.fullmatch(text) and len(text) <= most:
        return text
    latin = _REFUSED.sub(" ", unidecode(text))
    words = " ".join(re.sub(r"/{2,}", "/", latin).split())[:most].strip(" /")
    return words if re.search(r"[A-Za-z0-9]", words) else instead
