"""The route: who must sign, in which order, and why."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from wainwright.core.asking import Asks, Place
from wainwright.core.money import Money
from wainwright.core.said import joined, say

# After whoever may sign for the whole, however many managers up that is.
AFTER_ALL = 1_000_000


@dataclass(frozen=True, slots=True)
class Signer:
    """A person as the route sees them.

    ``limit`` is the limit of authority (``None``: no limit). ``cover`` decides while they are
    away, what comes to less than ``cover_below`` or everything; it is empty when they are not. ``signs_own`` is the privilege to sign
    what is one's own, up to ``own_limit`` (``None``: as far as one signs for others).
    """

    key: str
    name: str
    manager: str = ""
    limit: Money | None = None
    cover: str = ""
    signs_own: bool = False
    active: bool = True
    finance: bool = False
    cover_below: Money | None = None
    own_limit: Money | None = None


@dataclass(frozen=True, slots=True)
class Owned:
    """A coding part that has an owner, from a threshold on."""

    dimension: str
    code: str
    name: str
    owner: str
    threshold: Money


@dataclass(frozen=True, slots=True)
class RouteStep:
    """One sign-off. Steps of the same ``order`` sign side by side. ``covers`` names whom they stand in for."""

    order: int
    signer: str
    name: str
    why: str
    covers: str = ""
    scope: str = "all"


@dataclass(frozen=True, slots=True)
class Route:
    """The steps, and what stands in the way of them: a fault is a Stop at once."""

    steps: tuple[RouteStep, ...]
    faults: tuple[str, ...] = field(default=())


@dataclass(frozen=True, slots=True)
class _Wish:
    who: str
    order: int
    why: str
    scope: str


def work_out_route(
    claimant: str,
    amount: Money,
    by_code: Mapping[tuple[str, str], Money],
    people: Mapping[str, Signer],
    owned: Sequence[Owned],
    also: Sequence[Asks] = (),
) -> Route:
    """Return the route for ``amount``, of which each (dimension, code) bears its part in ``by_code``.

    Line manager, then the owners at or above their threshold side by side, then further managers up
    while the amount is over the limit of authority of whoever really signs: a cover signs with their
    own. Nobody twice (the later place is kept); nobody their own, unless privileged; the cover where
    somebody is away. Finance comes after the route, as the check of the claim. Managers that form a
    circle are a fault, never a loop. ``also`` are the firm's rules of the route that hold: each asks somebody before all,
    beside the owners, or after all.
    """
    people = covered_for(amount, people)
    faults: list[str] = []
    wishes: list[_Wish] = []
    me = people[claimant]
    manager, order = me.manager, 1
    if me.signs_own:
        wishes.append(_Wish(claimant, order, say("may sign their own"), "all"))
        manager = claimant
    elif not manager:
        faults.append(say("{me} has no line manager. An administrator can name one under People.", me=me.name))
    else:
        wishes.append(_Wish(manager, order, say("line manager of {me}", me=me.name), "all"))
    for part in owned:
        borne = by_code.get((part.dimension, part.code))
        if borne is not None and borne >= part.threshold:
            why = say("owner of {part_code} {part}", part_code=part.code, part=part.name)
            wishes.append(_Wish(part.owner, order + 1, why, f"{part.dimension}:{part.code}"))
    places = {Place.FIRST: order - 1, Place.OWNERS: order + 1, Place.LAST: AFTER_ALL}
    wishes += [_Wish(each.signer, places[each.place], each.text, "all") for each in also]
    signer, _, place = _who_can(manager, claimant, people) if manager else (None, "", "")
    more, missing = _upwards(signer, place, order + 2, amount, claimant, people)
    return _settle([*wishes, *more], claimant, people, [*faults, *missing])


def still_needed(amount: Money, signed: Sequence[str], claimant: str, people: Mapping[str, Signer]) -> Route:
    """Return who must sign besides those who have ``signed`` for the whole, in their order: nobody where one of them may.

    Limits, covers and amounts may have changed since the route was worked out; what counts is what holds when the last
    of them signs.
    """
    people = covered_for(amount, people)
    me = people[claimant]
    # What somebody signed of their own counts no more where they may not sign so much of it.
    counted = [key for key in signed if key != claimant or me.signs_own]
    if not signed or any(_may(people[key], amount) for key in counted):
        return Route(())
    if counted:
        wishes, faults = _upwards(people[counted[-1]], counted[-1], 1, amount, claimant, people)
        return _settle(wishes, claimant, people, faults)
    if not me.manager:
        return Route((), (say("{me} has no line manager. An administrator can name one under People.", me=me.name),))
    signer, _, place = _who_can(me.manager, claimant, people)
    more, faults = _upwards(signer, place, 2, amount, claimant, people)
    why = say("{amount} is over what {me} may sign of their own", amount=amount, me=me.name)
    return _settle([_Wish(me.manager, 1, why, "all"), *more], claimant, people, faults)


def covered_for(amount: Money, people: Mapping[str, Signer]) -> Mapping[str, Signer]:
    """Return people as an amount finds them.

    Where a cover decides only what is below, the next above does in its place; and whoever signs their own only up to a
    sum does not sign more of it.
    """
    over = {key: _as_found(amount, one) for key, one in people.items()}
    over = {key: one for key, one in over.items() if one is not people[key]}
    return {**people, **over} if over else people


def _as_found(amount: Money, one: Signer) -> Signer:
    if one.cover and one.cover_below is not None and one.manager and amount >= one.cover_below:
        one = replace(one, cover=one.manager)
    if one.signs_own and one.own_limit is not None and amount > one.own_limit:
        one = replace(one, signs_own=False)
    return one


def finance_faults(claimant: str, people: Mapping[str, Signer]) -> list[str]:
    """Return why nobody could check, post and pay a claim after its route; nothing where somebody in finance can."""
    others = [one for one in people.values() if one.finance and one.active and one.key != claimant]
    if others:
        return []
    own = people[claimant].finance
    who = say("Nobody else in finance can check your own claim") if own else say("Nobody in finance can check a claim")
    return [say("{who}. An administrator can give somebody that role under People.", who=who)]


def who_signs_for(wanted: str, claimant: str, people: Mapping[str, Signer]) -> tuple[Signer | None, str]:
    """Return who signs where ``wanted`` is asked, and for whom they stand in: they, their cover, else the next above."""
    signer, covers, _ = _who_can(wanted, claimant, people)
    return signer, covers


def _may(signer: Signer, amount: Money) -> bool:
    return signer.limit is None or amount <= signer.limit


def _upwards(
    signer: Signer | None, place: str, order: int, amount: Money, claimant: str, people: Mapping[str, Signer]
) -> tuple[list[_Wish], list[str]]:
    """Go up from ``signer``, who signs in somebody's ``place``, until whoever really signs may sign for ``amount``."""
    wishes: list[_Wish] = []
    seen = {claimant, place}
    # Where nobody can sign in a place, that is told for the step itself.
    while signer is not None and not _may(signer, amount):
        over = say(
            "{amount} is over {signer}'s limit of {limit}", amount=amount, signer=signer.name, limit=signer.limit
        )
        up = people[place].manager
        if not up or up in seen:
            words = say(
                "{over}, and nobody above can sign. An administrator can raise a limit or name a manager.", over=over
            )
            return wishes, [words]
        wishes.append(_Wish(up, order, over, "all"))
        signer, _, place = _who_can(up, claimant, people)
        seen |= {up, place}
        order += 1
    return wishes, []


