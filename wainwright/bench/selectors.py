"""What waits, for oneself or for others, and what was decided: filtered, sorted and paged in the database."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from typing import Any
from urllib.parse import urlencode

from django.core.paginator import Page, Paginator
from django.db.models import Case, CharField, Count, DateField, F, IntegerField, Min, Q, QuerySet, Sum, Value, When
from django.db.models.functions import Coalesce

from wainwright import clock
from wainwright.accounts.models import Budget
from wainwright.claims.models import Claim
from wainwright.core.money import Money
from wainwright.core.said import say
from wainwright.people.models import Membership
from wainwright.people.selectors import below
from wainwright.signoff.models import WHAT, SignOff
from wainwright.trips.models import Trip

SIZE, MOST_AT_ONCE = 30, 100
_TEXT, _NUMBER = CharField(), IntegerField()
# Signed as a whole, and nothing of it is out of line.
_EASY = Q(odd=False, scope="all")
WORDS = {"In finance check": say("to check"), "Cleared": say("to post"), "Posting refused": say("refused")}
SHOWS = {"mine": say("Waiting for me"), "others": say("Waiting for others"), "decided": say("Decided")}
SORTS = {
    "due": say("due date"), "risk": say("risk"), "kind": say("kind"), "person": say("person"), "coding": say("coding"), "amount": say("amount"), "oldest": say("how long"),
}  # fmt: skip
_FAR = date(9999, 12, 31)
_ORDER = {
    "due": ("rank", "due", "since", "pk"), "risk": ("-risk", "rank", "due", "pk"), "kind": ("what", "rank", "due", "pk"),
    "person": ("who", "due", "pk"), "coding": ("coding", "due", "pk"), "amount": ("-minor", "pk"), "oldest": ("since", "pk"),
}  # fmt: skip


@dataclass(frozen=True)
class Wanted:
    """Which part of the queue is looked at. What stands in the address, and nothing else."""

    show: str = "mine"
    kind: str = ""
    sort: str = "due"
    text: str = ""
    calm: bool = False

    @classmethod
    def of(cls, query: Mapping[str, str]) -> Wanted:
        """Read it from an address; what means nothing is left out."""
        show, kind, sort = (query.get(name, "")[:12] for name in ("show", "kind", "sort"))
        return cls(
            show if show in SHOWS else "mine", kind if kind in dict(WHAT) else "", sort if sort in SORTS else "due",
            query.get("q", "").strip()[:60], query.get("calm") == "1",
        )  # fmt: skip

    def address(self, **other: object) -> str:
        """The address of the same with something else, as a query; what is usual is left out."""
        wanted = replace(self, **other)  # type: ignore[arg-type]
        usual = Wanted()
        named = {"show": "show", "kind": "kind", "sort": "sort", "text": "q", "calm": "calm"}
        said = {
            short: "1" if value is True else value
            for name, short in named.items()
            if (value := getattr(wanted, name)) != getattr(usual, name)
        }
        return f"?{urlencode(said)}" if said else ""


@dataclass(frozen=True)
class Waiting:
    """One thing that waits for a decision, or was decided. ``holds`` is for whom it waits, where that is somebody else."""

    kind: str
    object_id: int
    who: str
    title: str
    amount: Money
    due: date | None
    days: int | None
    marks: list[str]
    finance_word: str = ""
    what: str = "claim"
    risk: int = 0
    coding: str = ""
    holds: str = ""
    state: str = ""
    signoff: int = 0
    since: object = None

    @property
    def first_code(self) -> str:
        """The first code of its coding, which its budget is looked up by."""
        return self.coding.partition(" / ")[0].strip()

    @property
    def calm(self) -> bool:
        """Whether nothing of it is out of line."""
        return not self.marks


@dataclass(frozen=True)
class Easy:
    """How much of what waits has nothing out of line, and what it comes to."""

    count: int
    sums: list[Money]


@dataclass(frozen=True)
class Bench:
    """One page of the queue, how many there are in all, what they come to by currency, and since when the oldest waits."""

    page: Page
    wanted: Wanted = field(default_factory=Wanted)
    count: int = 0
    sums: Sequence[Money] = ()
    oldest: object = None
    easy: Easy | None = None

    @property
    def waiting(self) -> list[Waiting]:
        """The things of the page."""
        return list(self.page.object_list)


def bench(member: Membership, wanted: Wanted | None = None, number: str | None = None) -> Bench:
    """Return a page of what waits for a person, or of what they look at. Four queries at most, however much there is; another for who stands below."""
    wanted = wanted or Wanted()
    signoffs, claims = _signoffs(member, wanted), _claims(member, wanted)
    count, sums, oldest, easy = _in_all(signoffs, claims)
    pages = Paginator(_rows(signoffs, claims, wanted), SIZE)
    pages.count = count
    page = pages.get_page(number)
    page.object_list = _shown(member, list(page.object_list), wanted) if count else []
    return Bench(page, wanted, count, sums, oldest, easy)


def left_of(member: Membership, things: Sequence[Waiting]) -> dict[str, Money]:
    """Return what is left of the budget of the first code of each coding, with all that is committed. One query."""
    firsts = {each.first_code for each in things} - {""}
    year = clock.today(member.firm.zone).year
    rows = Budget.objects.filter(firm_id=member.firm_id, year=year, code__in=firsts).annotate(
        used=Sum("uses__committed_minor", default=0) + Sum("uses__actual_minor", default=0)
    )
    return {row.code: Money.from_minor(row.amount_minor - row.used, member.firm.currency) for row in rows}


def waiting_count(member: Membership) -> int:
    """Return how many things wait for a person. One query."""
    wanted = Wanted()
    return _in_all(_signoffs(member, wanted), _claims(member, wanted))[0]


def calm(member: Membership, wanted: Wanted) -> list[str]:
    """Return the sign-offs of a person without anything out of line, so many as one act takes, each as "sign-off:version".

    Three queries at most.
    """
    rows = _signoffs(member, replace(wanted, calm=True)).filter(scope="all")
    first = list(rows.order_by("due", "since", "pk").values_list("pk", "kind", "object_id")[:MOST_AT_ONCE])
    versions = {
        kind: dict(model.objects.filter(pk__in=[pk for _, k, pk in first if k == kind]).values_list("pk", "version"))
        for kind, model in (("trip", Trip), ("claim", Claim))
        if any(k == kind for _, k, _ in first)
    }
    return [f"{pk}:{versions[kind][thing]}" for pk, kind, thing in first if thing in versions[kind]]


def _signoffs(member: Membership, wanted: Wanted) -> QuerySet[SignOff]:
    # One's own need no firm: the index of the signer alone has them in their order.
    rows = (
        SignOff.objects.filter(signer=member)
        if wanted.show == "mine"
        else SignOff.objects.filter(firm_id=member.firm_id)
    )
    if wanted.show == "decided":
        rows = rows.filter(decided__isnull=False)
        rows = rows if member.may["read_all"] else rows.filter(signer=member)
    else:
        rows = rows.filter(state=SignOff.State.WAITING, turn=True)
        rows = rows if wanted.show == "mine" else _of_others(member, rows)
    if wanted.kind:
        rows = rows.filter(what=wanted.kind)
    if wanted.text:
        rows = rows.filter(Q(title__icontains=wanted.text) | Q(coding__icontains=wanted.text))
    return rows.filter(odd=False) if wanted.calm else rows


def _of_others(member: Membership, rows: QuerySet[SignOff]) -> QuerySet[SignOff]:
    """What waits for others: of the whole firm for who reads it all, else of those below one."""
    rows = rows.exclude(signer=member)
    if member.may["read_all"]:
        return rows
    return rows.filter(signer__in=below(member))


def _claims(member: Membership, wanted: Wanted) -> QuerySet[Claim]:
    """What waits for finance: never one's own; nothing for others, whose it is not."""
    if not member.may["check"] or wanted.show != "mine" or wanted.kind == "plan":
        return Claim.objects.none()
    rows = Claim.objects.filter(firm_id=member.firm_id, state__in=list(WORDS)).exclude(claimant=member)
    if wanted.kind:
        rows = rows.filter(supplements__isnull=wanted.kind != "supplement")
    if wanted.text:
        person = Q(claimant__person__name__icontains=wanted.text)
        rows = rows.filter(person | Q(title__icontains=wanted.text) | Q(statement__coding__icontains=wanted.text))
    return rows.filter(statement__risk=0) if wanted.calm else rows


