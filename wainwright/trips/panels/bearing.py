"""Who bears the cost: the trip's coding, and the splits of it, of a category or of one cost."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from wainwright.accounts.split_form import TypedSplit, do_split, editor
from wainwright.accounts.splits import shares_of
from wainwright.core.money import Money, total
from wainwright.core.said import joined, kept, say, small
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.trips.bearing import plan_by_coding
from wainwright.trips.panels.base import Again, Page, Panel, act
from wainwright.trips.selectors import TripFile
from wainwright.trips.services import details


def split_abouts(file: TripFile) -> list[tuple[str, str]]:
    """What can be split: the whole, each category, each cost."""
    found = [("all", say("The whole trip"))]
    names = file.book.names | {"allowance": say("Daily allowance")}
    for code in dict.fromkeys([e.category for e in file.figures.estimates] + ["allowance"]):
        found.append((f"category:{code}", names.get(code, code)))
    found += [(f"line:{e.key}", joined("", (e.label, ", ", e.amount))) for e in file.figures.estimates]
    return found


def whole_of(file: TripFile, about: str) -> Money | None:
    """What a split is about comes to; nothing where it is about nothing."""
    kind, _, key = about.partition(":")
    allowance = file.figures.allowance.amount
    rows = [(e.category, e.key, e.amount) for e in file.figures.estimates] + [("allowance", "allowance", allowance)]
    amounts = [a for category, own, a in rows if about == "all" or key == (category if kind == "category" else own)]
    return total(amounts, file.trip.currency) if amounts else None


class BearingPanel(Panel):
    """The splits as they stand with what each coding bears, and one more."""

    name = "bearing"
    title = say("Who bears it")
    order = 30

    def says(self, page: Page) -> str:
        """The splits with their shares; without one the coding."""
        rows = page.trip.shares
        if not rows:
            return str(page.trip.coding) or say("not said yet")
        if len(rows) > 1:
            return say("{rows_count} splits", rows_count=len(rows))
        shares = " : ".join(f"{part.share.normalize():f}" for part in shares_of(page.trip)[rows[0]["about"]])
        return joined("", (small(kept(rows[0]["label"].partition(",")[0])), " ", shares))

    def asks(self, page: Page) -> bool:
        """Where a coding does not hold together, or what was split is gone."""
        wrong = [e.finding for e in page.file.findings if e.open]
        return any(f.target == "split" or f.rule.startswith("coding-") for f in wrong)

    def answers(self, target: str, page: Page) -> str:
        """A split."""
        return self.name if target == "split" else ""

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """What each coding bears, the splits, and the editor for one."""
        shares = shares_of(page.trip)
        found: dict[str, Any] = {
            "rows": [(row, shares[row["about"]]) for row in page.trip.shares], "codings": plan_by_coding(page.file),
            "split": page.do == "split" or bool(page.typed) or (page.editable and not page.trip.shares),
        }  # fmt: skip
        if found["split"] and page.editable:
            typed = page.typed.get("typed") or TypedSplit.from_parts(
                shares.get("all", []), "all", str(page.trip.coding)
            )
            recent = [str(page.trip.coding), *(str(part.coding) for parts in shares.values() for part in parts)]
            found["edit"] = editor(
                page.member, typed, whole_of(page.file, typed.about), split_abouts(page.file), recent
            )
        return found

    @act("split/", "plan-split", sums=True)
    def change(self, page: Page) -> str:
        """Split the plan, a category or a cost over codings, or take a split off; or fill the editor in."""
        typed = TypedSplit.of(page.request.POST)
        try:
            names = dict(split_abouts(page.file))
            if typed.do == "off" and any(row["about"] == typed.about for row in page.trip.shares):
                details.split_plan(page.member, page.trip.pk, typed.about, "", [])
                return self.name
            if typed.about not in names:
                raise Refusal(say("Say what is to be split."), "about")
            whole = whole_of(page.file, typed.about)
            parts, filled = do_split(page.member, typed, page.file.books, page.trip.coding, whole)
            if parts is None:
                raise Again(self.name, "split", typed=filled)
            if not parts:
                raise Stale(say("That split is gone already."))
            details.split_plan(page.member, page.trip.pk, typed.about, names[typed.about], parts, whole)
        except (Stale, NotAllowed):
            raise
        except Refusal as refusal:
            raise Again(self.name, "split", typed=replace(typed, error=refusal.message)) from refusal
        return self.name


PANEL = BearingPanel()
