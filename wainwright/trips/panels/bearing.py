"""Who bears the cost: the trip's coding, and the splits of it, of a category or of one cost."""

from __future__ import annotations

from decimal import Decimal, InvalidOperation
from typing import Any

from wainwright.accounts.forms import blank_splits, coding_of_row, split_columns, typed_splits
from wainwright.core.text import decimal
from wainwright.errors import NotAllowed, Refusal, Stale
from wainwright.fields import plain_number
from wainwright.trips.panels.base import Again, Page, Panel, act
from wainwright.trips.selectors import TripFile
from wainwright.trips.splits import shares_of
from wainwright.trips.services import details

MOST_SHARES = 12


def split_abouts(file: TripFile) -> list[tuple[str, str]]:
    """What can be split: the whole, each category, each cost."""
    found = [("all", "The whole trip")]
    names = file.book.names | {"allowance": "Daily allowance"}
    for code in dict.fromkeys([e.category for e in file.figures.estimates] + ["allowance"]):
        found.append((f"category:{code}", names.get(code, code)))
    found += [(f"line:{e.key}", f"{e.label}, {e.amount}") for e in file.figures.estimates]
    return found


class BearingPanel(Panel):
    """The splits as they stand with what each coding bears, and one more."""

    name = "bearing"
    title = "Who bears it"
    order = 30

    def says(self, page: Page) -> str:
        """The splits with their shares; without one the coding."""
        rows = page.trip.shares
        if not rows:
            return str(page.trip.coding) or "not said yet"
        if len(rows) > 1:
            return f"{len(rows)} splits"
        shares = " : ".join(f"{part.share.normalize():f}" for part in shares_of(page.trip)[rows[0]["about"]])
        return f"{rows[0]['label'].partition(',')[0].lower()} {shares}"

    def asks(self, page: Page) -> bool:
        """Where a coding does not hold together, or what was split is gone."""
        wrong = [e.finding for e in page.file.findings if e.open]
        return any(f.target == "split" or f.rule.startswith("coding-") for f in wrong)

    def answers(self, target: str, page: Page) -> str:
        """A split."""
        return self.name if target == "split" else ""

    def load(self, page: Page, which: str) -> dict[str, Any]:
        """What each coding bears, the splits, and the form for one."""
        shares = shares_of(page.trip)
        found = {
            "rows": [(row, shares[row["about"]]) for row in page.trip.shares], "borne": page.file.borne,
            "split": page.do == "split" or bool(page.typed) or (page.editable and not page.trip.shares),
        }  # fmt: skip
        if found["split"] and page.editable:
            found |= {
                "abouts": split_abouts(page.file), "columns": split_columns(page.file.books),
                "typed": page.typed.get("shares") or blank_splits(), "about": page.typed.get("about", ""),
                "error": page.typed.get("error", ""),
            }  # fmt: skip
        return found

    @act("split/", "plan-split", sums=True)
    def change(self, page: Page) -> str:
        """Split the plan, a category or a cost over codings, or take a split off."""
        post, ledger = page.request.POST, page.file.books
        about, typed = post.get("about", ""), typed_splits(post, ledger)
        try:
            names = dict(split_abouts(page.file))
            if post.get("off"):
                if not any(row["about"] == about for row in page.trip.shares):
                    raise Stale("That split is gone already.")
                details.split_plan(page.member, page.trip.pk, about, "", [])
                return self.name
            parts = [
                details.Share(coding_of_row(ledger, row["codes"], page.trip.coding), _share(row["share"]))  # type: ignore[arg-type]
                for row in typed[:MOST_SHARES] if str(row["share"]).strip()
            ]  # fmt: skip
            if about not in names:
                raise Refusal("Say what is to be split.", "about")
            details.split_plan(page.member, page.trip.pk, about, names[about], parts)
        except (Stale, NotAllowed):
            raise
        except Refusal as refusal:
            shown = [*typed, *blank_splits(max(0, 3 - len(typed)))]
            raise Again(self.name, "split", shares=shown, about=about, error=refusal.message) from refusal
        return self.name


def _share(text: object) -> Decimal:
    """Read a share as people type it, in per cent. Raises ``Refusal``."""
    typed = str(text)
    try:
        share = decimal(plain_number(typed.replace("%", "")))
    except InvalidOperation as error:
        raise Refusal(f"“{typed[:20]}” is no share. Type per cent, for example 60.", "share") from error
    if not share.is_finite() or abs(share) > 1000:
        raise Refusal("A share lies between 0 and 100 %.", "share")
    return share


PANEL = BearingPanel()
