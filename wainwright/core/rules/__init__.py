"""The rule engine.

A rule is one *kind* (code: a pure check with parameters, one file of this package) and one
*setting* (data: parameters, what it applies to, from when, how grave). A new kind is a new file
here; ``registry`` finds it.
"""

from wainwright.core.rules.base import Cure, Finding, Hit, Kind, Level, Setting, kind
from wainwright.core.rules.engine import run
from wainwright.core.rules.facts import Item, Subject
from wainwright.core.rules.registry import kinds

__all__ = ["Cure", "Finding", "Hit", "Item", "Kind", "Level", "Setting", "Subject", "kind", "kinds", "run"]
