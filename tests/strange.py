"""A language that nobody speaks: every message that goes through the catalogs is written in letters of another alphabet.

What a page still says in Latin letters is then a name, a code, what somebody typed, or words that were never translated.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from unittest import mock

from django.apps import apps
from django.db import models
from django.utils import translation
from django.utils.translation import trans_real
from django.utils.translation.trans_real import CONTEXT_SEPARATOR
from lxml import html

from wainwright import reading
from wainwright.core.recognising import Messages
from wainwright.formats.countries import countries
from wainwright.web.management.commands.words import gathered
from wainwright.web.templatetags.ui import _wheel

CODE = "nb"
_LATIN = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ"
_OTHER = "абцдефгхийклмнопярстуввхузАБЦДЕФГХИЙКЛМНОПЯРСТУВВХУЗ"
_LETTERS = str.maketrans(_LATIN, _OTHER)
# What stays as it is in a message: values, tags, entities.
_KEPT = re.compile(r"(\{\w+\}|%\(\w+\)[sd]|<[^>]*>|&\w+;)")
_SAID = re.compile(r"[Ѐ-ӿ]+")
_PIECE = re.compile(r"[·,;:()“”«»—\n|→…!?•+×÷=/]|\s[–-]\s|\d[\d.,:%]*|\.\s|\s{2,}")
_WORD = re.compile(r"[A-Za-zæøåÆØÅéüöńäß’']{2,}")
# Names of things that are the same everywhere, the short names of days and months, which Babel writes in Norwegian, and the
# kind of code that the demo has without a name.
_ANYWHERE = frozenset(
    ["Wainwright", "km", "kg", "CO", "PDF", "CSV", "XLSX", "JSON", "TOML", "XML", "ODS", "OFX", "QIF", "HTML", "SHA", "SCIM", "API", "URL", "HTTPS", "UTC", "IBAN", "BIC", "ISO", "Enter", "Esc", "https", "man", "tir", "ons", "tor", "fre", "lør", "søn", "jan", "feb", "mar", "mars", "apr", "mai", "jun", "juni", "jul", "juli", "aug", "sep", "sept", "okt", "nov", "des", "januar", "februar", "april", "august", "september", "oktober", "november", "desember", "kl", "English", "Norsk", "bokmål", "Deutsch", "customers"]
)  # fmt: skip
# Fields that hold what people typed, or what firms, carriers and banks are called; not what we say.
_OURS = frozenset(
    {"what", "why", "problem", "refused", "mode", "state", "kind", "workings", "shows_by", "allows_by", "cure"}
)
# Of those what people type all the same: why finance corrected a line.
_TYPED = {("Correction", "why")}
# What the demo's firm says in words that are ours as well: its answers, reasons, kinds and parts of its sentences.
_FIRMS = frozenset(
    ["the firm", "customer", "fee", "meals", "ill", "lost", "last", "something", "not taken there", "was blocked", "who was there", "receipt lost", "and coach", "of", "project p", "a private stay"]
)  # fmt: skip
_EDGES = " .'’\"−&*%–-"
# What holds sentences of ours alone: the trail, news, the demo's mails.
_WE_SAY = ("Entry", "Notice", "Mail", "Heard")
# What a firm may call, or word, as we would: it stays as the firm has it.
_THEIRS = frozenset({"name", "job", "plural", "terms", "certificate", "words", "text"})
# Of these the texts are sentences of ours with names in them: what was signed, and what was posted of it.
_SIGNED = ("StatementFinding", "StatementCoding", "PostingLine", "Payment")
_ATTRIBUTES = ("title", "aria-label", "placeholder", "alt", "data-name")
# Columns of files are called in files as they are called in files.
NOT_OURS = (
    "/look/",
    "/rules/allowances/",
    "/people/table/",
    "/rules/rules.toml",
    "/rules/drafts/",
    "/rules/schemes/",
    "/mail/",
    "/trail/",
    "/policy/",
    "/profile/sessions/",
)


def strange(message: str) -> str:
    """A message in strange letters, its values left alone."""
    return "".join(
        piece if n % 2 else piece.translate(_LETTERS) for n, piece in enumerate(_KEPT.split(message))
    )  # fmt: skip


class _Strange:
    _catalog: dict[str, str] = {}

    def gettext(self, message: str) -> str:
        # With what it is about before it, where that is said.
        return strange(message.rpartition(CONTEXT_SEPARATOR)[2])

    def ngettext(self, one: str, many: str, number: int) -> str:
        return strange(one if number == 1 else many)

    def pgettext(self, _context: str, message: str) -> str:
        return strange(message)

    def npgettext(self, _context: str, one: str, many: str, number: int) -> str:
        return self.ngettext(one, many, number)

    def language(self) -> str:
        return CODE

    def to_language(self) -> str:
        return CODE


@contextmanager
def spoken() -> Iterator[None]:
    """Within this whoever reads bokmål reads the strange language."""
    ids = [message.id for message in gathered() if message.id]
    known = Messages((each[0], each[1]) if isinstance(each, tuple | list) else (each, each) for each in ids)
    with (
        mock.patch.dict(trans_real._translations, {CODE: _Strange()}),
        mock.patch.object(reading, "messages", lambda: known),
    ):
        # A drawing is kept for each language: that of this one is no other's.
        _wheel.cache_clear()
        yield
    _wheel.cache_clear()


def typed_by_people() -> str:
    """Every text in the database that is not a sentence of ours, in small letters."""
    found: set[str] = set(countries(CODE).values())
    names: set[str] = set()
    for model in apps.get_models():
        if not model.__module__.startswith("wainwright.") or model.__name__ in _WE_SAY:
            continue
        fields = [
            field.name for field in model._meta.concrete_fields
            if isinstance(field, models.CharField | models.TextField | models.JSONField) and not field.choices and (field.name not in _OURS or (model.__name__, field.name) in _TYPED)
        ]  # fmt: skip
        for row in model._default_manager.values_list(*fields) if fields else ():
            found |= {text for value in row for text in _texts(value)}
            names |= {
                value
                for field, value in zip(fields, row, strict=True)
                if field in _THEIRS and model.__name__ not in _SIGNED
            }
    with translation.override(CODE):
        return "\n".join(text.lower() for text in found if text in names or not _is_ours(text))


def _is_ours(text: str) -> bool:
    """Whether most of a kept text is read in strange letters: a name may end in a word of ours."""
    again = reading.again(text)
    return 2 * len("".join(_SAID.findall(again))) > sum(map(str.isalpha, again))


def _texts(value: object) -> Iterator[str]:
    if isinstance(value, str):
        yield value
    elif isinstance(value, dict):
        for each in value.values():
            yield from _texts(each)
    elif isinstance(value, list):
        for each in value:
            yield from _texts(each)


def left_over(page: str, typed: str) -> list[str]:
    """What a page says that is neither in strange letters nor known from the database."""
    if not page.strip():
        return []
    tree, found = html.fromstring(page), []
    for element in tree.iter():
        if isinstance(element.tag, str) and element.tag not in ("script", "style", "code", "textarea"):
            found += [element.text or "", *(element.get(name) or "" for name in _ATTRIBUTES)]
        found.append(element.tail or "")
    return sorted({piece for text in found for piece in _pieces(text, typed)})


@cache
def _whole(typed: str) -> frozenset[str]:
    """Typed texts, and the pieces of them between signs."""
    lines = typed.split("\n")
    return frozenset({*lines, *(piece.strip(_EDGES) for line in lines for piece in _PIECE.split(line))})


def _pieces(text: str, typed: str) -> Iterator[str]:
    whole = _whole(typed)
    for piece in _PIECE.split(_SAID.sub("\n", text)):
        plain = piece.strip(_EDGES)
        words = [
            word for word in _WORD.findall(plain)
            if word not in _ANYWHERE and word.lower() not in _ANYWHERE and not re.fullmatch("[A-Z]{2,4}", word)
        ]  # fmt: skip
        lowered = plain.lower()
        # A few words within a typed sentence may be ours all the same; many are hers who typed it.
        known = (
            lowered in whole or all(word.lower() in whole for word in words) or (len(words) > 3 and lowered in typed)
        )
        if (
            words
            and not known
            and lowered not in _FIRMS
            and "@" not in plain
            and not re.search(rf"{re.escape(plain)}[ –-]*…", text)
        ):
            yield plain


def sent_back(page: str) -> list[str]:
    """What a page would send back in strange letters: values are keys, the same in every language."""
    if not page.strip():
        return []
    tree = html.fromstring(page)
    found = [
        element.get("value") or ""
        for element in tree.xpath("//button[@value] | //option[@value] | //input[@type='hidden' or @type='radio' or @type='checkbox']")
    ]  # fmt: skip
    found += [option.text_content() for option in tree.xpath("//select//option[not(@value)]")]
    return sorted({value for value in found if _SAID.search(value)})


# A sum with a point before its cents; versions and addresses are none.
_SUM = re.compile(r"(?<![\d.\w-])(?:\d{1,3}(?:,\d{3})+\.\d+|\d+\.\d{2})(?![\d.:]\d|\w)")
_TEXTS = "//body//text()[not(ancestor::script or ancestor::style or ancestor::code or ancestor::textarea)]"


def english_sums(page: str, typed: str) -> list[str]:
    """Texts of ours with a sum as English writes it: bokmål has a comma there."""
    texts = html.fromstring(page).xpath(_TEXTS) if page.strip() else []
    return sorted({" ".join(text.split()) for text in texts if _SUM.search(text) and text.strip().lower() not in typed})
