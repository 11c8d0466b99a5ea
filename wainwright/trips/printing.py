"""Prints a page in the firm's letter style as PDF, on this machine, with our own styles and fonts and nothing else."""

from __future__ import annotations

import atexit
import threading
from pathlib import Path
from typing import Any

STYLES = Path(__file__).parent / "styles"
# Each thread its own: what the printer knows of fonts is not made to be shared among them.
_kept = threading.local()
# What reads fonts is let go before the interpreter takes its modules away.
atexit.register(_kept.__dict__.clear)


def printed(page: str) -> bytes:
    """A page in the firm's letter style as PDF; nothing but our own styles and fonts is read for it."""
    from weasyprint import HTML  # noqa: PLC0415 - heavy, and wanted for what is printed alone

    if not hasattr(_kept, "style"):
        _kept.style = _style()
    css, fonts, fetcher = _kept.style
    html = HTML(string=page, base_url=f"{STYLES.as_uri()}/", url_fetcher=fetcher)
    written: bytes = html.write_pdf(stylesheets=[css], font_config=fonts)
    return written


def only_ours() -> Any:
    """What reads files for the writer of PDFs: our own styles and fonts; ``ValueError`` for anything else."""
    from weasyprint import URLFetcher  # noqa: PLC0415 - as above

    class OnlyOurs(URLFetcher):
        def fetch(self, url: str, headers: Any = None) -> Any:
            if not url.startswith(f"{STYLES.as_uri()}/"):
                raise ValueError(f"nothing is fetched from {url}")
            return super().fetch(url, headers)

    return OnlyOurs(allowed_protocols=["file"])


def _style() -> tuple[Any, Any, Any]:
    """The style of letters with its fonts, read once a thread: unpacking the fonts takes longer than a letter."""
    from weasyprint import CSS  # noqa: PLC0415 - as above
    from weasyprint.text.fonts import FontConfiguration  # noqa: PLC0415 - as above

    fetcher = only_ours()
    style = (STYLES / "order.css").read_text(encoding="utf-8")
    # Without a configuration of its own the fonts that a style names are passed over.
    fonts = FontConfiguration()
    return CSS(string=style, base_url=f"{STYLES.as_uri()}/", url_fetcher=fetcher, font_config=fonts), fonts, fetcher
