"""Finds every kind of rule: each module of this package that is not machinery is imported once."""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Mapping
from functools import cache

from wainwright.core import rules
from wainwright.core.rules.base import REGISTRY, Kind

_MACHINERY = {"base", "engine", "facts", "registry"}


@cache
def kinds() -> Mapping[str, Kind]:
    """Return all kinds by code."""
    for module in pkgutil.iter_modules(rules.__path__):
        if module.name not in _MACHINERY:
            importlib.import_module(f"{rules.__name__}.{module.name}")
    return dict(REGISTRY)
