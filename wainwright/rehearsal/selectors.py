"""Rules as they stand: what holds today, what comes, what was, what is being drafted."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal
from typing import Any

from wainwright import clock
from wainwright.core.money import Money
from wainwright.core.rules import kinds
from wainwright.core.said import joined, say
from wainwright.people.models import Firm
from wainwright.rehearsal.categories import spaced
from wainwright.rehearsal.routing import condition_words
from wainwright.rehearsal.whom import Groups
from wainwright.rulebook.models import WORDS, Category, FirmQuestion, RouteSetting, RuleSetting
from wainwright.rulebook.questions import PAYS, WHAT
from wainwright.rulebook.selectors import rulebook

Gap = tuple[date, date] | None
WHAT_WORDS = dict(WHAT)
_PAID = {**dict(PAYS), "self": say("paid by the person")}
HOLDS, COMES, WAS, DRAFT = "in force", "comes", "ended", "draft"


@dataclass(frozen=True)
class Version:
    """Something laid down for some days, in words. ``gap``: from when to when nothing held before it."""

    row: Any
    state: str
    params: list[str]
    whom: str
    on: str
    gap: Gap = None


@dataclass(frozen=True)
class Standing:
    """A rule over all its days, the latest first, and its draft."""

    code: str
    title: str
    rows: list[Version]
    draft: Version | None

    @property
    def now(self) -> Version:
        """What speaks for it: what is in force today, else what comes, else its draft, else what was last."""
        for state in (HOLDS, COMES):
            for each in self.rows:
                if each.state == state:
                    return each
        return self.draft or self.rows[0]

    @property
    def comes(self) -> bool:
        """Whether its latest days have not begun."""
        return bool(self.rows) and self.rows[0].state == COMES

    @property
    def over(self) -> bool:
        """Whether it has ended, or never began."""
        return not any(each.state in (HOLDS, COMES) for each in self.rows)

    def has(self, text: str) -> bool:
        """Whether any word of it is meant by what is looked for."""
        versions = [*self.rows, *filter(None, [self.draft])]
        said = [
            self.code,
            self.title,
            *(
                joined("", (v.row, " ", getattr(v.row, "text", ""), " ", v.whom, " ", v.on, " ", " ".join(v.params)))
                for v in versions
            ),
        ]
        return all(word in " ".join(f"{each} {each!s}" for each in said).casefold() for word in text.casefold().split())


@dataclass(frozen=True)
class _Words:
    """What rows are said with, looked up once."""

    firm: Firm
    today: date
    groups: Groups
    names: dict[str, str]
    sentences: dict[str, str]
    questions: dict[str, str]

    @classmethod
    def of(cls, firm: Firm) -> _Words:
        names, asked = rulebook(firm).names, {each.code: each.text for each in rulebook(firm).questions}
        sentences = dict(RuleSetting.objects.filter(firm=firm, draft=False).values_list("code", "text"))
        return cls(firm, clock.today(firm.zone), Groups.of(firm), names, sentences, asked)

    def rule(self, row: RuleSetting, gap: Gap) -> Version:
        kind = kinds()[row.kind]
        params = [
            words for param in kind.params if (words := param.say(row.params.get(param.name, ""), self.firm.currency))
        ]
        on = joined(
            say(" and "),
            (
                words
                for each, words in (("plan", say("plans")), ("claim", say("claims")))
                if each in (row.subjects or kind.on) and each in kind.on
            ),
        )
        if row.categories:
            on = joined("", (on, ": ", joined(", ", (self.names.get(each, each) for each in row.categories))))
        return Version(row, self.state(row), params, self.groups.sentence(row.groups), on, gap)

    def route(self, row: RouteSetting, gap: Gap) -> Version:
        words = condition_words(row, self.groups, self.names, self.sentences)
        return Version(row, self.state(row), words, self.groups.say([f"person:{row.signer_id}"]), row.place, gap)

    def category(self, row: Category, gap: Gap) -> Version:
        said = [
            say("asks {list}", list=joined(", ", (WORDS.get(each, each) for each in row.asks))) if row.asks else "", "lodging" if row.is_lodging else "", say("tips are usual") if row.tips else "",
            say("merchant codes {spaced}", spaced=spaced(row.merchant_codes)) if row.merchant_codes else "", say("words: {spaced}", spaced=spaced(row.words)) if row.words else "",
        ]  # fmt: skip
        posts = [
            row.account or say("no account yet"),
            *(
                say("abroad {account}", account=each["account"])
                if each["where"] == "abroad"
                else say("in {where} {account}", where=each["where"], account=each["account"])
                for each in row.accounts_if
            ),
        ]
        posts += [say("tax {code} in {country}", code=code, country=country) for country, code in row.tax_codes.items()]
        whom = self.groups.sentence(row.groups)
        return Version(row, self.state(row), [each for each in said if each], whom, joined(", ", posts), gap)

    def question(self, row: FirmQuestion, gap: Gap) -> Version:
        answered = (
            row.get_kind_display() if row.kind != "choice" else say("one of {list}", list=joined(", ", row.choices))
        )
        asks = [answered, "required" if row.required else "", row.get_where_display() if row.where else ""]
        if row.after:
            asks.append(say("after “{get}” {answer}", get=self.questions.get(row.after, row.after), answer=row.answer))
        decides = [_decided(each, self.firm.currency) for each in row.entitles]
        return Version(
            row,
            self.state(row),
            [each for each in asks if each],
            self.groups.sentence(row.groups),
            joined("; ", decides),
            gap,
        )

    def of_sort(self, row: Any) -> tuple[Callable[[Any, Gap], Version], str]:
        """How a row of its sort is said, and what it is called."""
        if isinstance(row, RuleSetting):
            return self.rule, kinds()[row.kind].title
        if isinstance(row, FirmQuestion):
            return self.question, say("Asked about {get_about_display}", get_about_display=row.get_about_display())
        return (self.category, row.name) if isinstance(row, Category) else (self.route, say("Asks as well"))

    def state(self, row: Any) -> str:
        if row.draft:
            return DRAFT
        if row.since and row.since > self.today:
            return COMES
        return WAS if row.until and row.until < self.today else HOLDS


def _decided(each: dict[str, Any], home: str) -> str:
    """What one answer decides, in words: which answer, what, how much, who pays."""
    amount = joined("", (Money(Decimal(str(each["amount"])), home), " ", home)) if each.get("amount") else ""
    said = [WHAT_WORDS.get(each["what"], each["what"]), each.get("name", ""), amount]
    words = joined(" ", filter(None, said))
    paid = (dict(PAYS) if each["what"] == "tickets" else _PAID).get(each.get("paid_by", ""), "")
    return joined(": ", filter(None, [str(each.get("when", "")), joined(", ", filter(None, [words, paid]))]))


@dataclass(frozen=True)
class LaidDown:
    """What of everything that is laid down by day is meant by what was looked for."""

    rules: list[Standing]
    routes: list[Standing]
    categories: list[Standing]
    questions: list[Standing]


def laid_down(firm: Firm, text: str = "") -> LaidDown:
    """Return the rules, rules of the route, categories and questions that ``text`` means. Nine queries."""
    words = _Words.of(firm)
    routes = RouteSetting.objects.filter(firm=firm).select_related("firm")
    return LaidDown(
        _all(RuleSetting.objects.filter(firm=firm), words, text), _all(routes, words, text),
        _ordered(_all(Category.objects.filter(firm=firm), words, text)), _ordered(_all(FirmQuestion.objects.filter(firm=firm), words, text)),
    )  # fmt: skip


def standing(firm: Firm, code: str) -> Standing | None:
    """Return one rule, or nothing. Six queries."""
    return next(iter(_all(RuleSetting.objects.filter(firm=firm, code=code), _Words.of(firm))), None)


def route_standings(firm: Firm, text: str = "") -> list[Standing]:
    """Return every rule of the route, what holds first; of those that ``text`` means. Six queries."""
    return _all(RouteSetting.objects.filter(firm=firm).select_related("firm"), _Words.of(firm), text)


def route_standing(firm: Firm, code: str) -> Standing | None:
    """Return one rule of the route, or nothing. Six queries."""
    rows = RouteSetting.objects.filter(firm=firm, code=code).select_related("firm")
    return next(iter(_all(rows, _Words.of(firm))), None)


def category_standings(firm: Firm, text: str = "") -> list[Standing]:
    """Return every category, in the order in which they are offered, what has ended last; of those that ``text`` means. Six queries."""
    return _ordered(_all(Category.objects.filter(firm=firm), _Words.of(firm), text))


def _ordered(found: list[Standing]) -> list[Standing]:
    return sorted(found, key=lambda each: (each.over and each.draft is None, each.now.row.order))


def category_standing(firm: Firm, code: str) -> Standing | None:
    """Return one category, or nothing. Six queries."""
    return next(iter(_all(Category.objects.filter(firm=firm, code=code), _Words.of(firm))), None)


def question_standings(firm: Firm, text: str = "") -> list[Standing]:
    """Return every question, in the order in which they are asked, what has ended last; of those that ``text`` means. Six queries."""
    return _ordered(_all(FirmQuestion.objects.filter(firm=firm), _Words.of(firm), text))


def question_standing(firm: Firm, code: str) -> Standing | None:
    """Return one question, or nothing. Six queries."""
    return next(iter(_all(FirmQuestion.objects.filter(firm=firm, code=code), _Words.of(firm))), None)


def said(row: RuleSetting) -> Version:
    """Return a rule in words. Five queries."""
    return _Words.of(row.firm).rule(row, None)


def _all(rows: Iterable[Any], words: _Words, text: str = "") -> list[Standing]:
    by_code: dict[str, list[Any]] = {}
    for row in rows:
        by_code.setdefault(row.code, []).append(row)
    found = []
    for code, of_code in by_code.items():
        worded, title = words.of_sort(of_code[0])
        kept = sorted((row for row in of_code if not row.draft), key=lambda row: row.since or date.min)
        versions = [worded(row, _gap(kept[n - 1] if n else None, row)) for n, row in enumerate(kept)]
        drafts = [worded(row, None) for row in of_code if row.draft]
        found.append(Standing(code, title, versions[::-1], drafts[0] if drafts else None))
    order = {HOLDS: 0, COMES: 0, DRAFT: 1, WAS: 2}
    return sorted(
        (each for each in found if each.has(text)), key=lambda each: (order[each.now.state], each.title, each.code)
    )


def _gap(before: Any, row: Any) -> Gap:
    """From when to when nothing held between a row and the one before it."""
    if before is None or before.until is None or row.since is None or row.since <= before.until + timedelta(days=1):
        return None
    return before.until + timedelta(days=1), row.since - timedelta(days=1)
