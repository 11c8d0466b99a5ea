"""What people type about a journey in their own language, brought to the words that are understood: "ferge florø ons 7:30".

Only words that say something to the reader of such lines are brought over; names of places stay as they are typed.
"""

from __future__ import annotations

import re
from functools import cache

from wainwright.formats.gazetteer import folded, other_names, towns

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
    "morgen": "tomorrow", "heute": "today", "um": "at", "am": "on", "vom": "on", "den": "on", "mit dem": "by", "mit der": "by", "mit": "by", "uhr": " ", "ankunft": "arrives",
}  # fmt: skip
_OF = {"nb": _NORWEGIAN, "de": _GERMAN}
_ENGLISH = frozenset(
    ["from", "to", "at", "on", "by", "with", "and", "back", "return", "until", "till", "there", "arr", "air", "rail", "cab", "coach", "the"]
)  # fmt: skip
MONTHS = ("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec")
_MONTH = r"(1[0-2]|0?[1-9])"
# "14.–16.12.2026", its year may stay away, and "14.12.", but not an hour after "at"; "14.12.2026" is understood as it is.
_SPAN = re.compile(rf"\b(\d{{1,2}})\.?\s*(?:-|–|to)\s*(\d{{1,2}})\.\s?{_MONTH}\.(\d{{4}})?(?!\d)")
_DAY = re.compile(rf"(?<!\bat )\b(\d{{1,2}})\.\s?{_MONTH}\.(?!\d)")
_PART = re.compile(r"[ -]")


@cache
def _known(language: str) -> tuple[re.Pattern[str], dict[str, str]] | None:
    words = {folded(typed): word for typed, word in _OF.get(language, {}).items()}
    if not words:
        return None
    longest = sorted(words, key=len, reverse=True)
    return re.compile(r"\b(" + "|".join(map(re.escape, longest)) + r")\b\.?"), words


@cache
def _names_with_words() -> dict[str, str]:
    """Names of towns that hold a word of such a line ("den haag", "stoke-on-trent"), and the same in one piece."""
    words = {
        word for typed in _OF.values() for pair in typed.items() for each in pair for word in folded(each).split()
    } | _ENGLISH
    names = {name for name, _ in towns().spots()}.union(other_names()[0])
    return {
        name: name.replace("-", "__").replace(" ", "_")
        for name in names
        # Most are one word: asked first, since it is asked of all names of the world.
        if (" " in name or "-" in name)
        and 1 < len(parts := _PART.split(name)) <= MOST_PARTS
        and not words.isdisjoint(parts)
    }


MOST_PARTS = 5


def whole(text: str) -> str:
    """Fold a typed line; names of towns that hold a word of such a line are one piece in it, which ``apart`` takes apart."""
    words, names = folded(text).split(" "), _names_with_words()
    done: list[str] = []
    while words:
        for count in range(min(MOST_PARTS, len(words)), 0, -1):
            name = " ".join(words[:count])
            bare = name.rstrip(",;.")
            if bare in names:
                done.append(names[bare] + name[len(bare) :])
                words = words[count:]
                break
        else:
            done.append(words.pop(0))
    return " ".join(done)


def apart(name: str) -> str:
    """A name as it was typed, from a line in which it was kept whole."""
    return name.replace("__", "-").replace("_", " ")


def in_english(text: str, language: str) -> str:
    """Return a typed line with the words of ``language`` (``nb``, ``de``) as their English ones, folded; others as they are."""
    known = _known(language)
    if known is None:
        return text
    pattern, words = known
    line = pattern.sub(lambda found: words[found[1]], whole(text))
    line = _SPAN.sub(
        lambda found: f"{_day(found[1], found[3], found[4])} to {_day(found[2], found[3], found[4])}", line
    )
    return _DAY.sub(lambda found: _day(found[1], found[2]), line)


def _day(day: str, month: str, year: str | None = None) -> str:
    return f"{day} {MONTHS[int(month) - 1]}{f' {year}' if year else ''}"