def _settle(wishes: Sequence[_Wish], claimant: str, people: Mapping[str, Signer], faults: list[str]) -> Route:
    """Turn wishes into steps: cover, going up past the claimant, nobody twice."""
    placed: dict[str, RouteStep] = {}
    for wish in wishes:
        signer, covers, _ = _who_can(wish.who, claimant, people)
        if signer is None:
            name = people[wish.who].name if wish.who in people else say("somebody who is not of the firm")
            faults.append(
                say(
                    "Nobody can sign as {why}: {name} cannot, and nobody above or as cover can.",
                    why=wish.why,
                    name=name,
                )
            )
            continue
        previous = placed.pop(signer.key, None)
        why = joined("", (previous.why, "; ", wish.why)) if previous else wish.why
        scope = wish.scope if previous is None or previous.scope == wish.scope else "all"
        placed[signer.key] = RouteStep(wish.order, signer.key, signer.name, why, covers, scope)
    orders = sorted({step.order for step in placed.values()})
    steps = sorted(placed.values(), key=lambda step: (step.order, step.name))
    renumbered = tuple(
        RouteStep(orders.index(step.order) + 1, step.signer, step.name, step.why, step.covers, step.scope)
        for step in steps
    )
    return Route(renumbered, tuple(dict.fromkeys(faults)))


def _who_can(wanted: str, claimant: str, people: Mapping[str, Signer]) -> tuple[Signer | None, str, str]:
    """Find who signs for ``wanted``: they, their cover, or the next above; whom they stand in for; and in whose place."""
    seen: set[str] = set()
    current = wanted
    while current and current not in seen:
        seen.add(current)
        person = people.get(current)
        if person is None:
            break
        own = current == claimant and not person.signs_own
        if not own and person.active and not person.cover:
            return person, "", current
        cover = people.get(person.cover) if person.cover and not own else None
        if cover is not None and cover.active and not cover.cover and cover.key != claimant:
            return cover, person.name, current
        current = person.manager
    return None, "", ""
