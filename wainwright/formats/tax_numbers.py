"""The country that a tax number on a paper names: the prefix of EU numbers, the Norwegian and Swiss forms."""

from __future__ import annotations

import re

# Council Directive 2006/112/EC, article 215 (EL is Greece, XI Northern Ireland), and the forms of tax authorities next door.
_EU = re.compile(
    r"\b(AT|BE|BG|CY|CZ|DE|DK|EE|EL|ES|FI|FR|GB|HR|HU|IE|IT|LT|LU|LV|MT|NL|PL|PT|RO|SE|SI|SK|XI) ?((?:[0-9A-Z][ .-]?){8,12})(?![0-9A-Z])"
)
_NORWEGIAN = re.compile(r"(?<!\d)(?:\d{3}[ .]?){2}\d{3} ?MVA\b")
_SWISS = re.compile(r"\bCHE[- ]?\d{3}\.?\d{3}\.?\d{3}\b")
_LEAST_DIGITS = 7
_OTHER_NAME = {"EL": "GR", "XI": "GB"}


def country_of_tax_number(text: str) -> str:
    """Return the country (ISO 3166) of the first tax number in a line of text, nothing where there is none."""
    upper = text[:300].upper()
    if _NORWEGIAN.search(upper):
        return "NO"
    if _SWISS.search(upper):
        return "CH"
    for match in _EU.finditer(upper):
        if sum(each.isdigit() for each in match.group(2)) >= _LEAST_DIGITS:
            return _OTHER_NAME.get(match.group(1), match.group(1))
    return ""
