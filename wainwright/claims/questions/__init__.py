"""What an open claim still asks, one question after another, each answered in place: one file a kind, found by this list.

A kind names itself, finds its questions on a claim, and takes an answer. What is asked elsewhere on the page (a finding
that has no question of its own) is not asked twice.
"""

from __future__ import annotations

from wainwright.claims.questions import evidence, fallen, meals, pairs, reasons, who
from wainwright.claims.questions.base import Asking, Kind, Question
from wainwright.errors import Stale

KINDS: dict[str, Kind] = {
    kind.code: kind for kind in (fallen.KIND, pairs.KIND, meals.KIND, who.KIND, evidence.KIND, reasons.KIND)
}


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
        raise Stale("That is not asked any more. Look at the next question.")
    return KINDS[question.kind].answer(asking, question, said, words, ticked)


__all__ = ["Asking", "Question", "answer", "questions", "shown"]