def _in_all(signoffs: QuerySet[SignOff], claims: QuerySet[Claim]) -> tuple[int, list[Money], object, Easy]:
    """How many, what they come to by currency, since when the oldest waits, how much has nothing out of line. One query."""
    names = ("currency", "n", "s", "o", "e", "es")
    rows = signoffs.order_by().values("currency").annotate(
        n=Count("pk"), s=Sum("amount_minor"), o=Min("since"), e=Count("pk", filter=_EASY), es=Sum("amount_minor", filter=_EASY)
    ).values(*names)  # fmt: skip
    if not claims.query.is_empty():
        none = Value(0, _NUMBER)
        of_claims = claims.order_by().values("currency").annotate(n=Count("pk"), s=Sum("statement__total_minor"), o=Min("sent"), e=none, es=none)  # fmt: skip
        rows = rows.union(of_claims.values(*names), all=True)
    count, sums, oldest, easy, easy_sums = 0, {}, None, 0, {}
    for row in rows:
        currency = row["currency"]
        count, easy = count + row["n"], easy + row["e"]
        sums[currency] = sums.get(currency, 0) + (row["s"] or 0)
        easy_sums[currency] = easy_sums.get(currency, 0) + (row["es"] or 0)
        oldest = min(filter(None, (oldest, row["o"])), default=None)
    return count, _moneys(sums), oldest, Easy(easy, _moneys({c: minor for c, minor in easy_sums.items() if minor}))


