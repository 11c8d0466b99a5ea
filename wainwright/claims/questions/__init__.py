"""What an open claim still asks, one question after another, each answered in place: one file a kind, found by itself.

A kind names itself, finds its questions on a claim, and takes an answer. What is asked elsewhere on the page (a finding
that has no question of its own) is not asked twice.
"""

from __future__ import annotations

import pkgutil
from importlib import import_module

from wainwright.claims.questions.base import Asking, Kind, Question
from wainwright.core.said import say
from wainwright.errors import Stale


def _found() -> dict[str, Kind]:
    """Every kind of question, by its code, in the order in which it is asked. Two of one code are an error."""
    modules = (
        import_module(f"{__name__}.{each.name}") for each in pkgutil.iter_modules(__path__) if each.name != "base"
    )
    kinds = sorted((module.KIND for module in modules), key=lambda kind: kind.order)
    if len({kind.code for kind in kinds}) != len(kinds):
        raise ValueError("two kinds of question have one code")
    return {kind.code: kind for kind in kinds}


KINDS = _found()


def questions(asking: Asking) -> list[Question]:
    """Return what is asked of a claim, in the order in which it is asked."""
    return [question for kind in KINDS.values() for question in kind.find(asking)]


def shown(asking: Asking, found: list[Question], key: str = "") -> Question | None:
    """Return the question that is asked now, with what helps to answer it: the one of a key, else the first."""
    question = next((each for each in found if each.key == key), found[0] if found else None)
    return KINDS[question.kind].help(asking, question) if question is not None else None


def answer(asking: Asking, key: str, said: str, words: str, ticked: list[str]) -> str:
    """Take the answer to a question that is still asked; return what was done, in words. Raises ``Stale``, ``Refusal``."""
    question = next((each for each in questions(asking) if each.key == key), None)
    if question is None:
        raise Stale(say("That is not asked any more. Look at the next question."))
    return KINDS[question.kind].answer(asking, question, said, words, ticked)


__all__ = ["Asking", "Question", "answer", "questions", "shown"]
