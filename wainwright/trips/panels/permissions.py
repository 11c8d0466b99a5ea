"""Special permissions: they come and go with their cause; more can be asked for by hand."""

from __future__ import annotations

from typing import Any

from wainwright.core.said import say
from wainwright.trips.forms import PermissionForm
from wainwright.trips.panels.base import Page, Panel, act
from wainwright.trips.services import details


class PermissionsPanel(Panel):
    """What stands on the trip as specially allowed, each with its comment."""

    name = "permissions"
    title = say("Permissions")
    order = 40

    def there(self, page: Page) -> bool:
        """While planning, and where some stand on the trip."""
        return page.editable or bool(page.file.permissions or page.trip.permissions)

    def says(self, page: Page) -> str:
        """How many there are."""
        count = len(page.file.permissions) + len(page.trip.permissions)
        return str(count) if count else say("none needed")

    def asks(self, page: Page) -> bool:
        """Where one has no comment yet."""
        return any(e.open and e.finding.rule.startswith("permission-") for e in page.file.findings)

    def answers(self, target: str, page: Page) -> str:
        """Permissions by name."""
        return self.name if target == "permissions" else ""

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """Those that are called for with what was said, those by hand, and the form for another."""
        asking = page.editable and (page.do == "ask" or "permission_form" in page.typed)
        return {
            "called_for": [(p, page.file.comment_on(p)) for p in page.file.permissions], "rows": page.trip.permissions,
            "form": page.form("permission_form", PermissionForm) if asking else None,
        }  # fmt: skip

    @act("permissions/", "permission-add", sums=True)
    def add(self, page: Page) -> str:
        """Ask for a special permission."""
        form = PermissionForm(page.request.POST)
        d = page.valid("permission_form", form, self.name)
        with page.trying("permission_form", form, self.name):
            details.add_permission(page.member, page.trip.pk, d["code"], d["title"], d["comment"])
        return self.name

    @act("permissions/<int:index>/remove/", "permission-remove", sums=True)
    def remove(self, page: Page, index: int) -> str:
        """Take a permission off that was added by hand."""
        details.remove_permission(page.member, page.trip.pk, index)
        return self.name


PANEL = PermissionsPanel()
