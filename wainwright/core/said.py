"""Sentences: a message and its figures, so that whoever reads it may do so in their own language.

A sentence is a text: its value is what it says in English, which is what is compared, kept and signed. It remembers the
message and the figures that it was made of; where it is shown, whoever shows it may say the same in other words. The core
knows no other language: what does is told to it by ``read_by``.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

Reader = Callable[["Said"], str]
_reader: Reader | None = None


def read_by(reader: Reader | None) -> None:
    """Let ``reader`` say every sentence, as it is shown, in the language that is read at that time; None for English."""
    global _reader
    _reader = reader


class Said(str):
    """A sentence. As a text it is English; ``str()`` of it, and so a page, is in the reader's language."""

    message: str
    figures: dict[str, Any]
    one: str
    number: int

    def __str__(self) -> str:
        return _reader(self) if _reader is not None else self.english

    def __format__(self, spec: str) -> str:
        return format(self.english, spec)

    @property
    def english(self) -> str:
        """The sentence as it is kept."""
        return str.__str__(self)

    def __add__(self, more: str) -> str:
        return joined("", (self, more))

    def __radd__(self, before: str) -> str:
        return joined("", (before, self))

    def capital(self) -> Cased:
        """Return the sentence with its first letter large, in whatever language."""
        return Cased.of(self, large=True)


class Joined(Said):
    """Sentences, names and figures one after the other, with the same sign between them."""

    parts: tuple[Any, ...]
    sign: str


class Cased(Said):
    """A sentence that begins with a large letter; or with a small one, where the language would within another."""

    inner: str
    large: bool

    @classmethod
    def of(cls, text: str, large: bool) -> Cased:
        """Return ``text`` with its first letter large, or small."""
        plain = _plain(text)
        said = cls((plain[:1].upper() if large else plain[:1].lower()) + plain[1:])
        said.message, said.figures, said.one, said.number = said.english, {}, "", 0
        said.inner, said.large = text, large
        return said


class Kept(Said):
    """A sentence that was kept as text: what it was made of is found out again where it is shown."""


class Shown(Said):
    """A figure as it is written in English, with what it is: a number, a day, a moment."""

    value: Any
    spec: str


def say(message: str, /, **figures: Any) -> str:
    """Return a sentence: ``message`` with ``{names}`` in it, and a figure, name or sentence for each of them."""
    figures = {name: _given(each) for name, each in figures.items()}
    said = Said(message.format(**{name: _plain(each) for name, each in figures.items()}) if figures else message)
    said.message, said.figures, said.one, said.number = message, figures, "", 0
    return said


def say_many(one: str, many: str, count: int, /, **figures: Any) -> str:
    """Return a sentence about ``count`` things: ``one`` where it is one, else ``many``; ``{count}`` in it is their number."""
    figures = {"count": count, **{name: _given(each) for name, each in figures.items()}}
    message = one if count == 1 else many
    said = Said(message.format(**{name: _plain(each) for name, each in figures.items()}))
    said.message, said.figures, said.one, said.number = many, figures, one, count
    return said


def joined(sign: str, parts: Iterable[Any]) -> str:
    """Return ``parts`` one after the other with ``sign`` between them."""
    kept = tuple(map(_given, parts))
    said = Joined(_plain(sign).join(_plain(each) for each in kept))
    said.message, said.figures, said.one, said.number = said.english, {}, "", 0
    said.parts, said.sign = kept, sign
    return said


def kept(text: str) -> str:
    """Return a text of ours that comes from where it was kept."""
    said = Kept(text)
    said.message, said.figures, said.one, said.number = text, {}, "", 0
    return said


def as_figure(value: Any, spec: str) -> str:
    """Return a number or a day as ``format`` writes it, for a sentence; ``spec`` as of ``format``."""
    return written(format(value, spec), value, spec)


def written(text: str, value: Any, spec: str) -> str:
    """Return a figure that is written as ``text`` in English."""
    figure = Shown(text)
    figure.message, figure.figures, figure.one, figure.number = text, {}, "", 0
    figure.value, figure.spec = value, spec
    return figure


def capital(text: str) -> str:
    """Return a text, or a sentence, with its first letter large."""
    return Cased.of(text, large=True)


def both(text: str) -> tuple[str, str]:
    """Return what a text, or a sentence, says in English and in the reader's language: what is looked for may be typed in either."""
    return _plain(text), str(text)


def small(text: str) -> str:
    """Return a text, or a sentence, as it stands within another: with its first letter small."""
    return Cased.of(text, large=False)


def said_by(error: BaseException) -> str:
    """Return what an error says, as a sentence where it was given one: ``str()`` of it would be in one language alone."""
    said = error.args[0] if len(error.args) == 1 else None
    return said if isinstance(said, Said) else str(error)


def _given(figure: Any) -> Any:
    """A figure as a sentence keeps it: of an error what it says, which as an error would be in the reader's language for good."""
    return said_by(figure) if isinstance(figure, BaseException) else figure


def _plain(figure: Any) -> str:
    """What stands in the English sentence for a figure."""
    if isinstance(figure, Said):
        return figure.english
    return f"{figure}"
