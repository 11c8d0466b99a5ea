"""The front of a claim as a document: what was certified, by whom and when, its lines, what it comes to, who signed."""

from __future__ import annotations

from zoneinfo import ZoneInfo

from django.template.loader import render_to_string

from wainwright.claims.comparing import by_coding
from wainwright.claims.selectors import POSTING, ClaimFile
from wainwright.core.said import say
from wainwright.language import written_for
from wainwright.signoff.presenting import route_preview, route_steps
from wainwright.signoff.selectors import steps
from wainwright.trips.selectors import advance_words

# Bookmarks of the front pages: what they are called, and the words by which each place is found.
MARKS = (
    (say("What was certified"), ""), (say("Lines"), say("Lines by day")), (say("Findings and reasons"), say("Findings and reasons")),
    (say("What it comes to"), say("What it comes to")), (say("By coding"), say("By coding")), (say("Who signed"), say("Who signed")),
)  # fmt: skip


def document_html(file: ClaimFile) -> str:
    """Return the front pages of a claim, from its statement where it was sent, else as it stands."""
    claim = file.claim
    zone = ZoneInfo(claim.firm.zone)
    signoffs = steps(claim.subject) if claim.sent else []
    context = {
        "claim": claim, "firm": claim.firm, "file": file, "lines": list(enumerate(file.by_day, 1)), "sums": file.figures.settlement.sums,
        "settlement": file.figures.settlement, "codings": by_coding(file), "advance_words": advance_words(claim.trip),
        "route": route_steps(signoffs) if signoffs else route_preview(file.route), "certified": not claim.editable and claim.sent is not None,
        "sent": claim.sent.astimezone(zone) if claim.sent else None, "terms": file.book.policy.terms,
        "cleared_itself": claim.cleared_by_id is None and claim.state in POSTING,
        "statement": claim.statement.number if claim.statement and not claim.editable else 0,
    }  # fmt: skip
    # A paper of the firm, whoever opens it.
    with written_for(claim.firm):
        return render_to_string("claims/document.html", context)
