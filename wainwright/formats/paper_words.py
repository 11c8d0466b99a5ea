"""What lines of papers are about, by the words of many languages: the list lies beside this file, to be read and added to."""

from __future__ import annotations

import re
import tomllib
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from rapidfuzz import fuzz
from text_unidecode import unidecode

# A word of so many letters may have one misread.
LONG, ALIKE = 5, 84


@dataclass(frozen=True, slots=True)
class Words:
    """Words of one meaning: whole ones, those that begin or end others, and those of several parts."""

    whole: frozenset[str]
    begins: tuple[str, ...]
    ends: tuple[str, ...]
    parts: tuple[str, ...]

    def in_text(self, plain: str, tokens: Iterable[str]) -> bool:
        """Say whether a line, plain and in tokens, has one of them, forgiving a letter misread."""
        if any(f" {part} " in f" {plain} " for part in self.parts):
            return True
        return any(self._is_one(token) for token in tokens)

    def _is_one(self, token: str) -> bool:
        if token in self.whole or token.startswith(self.begins) or token.endswith(self.ends):
            return True
        # What is a word of another meaning is no misread one of this.
        return (
            len(token) >= LONG
            and token not in known()
            and any(
                len(word) >= LONG and abs(len(word) - len(token)) <= 1 and fuzz.ratio(token, word) >= ALIKE
                for word in self.whole
            )
        )


def plain(text: str) -> str:
    """A line in small letters without accents, its words one blank apart."""
    return " ".join(re.sub(r"[^a-z0-9%'-]+", " ", unidecode(text).casefold()).split())


@lru_cache(maxsize=1)
def known() -> frozenset[str]:
    """Every whole word of the list, whatever it means."""
    return frozenset().union(*(words.whole for words in meanings().values()))


@lru_cache(maxsize=1)
def meanings() -> dict[str, Words]:
    """Return the words of each meaning, those of all languages together."""
    languages = tomllib.loads(Path(__file__).with_name("receipt_words.toml").read_text(encoding="utf-8"))
    found: dict[str, set[str]] = {}
    for language in languages.values():
        for meaning, words in language.items():
            found.setdefault(meaning, set()).update(unidecode(word).casefold() for word in words)
    return {meaning: _sorted(words) for meaning, words in found.items()}


def _sorted(words: set[str]) -> Words:
    simple = {word for word in words if "*" not in word}
    several = {word for word in simple if " " in word or "-" in word}
    return Words(
        frozenset(simple - several), tuple(word[:-1] for word in words if word.endswith("*")),
        tuple(word[1:] for word in words if word.startswith("*")), tuple(sorted(several, key=lambda word: (-len(word), word))),
    )  # fmt: skip


def _tokens(line: str) -> tuple[str, ...]:
    return tuple(token for token in re.findall(r"[a-z]+", line) if len(token) > 1)


@dataclass(frozen=True, slots=True)
class About:
    """What a line is about."""

    total: bool
    part: bool
    tax: bool
    paid: bool
    due: bool


@lru_cache(maxsize=4096)
def about(text: str) -> About:
    """Say what a line is about. A whole with its tax named beside it is a whole where a word says that the tax is in it."""
    line = plain(text)
    said = {meaning: words.in_text(line, _tokens(line)) for meaning, words in meanings().items()}
    # A word of a phrase for the whole says nothing by itself: "net à payer" is no net.
    rest = line
    for phrase in meanings()["total"].parts:
        rest = f" {rest} ".replace(f" {phrase} ", " ").strip()
    said["part"] = meanings()["part"].in_text(rest, _tokens(rest))
    tax = said["tax"] and not said["levy"]
    part = said["part"] or (tax and not said["with_tax"])
    return About(said["total"] and not part, said["part"], tax, said["paid"] and not said["total"], said["due"])
