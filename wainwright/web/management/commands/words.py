"""Gathers what is to be translated and writes the catalogs anew: messages (.po, for people) and what gettext reads (.mo)."""

from __future__ import annotations

import io
import re
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

from babel.messages.catalog import Catalog
from babel.messages.extract import extract_from_file
from babel.messages.mofile import write_mo
from babel.messages.pofile import read_po, write_po
from django.conf import settings
from django.core.management.base import BaseCommand, CommandError
from django.template import engines
from django.templatetags.i18n import BlockTranslateNode, TranslateNode

from wainwright.language import ENGLISH, LANGUAGES

HOUSE = Path(settings.BASE) / "wainwright"
KEYWORDS: dict[str, tuple[int, ...] | None] = {
    "gettext": None, "later": None, "ngettext": (1, 2), "say": None, "say_many": (1, 2),
}  # fmt: skip
# So that a catalog changes only where its words do.
NO_DAY = datetime(2026, 1, 1, tzinfo=UTC)
_VALUES = re.compile(r"%\(\w+\)[a-z]|(?<!\{)\{\w+\}(?!\})")
# What the filter ``plural`` counts: {{ papers|plural:"paper,papers" }}.
_COUNTED = re.compile(r'\|plural:"([^",]+),([^",]+)"')
_NAMED = re.compile(r'[=:]_\("([^"]+)"\)')


def gathered() -> Catalog:
    """Return every message of the code and the templates, with where it stands."""
    catalog = Catalog(project="Wainwright", creation_date=NO_DAY, revision_date=NO_DAY, fuzzy=False)
    for path in sorted(HOUSE.rglob("*")):
        if path.suffix in (".html", ".txt") and "templates" in path.parts:
            found = _in_template(path)
        elif path.suffix == ".py" and "migrations" not in path.parts:
            found = ((each[1], None) for each in extract_from_file("python", path, keywords=KEYWORDS))
        else:
            continue
        for message, context in found:
            catalog.add(message, locations=[(path.relative_to(settings.BASE).as_posix(), 1)], context=context)
    return catalog


def _in_template(path: Path) -> Iterator[tuple[str | tuple[str, str], str | None]]:
    """Each message of a template, and what it is about where one word of English is several elsewhere."""
    text = path.read_text(encoding="utf-8")
    for one, many in _COUNTED.findall(text):
        yield (f"%(count)s {one}", f"%(count)s {many}"), None
    yield from ((each, None) for each in _NAMED.findall(text))
    nodes = engines["django"].engine.from_string(text).nodelist
    for node in nodes.get_nodes_by_type(TranslateNode):
        yield str(node.filter_expression.var.literal).replace("%", "%%"), _context(node)
    for block in nodes.get_nodes_by_type(BlockTranslateNode):
        singular, _ = block.render_token_list(block.singular)
        plural, _ = block.render_token_list(block.plural) if block.plural else ("", [])
        yield ((singular, plural) if plural else singular), _context(block)


def _context(node: TranslateNode | BlockTranslateNode) -> str | None:
    return str(node.message_context.var) if node.message_context else None


def folder(code: str) -> Path:
    """Where the catalog of a language lies."""
    return HOUSE / "locale" / code / "LC_MESSAGES"


def read(code: str) -> Catalog:
    """Return the catalog of a language as translated so far; an empty one where there is none."""
    path = folder(code) / "django.po"
    if not path.exists():
        return Catalog(code, project="Wainwright")
    with path.open("rb") as file:
        return read_po(file, code)


def untranslated(catalog: Catalog) -> list[str]:
    """Return the messages that have no translation, or one that lost or gained a value."""
    faults = []
    for message in catalog:
        if not message.id:
            continue
        ids, words = (each if isinstance(each, tuple | list) else (each,) for each in (message.id, message.string))
        if (
            message.fuzzy
            or not all(words)
            or {v for w in words for v in _VALUES.findall(w)} != set(_VALUES.findall(ids[-1]))
        ):
            faults.append(str(ids[0]))
    return faults


def as_mo(catalog: Catalog) -> bytes:
    """Return a catalog as gettext reads it."""
    written = io.BytesIO()
    write_mo(written, catalog)
    return written.getvalue()


class Command(BaseCommand):
    """Write the catalogs anew from the code, keep what is translated, and say what is not."""

    help = "Gather the words of pages and letters for translation, write the catalogs, say what is not translated yet."

    def handle(self, *args, **given):
        """Do it; an error where a message has no translation."""
        missing = []
        template = gathered()
        for code, _ in LANGUAGES:
            if code == ENGLISH:
                continue
            catalog = read(code)
            catalog.update(template, no_fuzzy_matching=True)
            catalog.obsolete.clear()
            catalog.fuzzy = False
            catalog.header_comment = (
                "# The words of pages, mails and letters. Written by manage.py words, translated by hand."
            )
            catalog.creation_date = catalog.revision_date = NO_DAY
            folder(code).mkdir(parents=True, exist_ok=True)
            with (folder(code) / "django.po").open("wb") as file:
                write_po(file, catalog, width=120, omit_header=False)
            (folder(code) / "django.mo").write_bytes(as_mo(catalog))
            missing += [f"{code}: {words}" for words in untranslated(catalog)]
        if missing:
            raise CommandError("Not translated, or with other values:\n" + "\n".join(missing))
        self.stdout.write(f"{len(template)} messages, all translated.")
