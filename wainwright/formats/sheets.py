"""Plain sheets of paper drawn from data, so that a mail or an invoice that is only data can be looked at and kept as pages."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape

from wainwright.core.said import as_figure, joined, say
from wainwright.formats.invoice import Invoice
from wainwright.formats.mail import Letter

_STYLE = """@page { size: A4; margin: 20mm } body { font: 10.5pt sans-serif } h1 { font-size: 16pt } p { margin: 2pt 0 }
table { width: 100%; border-collapse: collapse } td { padding: 2pt 0; vertical-align: top } td + td { text-align: right }"""
_STAMP = """@page { size: A4; margin: 0 } body { margin: 0; font: 9pt sans-serif }
section { height: 297mm; box-sizing: border-box; padding: 283mm 18mm 0; break-after: page } section:last-child { break-after: auto }"""
MOST_ROWS = 400

Row = str | tuple[str, str]


def sheet(title: str, rows: Sequence[Row]) -> bytes:
    """Return a PDF with a title and rows; a pair is set left and right. Nothing in a row is taken as markup."""
    from weasyprint import HTML  # noqa: PLC0415 - heavy, and wanted for these sheets alone

    parts = []
    for row in rows[:MOST_ROWS]:
        if isinstance(row, tuple):
            parts.append(f"<table><tr><td>{escape(str(row[0]))}</td><td>{escape(str(row[1]))}</td></tr></table>")
        else:
            parts.append(f"<p>{escape(str(row))}</p>")
    if len(rows) > MOST_ROWS:
        parts.append(f"<p>and {len(rows) - MOST_ROWS} more lines, which are not shown here</p>")
    page = f"<style>{_STYLE}</style><h1>{escape(str(title))}</h1>{''.join(parts)}"
    return bytes(HTML(string=page, url_fetcher=_fetch_nothing).write_pdf())


def drawn_sheet(title: str, rows: Sequence[str], drawing: str) -> bytes:
    """Return a PDF with a title, rows and a drawing of our own (SVG). Nothing in a row is taken as markup."""
    from weasyprint import HTML  # noqa: PLC0415 - as above

    words = "".join(f"<p>{escape(str(row))}</p>" for row in rows[:MOST_ROWS])
    page = f"<style>{_STYLE}</style><h1>{escape(str(title))}</h1>{words}<p>&nbsp;</p>{drawing}"
    return bytes(HTML(string=page, url_fetcher=_fetch_nothing).write_pdf())


def stamps(texts: Sequence[str]) -> bytes:
    """Return a PDF of empty A4 pages, one for each text, which stands at its foot."""
    from weasyprint import HTML  # noqa: PLC0415 - as above

    pages = "".join(f"<section>{escape(str(text))}</section>" for text in texts)
    return bytes(HTML(string=f"<style>{_STAMP}</style>{pages}", url_fetcher=_fetch_nothing).write_pdf())


def _fetch_nothing(url: str) -> dict[str, object]:
    raise ValueError(f"nothing is fetched for a sheet: {url[:60]}")


def mail_sheet(letter: Letter) -> bytes:
    """A mail's words as pages."""
    title, _, rest = letter.text.partition("\n")
    heads: list[Row] = [
        say("Mail from {sender}", sender=letter.sender),
        letter.subject,
        say("Sent {day}", day=as_figure(letter.day, "%d.%m.%Y")) if letter.day else "",
    ]
    return sheet(title[:120] or letter.subject or "Mail", [line[:300] for line in rest.split("\n")] + heads)


def invoice_sheet(invoice: Invoice) -> bytes:
    """An invoice's data as pages."""
    kind = say("Credit note") if invoice.gross.amount < 0 else say("Invoice")
    rows: list[Row] = [
        joined("", (kind, " ", invoice.number, ", ", as_figure(invoice.day, "%d.%m.%Y"))), say("Tax number {supplier_tax_id}", supplier_tax_id=invoice.supplier_tax_id) if invoice.supplier_tax_id else "",
        *((line.text, str(line.net)) for line in invoice.lines),
        (say("Net"), str(invoice.net)), *((say("Tax {normalize} % of {net}", normalize=as_figure(t.percent.normalize(), "f"), net=t.net), str(t.tax)) for t in invoice.taxes),
        (say("Total {currency}", currency=invoice.currency), str(invoice.gross)),
    ]  # fmt: skip
    return sheet(invoice.supplier, rows)
