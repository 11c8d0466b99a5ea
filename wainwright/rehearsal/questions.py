"""Questions of the firm's own: kept as drafts, asked from a day on, of whom they are meant for."""

from __future__ import annotations

from typing import Any

from django.db import transaction

from wainwright.core.said import said_by, say
from wainwright.errors import Faults, Refusal
from wainwright.people.models import Firm, Membership
from wainwright.rehearsal.in_force import Kept
from wainwright.rehearsal.whom import Groups, NoGroup
from wainwright.rulebook.holding import locked
from wainwright.rulebook.models import FirmQuestion
from wainwright.rulebook.questions import QuestionTyped, read_question, typed_question
from wainwright.trail.services import record

MOST = 100


def said(row: FirmQuestion) -> dict[str, Any]:
    """Return a row as the trail keeps it."""
    return {
        "text": row.text, "about": row.about, "kind": row.kind, "choices": row.choices, "required": row.required, "decides": row.entitles, "for": row.groups,
        "where": row.where, "after": row.after, "answer": row.answer, "from": str(row.since or ""), "until": str(row.until or ""),
    }  # fmt: skip


def _check(row: FirmQuestion) -> None:
    try:
        read_question(row.firm, typed_question(row), row)
    except Faults as wrong:
        raise Refusal(say("It cannot be put in force as it is: {wrong}", wrong=wrong)) from wrong


def _may_end(row: FirmQuestion) -> None:
    hang = FirmQuestion.objects.filter(firm=row.firm, after=row.code, until=None).exclude(code=row.code).first()
    if hang is not None:
        raise Refusal(
            say(
                "“{hang_text}” hangs on it: it would never be asked any more. End or change that first.",
                hang_text=hang.text,
            ),
            "until",
        )


QUESTIONS = Kept(FirmQuestion, "question", said, _check, _may_end)


def read_meant(
    firm: Firm, typed: QuestionTyped, named: str, left_out: str, row: FirmQuestion | None = None
) -> FirmQuestion:
    """Return what is typed as a question with whom it is meant for, not kept. Raises ``Faults`` with everything that is wrong."""
    faults: dict[str, str] = {}
    row = row or FirmQuestion(firm=firm, draft=True)
    try:
        read_question(firm, typed, row)
    except Faults as wrong:
        faults |= wrong.faults
    try:
        row.groups = Groups.of(firm).read(named, left_out)
    except NoGroup as unknown:
        faults["named"] = said_by(unknown)
    if faults:
        raise Faults(faults)
    return row


@transaction.atomic
def keep_question(
    by: Membership, typed: QuestionTyped, named: str = "", left_out: str = "", row_id: int | None = None, seen: str = "", code: str = ""
) -> FirmQuestion:  # fmt: skip
    """Keep a question as a draft: a new one, a draft that is there, or the change of ``code``.

    Raises ``NotAllowed``, ``Faults``, ``Refusal``, ``Stale``.
    """
    firm, before = locked(by), {}
    if row_id is not None:
        there = QUESTIONS.draft(firm, row_id, seen)
        before = said(there)
    else:
        last = QUESTIONS.may_change(firm, code) if code else None
        place = last.order if last else 1 + max(QUESTIONS.rows(firm).values_list("order", flat=True), default=0)
        there = FirmQuestion(
            firm=firm, draft=True, code=code or QUESTIONS.free_code(firm, "question", MOST), order=place
        )
    row = read_meant(firm, typed, named, left_out, there)
    row.save()
    record(
        by,
        say("kept a draft of a question"),
        QUESTIONS.subject(firm.pk, row.code),
        before=before or None,
        after=said(row),
    )
    return row
