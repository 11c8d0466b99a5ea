"""The firm's policy as people read it: paragraphs under headings, typed as plain text."""

from __future__ import annotations

import re
from dataclasses import dataclass

from wainwright.core.said import say

MOST_LETTERS, HEADING_LETTERS = 40_000, 80


class PolicyFault(ValueError):
    """What is wrong with a policy that was typed, and where."""


@dataclass(frozen=True, slots=True)
class Paragraph:
    """A heading and what stands under it, block by block; ``key`` is its place on a page."""

    heading: str
    key: str
    blocks: tuple[str, ...] = ()


def read_policy(text: str) -> tuple[Paragraph, ...]:
    """Return the paragraphs of a policy: a line that begins with # is a heading, an empty line parts blocks.

    Raises ``PolicyFault`` where it is too long, begins without a heading, or has a heading twice.
    """
    if len(text) > MOST_LETTERS:
        raise PolicyFault(say("It is longer than {most_letters} letters.", most_letters=MOST_LETTERS))
    found: list[tuple[str, list[str]]] = []
    for number, line in enumerate(text.splitlines(), 1):
        heading = " ".join(line.lstrip("#").split())
        if line.startswith("#"):
            if not heading or len(heading) > HEADING_LETTERS:
                raise PolicyFault(
                    say(
                        "Line {number}: a heading has 1 to {heading_letters} letters.",
                        number=number,
                        heading_letters=HEADING_LETTERS,
                    )
                )
            if heading.casefold() in (known.casefold() for known, _ in found):
                raise PolicyFault(
                    say(
                        "Line {number}: “{heading}” is a heading already. Rules could not tell them apart.",
                        number=number,
                        heading=heading,
                    )
                )
            found.append((heading, [""]))
        elif not found:
            if line.strip():
                raise PolicyFault(say("It begins without a heading. Begin the first line with #."))
        elif not line.strip():
            found[-1][1].append("")
        else:
            blocks = found[-1][1]
            blocks[-1] = f"{blocks[-1]} {line.strip()}".strip()
    return tuple(
        Paragraph(heading, f"{n}-{_plain(heading)}", tuple(block for block in blocks if block))
        for n, (heading, blocks) in enumerate(found, 1)
    )


def _plain(heading: str) -> str:
    return re.sub(r"[^a-z0-9]+", "-", heading.casefold()).strip("-") or "paragraph"
