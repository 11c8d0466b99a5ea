"""Writes the fonts of letters: one file a weight, unpacked, so that printing need not work each out of the fonts of the pages."""

from __future__ import annotations

import sys
from pathlib import Path

from fontTools.ttLib import TTFont
from fontTools.varLib.instancer import instantiateVariableFont

WANTED = (("besley", 700), ("hanken-grotesk", 400), ("hanken-grotesk", 700))


def main(pages: Path, letters: Path) -> None:
    """Read the fonts below ``pages`` and write those of letters below ``letters``."""
    letters.mkdir(parents=True, exist_ok=True)
    for name, weight in WANTED:
        font = instantiateVariableFont(TTFont(pages / f"{name}-latin-wght-normal.woff2"), {"wght": weight}, static=True)
        font.flavor = None
        font.save(letters / f"{name}-{weight}.ttf", reorderTables=True)


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]))
