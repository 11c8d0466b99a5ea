"""The panels of a trip's page, found by themselves: every module here that has a ``PANEL``."""

from __future__ import annotations

from functools import cache
from importlib import import_module
from pkgutil import iter_modules

from wainwright.trips.panels.base import LinePanel, Page, Panel


@cache
def panels() -> dict[str, Panel]:
    """Return every panel by its name: doors first, in their order."""
    modules = [import_module(f"{__name__}.{each.name}") for each in iter_modules(__path__)]
    found = sorted((m.PANEL for m in modules if hasattr(m, "PANEL")), key=lambda panel: (panel.order or 99, panel.name))
    return {panel.name: panel for panel in found}


def find(page: Page) -> tuple[Panel, str] | None:
    """Return the panel that stands open on a page and which part of it; nothing where there is none of that name.

    A part that goes by another name by now, as a stay that has grown, is found and named anew.
    """
    name, _, which = page.opened.partition("-")
    panel = panels().get(name)
    if panel is None or not panel.there(page):
        return None
    proper = panel.proper(page, which)
    if proper is None:
        return None
    page.opened = f"{name}-{proper}" if proper else name
    return panel, proper


def doors(page: Page) -> list[Panel]:
    """Return the panels that stand in the row of doors."""
    return [panel for panel in panels().values() if panel.order and panel.there(page)]


def opens(target: str, page: Page) -> str:
    """Return the name of what opens where a finding is cured; nothing where no panel of this page does it."""
    return next(
        (name for panel in panels().values() if panel.there(page) and (name := panel.answers(target, page))), ""
    )


__all__ = ["LinePanel", "Page", "Panel", "doors", "find", "opens", "panels"]
