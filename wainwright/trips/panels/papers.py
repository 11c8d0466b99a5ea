"""The papers that a trip rests on: an agenda, an invitation, a comparison of prices."""

from __future__ import annotations

from typing import Any

from django.http import FileResponse

from wainwright.core.said import joined, say
from wainwright.core.workings import day_text
from wainwright.trips.forms import PaperForm
from wainwright.trips.panels.base import Page, Panel, act
from wainwright.trips.pictures import paper_day, papers_asked
from wainwright.trips.services import details


class PapersPanel(Panel):
    """Papers with their kinds; a kind that is asked for is asked for here, on the day on which it is due."""

    name = "papers"
    title = say("Papers")
    order = 10

    def there(self, page: Page) -> bool:
        """Where there are papers, or some may be attached."""
        return page.may_paper or bool(page.file.papers)

    def says(self, page: Page) -> str:
        """What is asked for, else how many there are."""
        asked, day = papers_asked(page.file), paper_day(page.file)
        if asked:
            return say("{list} asked for", list=joined(say(" and "), asked)) + (
                joined("", (", ", day_text(day))) if day else ""
            )
        return str(len(page.file.papers)) if page.file.papers else say("none yet")

    def asks(self, page: Page) -> bool:
        """Where a rule asks for one."""
        return bool(papers_asked(page.file))

    def answers(self, target: str, page: Page) -> str:
        """What asks for a paper."""
        return self.name if target == "papers" else ""

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """The papers, and a form that begins with the kind that is asked for."""
        kind = (papers_asked(page.file) or ["agenda"])[0]
        return {"papers": page.file.papers, "form": page.form("paper_form", lambda: PaperForm(initial={"kind": kind}))}

    @act("papers/", "paper-add")
    def add(self, page: Page) -> str:
        """Attach a paper."""
        form = PaperForm(page.request.POST, page.request.FILES)
        d = page.valid("paper_form", form, self.name)
        with page.trying("paper_form", form, self.name):
            details.add_paper(page.member, page.trip.pk, d["kind"], d["file"].name, d["file"].read())
        return self.name

    @act("papers/<int:paper_id>/remove/", "paper-remove")
    def remove(self, page: Page, paper_id: int) -> str:
        """Take a paper off."""
        details.remove_paper(page.member, page.trip.pk, paper_id)
        return self.name

    @act("papers/<int:paper_id>/", "paper", reads=True)
    def save(self, page: Page, paper_id: int) -> FileResponse:
        """Return a paper, to be saved; never shown as a page of ours."""
        found = details.file_of(page.trip, paper_id)
        response = FileResponse(
            found.file.open("rb"), content_type=found.media_type, as_attachment=True, filename=found.name
        )
        response["X-Content-Type-Options"] = "nosniff"
        return response


PANEL = PapersPanel()
