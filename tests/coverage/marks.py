"""Reads marks off tests as they are written, without running them, and makes a document of them."""

from __future__ import annotations

import ast
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path

from tests.coverage.clauses import CAPABILITIES, OPEN

ROOT = Path(__file__).resolve().parents[2]
DOCUMENT = ROOT / "docs" / "coverage.md"
# Through the application: its services and pages, or a browser.
WHERE = ("tests/apps", "tests/browser")
HEAD = """# What the application must do, and what shows it

Made by `.venv/bin/python -m tests.coverage` from marks on tests (`@shows`); a test holds that each clause has one or is named as open, and that this
page is as it would be made. Codes are those of the capabilities; tests are named by module, class and what they hold.

"""


def clauses() -> dict[str, str]:
    """Every clause by its name, in order."""
    return {f"{code}.{number}": words for code, _, each in CAPABILITIES for number, words in enumerate(each, 1)}


def marks() -> dict[str, list[str]]:
    """The tests that show each clause: "apps.test_x.Class.test_y", or a class as a whole."""
    found: dict[str, list[str]] = defaultdict(list)
    for folder in WHERE:
        for path in sorted((ROOT / folder).glob("test_*.py")):
            module = f"{path.parent.name}.{path.stem}"
            for node in ast.parse(path.read_text()).body:
                if isinstance(node, ast.ClassDef):
                    for name, marked in [
                        (node.name, node),
                        *((f"{node.name}.{test.name}", test) for test in _tests(node)),
                    ]:
                        for clause in _shown(marked):
                            found[clause].append(f"{module}.{name}")
    return dict(found)


def _tests(node: ast.ClassDef) -> Iterator[ast.FunctionDef]:
    return (each for each in node.body if isinstance(each, ast.FunctionDef) and each.name.startswith("test"))


def _shown(node: ast.ClassDef | ast.FunctionDef) -> Iterator[str]:
    for each in node.decorator_list:
        if isinstance(each, ast.Call) and isinstance(each.func, ast.Name) and each.func.id == "shows":
            yield from (argument.value for argument in each.args if isinstance(argument, ast.Constant))


def document() -> str:
    """docs/coverage.md."""
    found, parts = marks(), [HEAD]
    for code, title, each in CAPABILITIES:
        parts.append(f"## {code} {title}\n\n| clause | shown by |\n|---|---|\n")
        for number, words in enumerate(each, 1):
            clause = f"{code}.{number}"
            tests = ", ".join(f"`{test}`" for test in found.get(clause, []))
            said = tests or f"**open:** {OPEN.get(clause, '')}"
            parts.append(f"| {number} {words} | {said} |\n")
        parts.append("\n")
    return "".join(parts).rstrip("\n") + "\n"