def _moneys(sums: Mapping[str, int]) -> list[Money]:
    return [Money.from_minor(minor, currency) for currency, minor in sums.items()]


# What each order goes by, of sign-offs and of claims that wait for finance. Only what is gone by is joined and sorted:
# all that waits is looked at for a page of it.
_OF_SIGNOFFS = {
    "rank": Value(1, _NUMBER), "due": F("due"), "since": F("since"), "risk": F("risk"), "what": F("what"), "who": F("title"),
    "coding": F("coding"), "minor": F("amount_minor"),
}  # fmt: skip
_OF_CLAIMS = {
    "rank": Case(When(state="Posting refused", then=0), default=2, output_field=_NUMBER), "due": Value(_FAR, DateField()), "since": F("sent"),
    "risk": Coalesce(F("statement__risk"), 0), "who": F("claimant__person__name"),
    "what": Case(When(supplements__isnull=False, then=Value("supplement")), default=Value("claim"), output_field=_TEXT),
    "coding": Coalesce(F("statement__coding"), Value("")), "minor": Coalesce(F("statement__total_minor"), 0),
}  # fmt: skip


def _rows(signoffs: QuerySet[SignOff], claims: QuerySet[Claim], wanted: Wanted) -> QuerySet:
    """Sign-offs as they are, in the order that is wanted; where claims wait as well, which of both in one order."""
    if wanted.show == "decided":
        return signoffs.order_by("-decided", "-pk").select_related("signer__person")
    if claims.query.is_empty():
        # One kind alone needs no rank, and is in the order of an index.
        order = [name for name in _ORDER[wanted.sort] if name != "rank"]
        named = {"who": "title", "minor": "amount_minor", "-minor": "-amount_minor"}
        return signoffs.select_related("signer__person").order_by(*(named.get(name, name) for name in order))
    by = [name.removeprefix("-") for name in _ORDER[wanted.sort] if name != "pk"]

    def of(rows: QuerySet, source: str, columns: Mapping[str, Any]) -> QuerySet:
        named = {f"by_{name}": columns[name] for name in by}
        return rows.order_by().annotate(source=Value(source, _TEXT), **named).values("source", "pk", *named)

    order = [name.replace("-", "-by_") if "-" in name else f"by_{name}" for name in _ORDER[wanted.sort] if name != "pk"]
    return of(signoffs, "s", _OF_SIGNOFFS).union(of(claims, "c", _OF_CLAIMS), all=True).order_by(*order, "pk")


def _whole(rows: Sequence[SignOff | Mapping[str, Any]]) -> list[SignOff | Claim]:
    """The sign-offs and claims of a page, in its order. Two queries at most."""
    if not rows or isinstance(rows[0], SignOff):
        return list(rows)
    of_kind = {source: [row["pk"] for row in rows if row["source"] == source] for source in "sc"}
    found: dict[tuple[str, int], SignOff | Claim] = {}
    for source, all_rows in (
        ("s", SignOff.objects.select_related("signer__person")),
        ("c", Claim.objects.select_related("claimant__person", "statement").defer("statement__workings")),
    ):
        if of_kind[source]:
            found |= {(source, row.pk): row for row in all_rows.filter(pk__in=of_kind[source])}
    # What was decided between the two readings is not on the page any more.
    return [found[key] for row in rows if (key := (row["source"], row["pk"])) in found]


def _shown(member: Membership, rows: Sequence, wanted: Wanted) -> list[Waiting]:
    """The things of a page, in its order."""
    today = clock.today(member.firm.zone)
    return [
        _of_signoff(row, member, today, wanted) if isinstance(row, SignOff) else _of_claim(row) for row in _whole(rows)
    ]


def _of_signoff(row: SignOff, member: Membership, today: date, wanted: Wanted) -> Waiting:
    who, _, title = row.title.partition(": ")
    days = (row.due - today).days if row.due else None
    decided = wanted.show == "decided"
    holds = "" if row.signer_id == member.pk and not decided else row.signer.person.name
    return Waiting(
        row.kind, row.object_id, who, title, row.amount, row.due, days, _marks(row.marks), "", row.what, row.risk, row.coding,
        holds, row.state if decided else "", row.pk, row.decided if decided else row.since,
    )  # fmt: skip


def _of_claim(row: Claim) -> Waiting:
    """A claim that waits for finance."""
    made = row.statement
    return Waiting(
        "claim", row.pk, row.claimant.person.name, row.title, Money.from_minor(made.total_minor if made else 0, row.currency), None, None,
        _marks(made.marks if made else []), WORDS.get(row.state, ""), "supplement" if row.supplements_id else "claim",
        made.risk or 0 if made else 0, made.coding if made else "", since=row.sent,
    )  # fmt: skip


def _marks(levels: list[str]) -> list[str]:
    return sorted(level for level in levels if level != "note")[::-1][:5]
