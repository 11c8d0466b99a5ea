"""The firm's own questions as they are typed or stand in a file: checked in full, with every fault at its place."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from typing import Any

from wainwright.core.money import Money
from wainwright.core.questions import YES_NO, in_a_circle
from wainwright.core.said import joined, say
from wainwright.core.text import decimal, one_line
from wainwright.errors import Faults
from wainwright.fields import typed_number
from wainwright.people.models import Firm
from wainwright.rulebook.models import Category, FirmQuestion

MOST_CHOICES, MOST_DECIDED, LONGEST = 20, 12, 60
WHAT = [("sum", say("pays a flat sum")), ("cost", say("expects a cost")), ("tickets", say("says who buys tickets")), ("vehicles", say("says how many own vehicles earn mileage"))]  # fmt: skip
PAYS = [("self", say("the person")), ("firm", say("the firm's card")), ("central", say("billed to the firm"))]
KEYS = {"when", "what", "name", "category", "amount", "paid_by"}


@dataclass(frozen=True)
class QuestionTyped:
    """A question as it is typed: choices a line each; ``entitles`` a row of texts for each thing that an answer decides."""

    text: str
    about: str = "trip"
    kind: str = "yes_no"
    choices: str = ""
    required: bool = False
    entitles: Sequence[Mapping[str, str]] = ()
    where: str = ""
    after: str = ""
    answer: str = ""


def typed_question(row: FirmQuestion) -> QuestionTyped:
    """Return a question that is there as it would be typed."""
    entitles = [{key: str(value) for key, value in each.items()} for each in row.entitles]
    return QuestionTyped(row.text, row.about, row.kind, "\n".join(row.choices), row.required, entitles, row.where, row.after, row.answer)  # fmt: skip


def read_question(firm: Firm, typed: QuestionTyped, row: FirmQuestion | None = None) -> FirmQuestion:
    """Return what is typed as a question, not kept. Raises ``Faults`` with everything that is wrong. Two queries."""
    faults: dict[str, str] = {}
    row = row or FirmQuestion(firm=firm, draft=True)
    row.text = one_line(typed.text).strip()
    if not 5 <= len(row.text) <= 200:
        faults["text"] = say("Ask it in 5 to 200 letters, as a traveller reads it.")
    row.about, row.kind, row.where, row.required = typed.about, typed.kind, typed.where, typed.required
    for name, known in (
        ("about", FirmQuestion.ABOUT),
        ("kind", FirmQuestion.KINDS),
        ("where", [("", ""), ("abroad", ""), ("home", "")]),
    ):
        if getattr(row, name) not in dict(known):
            faults[name] = say("Choose one of: {list}.", list=joined(", ", (each for each, _ in known if each)))
    row.choices = _choices(typed, faults)
    row.entitles = _entitles(firm, typed, row, faults)
    _after(firm, typed, row, faults)
    if faults:
        raise Faults(faults)
    return row


def _choices(typed: QuestionTyped, faults: dict[str, str]) -> list[str]:
    found = [one_line(each).strip() for each in typed.choices.splitlines() if each.strip()]
    if typed.kind != "choice":
        if found:
            faults["choices"] = say("Only a question of the kind “one of some” has answers to choose from.")
        return []
    if not 2 <= len(found) <= MOST_CHOICES or len(set(found)) < len(found):
        faults["choices"] = say("Type 2 to {most_choices} answers, a line each, none twice.", most_choices=MOST_CHOICES)
    elif long := [each for each in found if len(each) > LONGEST]:
        faults["choices"] = say("“{long}…” is longer than {longest} letters.", long=long[0][:30], longest=LONGEST)
    return found


def _entitles(firm: Firm, typed: QuestionTyped, row: FirmQuestion, faults: dict[str, str]) -> list[dict[str, str]]:
    rows = [{key: one_line(str(value)).strip() for key, value in each.items()} for each in typed.entitles]
    rows = [each for each in rows if any(value for key, value in each.items() if key != "paid_by")]
    if not rows:
        return []
    if row.about != "move" or row.kind not in ("yes_no", "choice"):
        faults["entitles"] = say("Only an answer that is chosen, about a move of house, decides something.")
        return []
    answers = YES_NO if row.kind == "yes_no" else tuple(row.choices)
    categories = set(Category.objects.filter(firm=firm, draft=False).values_list("code", flat=True))
    found, wrong = [], []
    for number, each in enumerate(rows[: MOST_DECIDED + 1], 1):
        kept, fault = _decided(each, firm, answers, categories)
        found.append(kept)
        if fault:
            wrong.append(say("Row {number}: {fault}", number=number, fault=fault))
    if len(rows) > MOST_DECIDED:
        wrong.append(say("At most {most_decided} rows.", most_decided=MOST_DECIDED))
    if sum(each["what"] in ("tickets", "vehicles") and not each.get("when") for each in found) > 1:
        wrong.append(say("Two rows decide the same for any answer."))
    if wrong:
        faults["entitles"] = joined(" ", wrong)
    return found


def _decided(
    each: Mapping[str, str], firm: Firm, answers: Sequence[str], categories: set[str]
) -> tuple[dict[str, str], str]:
    """What a row decides as it is kept, and what is wrong with it."""
    what, when = each.get("what", ""), each.get("when", "")
    kept = {"what": what} | ({"when": when} if when else {})
    if lost := sorted(set(each) - KEYS):
        return kept, say("there is no {lost}.", lost=lost[0][:20])
    if what not in dict(WHAT):
        return kept, say("say what it decides: {list}.", list=joined(", ", dict(WHAT)))
    if when and when not in answers:
        return kept, say("“{when}” is none of the answers.", when=when[:30])
    if what == "vehicles":
        return kept, "" if all(each.isdecimal() for each in answers) else say(
            "the answers are numbers of vehicles: 0, 1, 2."
        )
    pays = each.get("paid_by") or ("" if what == "tickets" else "self")
    if pays not in dict(PAYS):
        return kept, say("say who pays: {list}.", list=joined(", ", dict(PAYS)))
    kept["paid_by"] = pays
    if what == "tickets":
        return kept, ""
    try:
        amount = decimal(typed_number(each.get("amount", ""), 2))
        fits = amount.is_finite() and 0 < amount <= 10_000_000 and Money.rounded(amount, firm.currency).amount == amount
    except (InvalidOperation, ArithmeticError):
        amount, fits = Decimal(0), False
    kept |= {"name": each.get("name", "")[:60], "category": each.get("category", ""), "amount": f"{amount}"}
    if not fits:
        return kept, say("type an amount above zero of {currency}.", currency=firm.currency)
    if not kept["name"]:
        return kept, say("say how it is called on the claim.")
    return kept, "" if kept["category"] in categories else say(
        "there is no category {category}.", category=kept["category"][:20] or say("(none)")
    )


def _after(firm: Firm, typed: QuestionTyped, row: FirmQuestion, faults: dict[str, str]) -> None:
    row.after, row.answer = typed.after, typed.answer if typed.after else ""
    if not row.after:
        return
    others = {each.code: each for each in FirmQuestion.objects.filter(firm=firm).order_by("draft", "since")}
    before = others.get(row.after)
    if before is None or before.about != row.about:
        faults["after"] = say("There is no such question about the same kind of trip.")
        return
    known = before.as_core()
    if not known.answers:
        faults["after"] = say(
            "“{before_text}” is answered in words, not by choosing: nothing can hang on it.", before_text=before.text
        )
    elif row.answer not in known.answers:
        faults["answer"] = say("Choose one of its answers: {list}.", list=joined(", ", known.answers))
    if row.code and in_a_circle(
        [*(each.as_core() for code, each in others.items() if code != row.code), row.as_core()]
    ):
        faults["after"] = say("They would hang on each other in a circle: neither could ever be asked.")


def from_data(firm: Firm, rows: Sequence[Mapping[str, Any]]) -> None:
    """Give a firm questions as they stand in a file, asked from the first. Raises ``Faults`` naming what is wrong."""
    for order, data in enumerate(rows):
        known = {"code", "about", "text", "kind", "choices", "required", "entitles", "where", "after", "answer"}
        if lost := sorted(set(data) - known):
            raise Faults({"text": say("question {order}: there is no {lost}.", order=order + 1, lost=lost[0][:30])})
        code = str(data.get("code", f"question-{order + 1}"))
        if "/" in code or not 1 <= len(code) <= 30:
            raise Faults(
                {
                    "text": say(
                        "question {order}: “{code}” is no code: at most 30 letters, without a slash.",
                        order=order + 1,
                        code=code[:30],
                    )
                }
            )
        typed = QuestionTyped(
            str(data.get("text", "")), data.get("about", "trip"), data.get("kind", ""), "\n".join(data.get("choices", ())), bool(data.get("required")),
            data.get("entitles", ()), data.get("where", ""), data.get("after", ""), data.get("answer", ""),
        )  # fmt: skip
        row = FirmQuestion(firm=firm, code=code, order=order)
        read_question(firm, typed, row).save()
