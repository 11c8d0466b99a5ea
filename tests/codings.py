"""Codings of the demo's first firm in the order in which it writes them, for tests."""

from wainwright.core.coding import Coding

DIMENSIONS = ("cost_centre", "project", "task", "fund", "kind")


def coded(*codes: str, account: str = "") -> Coding:
    """A coding by its codes in order: cost centre, project, task, funding source, kind of cost."""
    return Coding.of(zip(DIMENSIONS, codes), account)  # noqa: B905 - what is left out is empty
