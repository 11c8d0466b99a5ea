"""``python -m tests.coverage`` writes docs/coverage.md."""

from tests.coverage.marks import DOCUMENT, document

DOCUMENT.write_text(document())
