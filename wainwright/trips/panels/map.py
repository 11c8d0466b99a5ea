"""The journey on the map."""

from __future__ import annotations

from typing import Any

from wainwright.core.said import say
from wainwright.trips.panels.base import Page, Panel
from wainwright.trips.pictures import map_of


class MapPanel(Panel):
    """Moves and nights, drawn over land and sea."""

    name = "map"
    title = say("Map")
    order = 60

    def there(self, page: Page) -> bool:
        """Once there is a move."""
        return bool(page.file.legs)

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """The picture."""
        return {"map": map_of(page.file.figures)}


PANEL = MapPanel()
