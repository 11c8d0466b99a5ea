"""Write the templates out with their translation tags taken off, for the formatter.

It breaks a line at each tag, and where a tag stands before a full stop that puts a space into the page. Without the tags the
words are words, and every other habit of the templates can be held to.

    python scripts/templates_as_said.py FOLDER
"""

import re
import sys
from pathlib import Path

_TAG = re.compile(r'\{%\s*(?:blocktranslate\b[^%]*(?:%(?!\})[^%]*)*|plural|endblocktranslate)\s*%\}|\{%\s*translate "(?P<words>[^"]*)"\s*%\}')  # fmt: skip


def main(folder: Path) -> None:
    """Write every template to ``folder``, where it stands in the house."""
    for template in Path("wainwright").rglob("templates/**/*.html"):
        written = folder / template
        written.parent.mkdir(parents=True, exist_ok=True)
        written.write_text(_TAG.sub(lambda tag: tag["words"] or "", template.read_text()))


if __name__ == "__main__":
    main(Path(sys.argv[1]))
