"""What a page says after an act: kept for the next page in the words of who is told."""

from __future__ import annotations

from django.contrib.messages.storage.fallback import FallbackStorage


class Storage(FallbackStorage):
    """Says a sentence in the reader's language as it is told: what is kept for the next page is plain text."""

    def add(self, level, message, extra_tags=""):
        """Keep it, as it is read now."""
        super().add(level, str(message), extra_tags)
