"""Rules as they stand: what holds today, what comes, what was, what is being drafted."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from wainwright import clock
from wainwright.core.rules import Kind, kinds
from wainwright.people.models import Firm
from wainwright.rehearsal.whom import Groups
from wainwright.rulebook.models import Category, RuleSetting

HOLDS, COMES, WAS, DRAFT = "in force", "comes", "ended", "draft"


@dataclass(frozen=True)
class Version:
    """A rule for some days, in words. ``gap``: from when to when nothing held before it."""

    row: RuleSetting
    state: str
    params: list[str]
    whom: str
    on: str
    gap: tuple[date, date] | None = None


@dataclass(frozen=True)
class Standing:
    """A rule over all its days, the latest first, and its draft."""

    code: str
    kind: Kind
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
        said = [
            self.code,
            self.kind.title,
            *(
                f"{v.row.text} {v.whom} {v.on} {' '.join(v.params)} {v.row.level}"
                for v in [*self.rows, *filter(None, [self.draft])]
            ),
        ]
        return all(word in " ".join(said).casefold() for word in text.casefold().split())


def standings(firm: Firm, text: str = "") -> list[Standing]:
    """Return every rule of a firm, what holds first, then by its kind; of those that ``text`` means. Five queries."""
    rows = list(RuleSetting.objects.filter(firm=firm))
    found = [each for each in _standings(firm, rows) if each.has(text)]
    order = {HOLDS: 0, COMES: 0, DRAFT: 1, WAS: 2}
    return sorted(found, key=lambda each: (order[each.now.state], each.kind.title, each.code))


def standing(firm: Firm, code: str) -> Standing | None:
    """Return one rule, or nothing. Five queries."""
    return next(iter(_standings(firm, list(RuleSetting.objects.filter(firm=firm, code=code)))), None)


def said(row: RuleSetting) -> Version:
    """Return a rule in words. Four queries."""
    firm = row.firm
    names = dict(Category.objects.filter(firm=firm).values_list("code", "name"))
    return _version(row, kinds()[row.kind], Groups.of(firm), names, firm.currency, clock.today(firm.zone), None)


def _standings(firm: Firm, rows: Sequence[RuleSetting]) -> list[Standing]:
    groups, today = Groups.of(firm), clock.today(firm.zone)
    names = dict(Category.objects.filter(firm=firm).values_list("code", "name"))
    by_code: dict[str, list[RuleSetting]] = {}
    for row in rows:
        by_code.setdefault(row.code, []).append(row)
    found = []
    for code, of_code in by_code.items():
        kind = kinds()[of_code[0].kind]
        kept = sorted((row for row in of_code if not row.draft), key=lambda row: row.since or date.min)
        said = []
        for n, row in enumerate(kept):
            before = kept[n - 1].until if n else None
            gap = None
            if before is not None and row.since is not None and row.since > before + timedelta(days=1):
                gap = before + timedelta(days=1), row.since - timedelta(days=1)
            said.append(_version(row, kind, groups, names, firm.currency, today, gap))
        drafts = [_version(row, kind, groups, names, firm.currency, today, None) for row in of_code if row.draft]
        found.append(Standing(code, kind, said[::-1], drafts[0] if drafts else None))
    return found


def _version(
    row: RuleSetting, kind: Kind, groups: Groups, names: dict[str, str], currency: str, today: date, gap: tuple[date, date] | None
) -> Version:  # fmt: skip
    state = (
        DRAFT
        if row.draft
        else COMES
        if row.since and row.since > today
        else WAS
        if row.until and row.until < today
        else HOLDS
    )
    params = [words for param in kind.params if (words := param.say(row.params.get(param.name, ""), currency))]
    on = " and ".join(f"{each}s" for each in ("plan", "claim") if each in (row.subjects or kind.on) and each in kind.on)
    if row.categories:
        on += f": {', '.join(names.get(each, each) for each in row.categories)}"
    return Version(row, state, params, groups.sentence(row.groups), on, gap)
