"""What people type about a journey in their own language, brought to the words that are understood: "ferge florø ons 7:30".

Only words that say something to the reader of such lines are brought over; names of places stay as they are typed.
"""

from __future__ import annotations

import re
from functools import cache

from wainwright.formats.gazetteer import folded

_NORWEGIAN = {
    "nattog": "night train", "tog": "train", "ferge": "ferry", "ferje": "ferry", "båt": "boat", "hurtigbåt": "boat", "buss": "bus",
    "drosje": "taxi", "leiebil": "hire car", "leid bil": "hire car", "egen bil": "own car", "bilen min": "own car", "min bil": "own car",
    "bil": "car", "kjøre": "drive", "kjører": "drive", "til fots": "on foot", "gå": "walk", "går": "walk", "flyr": "fly",
    "mandag": "mon", "man": "mon", "tirsdag": "tue", "tir": "tue", "tirs": "tue", "onsdag": "wed", "ons": "wed", "torsdag": "thu",
    "tor": "thu", "tors": "thu", "fredag": "fri", "fre": "fri", "lørdag": "sat", "lør": "sat", "søndag": "sun", "søn": "sun",
    "januar": "jan", "februar": "feb", "mars": "mar", "april": "apr", "mai": "may", "juni": "jun", "juli": "jul", "august": "aug",
    "september": "sep", "oktober": "oct", "okt": "oct", "november": "nov", "desember": "dec", "des": "dec",
    "til": "to", "fra": "from", "og tilbake": "and back", "tilbake": "back", "og": "and", "i morgen": "tomorrow", "i dag": "today",
    "kl": "at", "klokken": "at", "den": "on", "med": "by", "ankommer": "arrives",
}  # fmt: skip
_GERMAN = {
    "nachtzug": "night train", "zug": "train", "bahn": "train", "flug": "flight", "flugzeug": "plane", "fliegen": "fly",
    "fähre": "ferry", "schiff": "ship", "boot": "boat", "mietwagen": "hire car", "leihwagen": "hire car", "eigener wagen": "own car",
    "eigenes auto": "own car", "mein auto": "own car", "auto": "car", "pkw": "car", "fahren": "drive", "zu fuß": "on foot", "gehen": "walk",
    "montag": "mon", "mo": "mon", "dienstag": "tue", "di": "tue", "mittwoch": "wed", "mi": "wed", "donnerstag": "thu", "do": "thu",
    "freitag": "fri", "fr": "fri", "samstag": "sat", "sonnabend": "sat", "sa": "sat", "sonntag": "sun", "so": "sun",
    "januar": "jan", "februar": "feb", "märz": "mar", "april": "apr", "mai": "may", "juni": "jun", "juli": "jul", "august": "aug",
    "september": "sep", "oktober": "oct", "okt": "oct", "november": "nov", "dezember": "dec", "dez": "dec",
    "nach": "to", "bis": "to", "von": "from", "und zurück": "and back", "zurück": "back", "und": "and", "übermorgen": "übermorgen",
    "morgen": "tomorrow", "heute": "today", "um": "at", "am": "on", "den": "on", "mit": "by", "uhr": " ", "ankunft": "arrives",
}  # fmt: skip
_OF = {"nb": _NORWEGIAN, "de": _GERMAN}


@cache
def _known(language: str) -> tuple[re.Pattern[str], dict[str, str]] | None:
    words = {folded(typed): word for typed, word in _OF.get(language, {}).items()}
    if not words:
        return None
    longest = sorted(words, key=len, reverse=True)
    return re.compile(r"\b(" + "|".join(map(re.escape, longest)) + r")\b\.?"), words


def in_english(text: str, language: str) -> str:
    """Return a typed line with the words of ``language`` (``nb``, ``de``) as their English ones, folded; others as they are."""
    known = _known(language)
    if known is None:
        return text
    pattern, words = known
    return pattern.sub(lambda found: words[found[1]], folded(text))
