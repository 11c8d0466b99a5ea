"""Boxes for codings: one for each dimension that the firm keeps."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from django import forms
from django.http import QueryDict

from wainwright.accounts.selectors import Books
from wainwright.core.coding import Asked, Coding, Dimension
from wainwright.fields import FEW, PickField

NAME = "code-{}"
MOST_ROWS = 60


def code_field(ledger: Books, kind: str, recent: Sequence[str] = (), **options) -> PickField:
    """A box for one code of a dimension, or of another kind (an account, a customer); what fits is fetched while typing."""
    return PickField(picks=ledger.picks(kind), recent=recent, address=f"/codes/{kind}/", **options)


def _chosen(ledger: Books) -> list[Dimension]:
    """The dimensions that travellers choose themselves."""
    return [each for each in ledger.dimensions if each.choosable]


class CodingForm(forms.Form):
    """The parts of a coding, after whatever other fields a form has.

    ``keep`` is the coding whose parts stay that are not asked for here; ``needed`` says whether a part that is always
    asked must be typed; ``every`` asks for what travellers do not choose as well.
    """

    def __init__(
        self, *args, books: Books, keep: Coding | None = None, recent: Mapping[str, Sequence[str]] | None = None,
        needed: bool = True, every: bool = False, **kwargs,
    ):  # fmt: skip
        super().__init__(*args, **kwargs)
        self.books, self.keep = books, keep or Coding()
        self.needed, self.asked = needed, list(books.dimensions) if every else _chosen(books)
        for each in self.asked:
            must = needed and each.asked == Asked.ALWAYS
            self.fields[NAME.format(each.code)] = code_field(
                books, each.code, (recent or {}).get(each.code, ()), required=must, label=each.label
            )

    @property
    def boxes(self) -> list[forms.BoundField]:
        """The boxes of the coding, in the order in which the firm asks for them."""
        return [self[NAME.format(each.code)] for each in self.asked]

    @property
    def coding(self) -> Coding:
        """The coding that was chosen."""
        typed = {each.code: self.cleaned_data[NAME.format(each.code)] for each in self.asked}
        if not self.needed and not any(typed.values()):
            return Coding()
        return self.books.codes.ordered(dict(self.keep.codes) | typed)


def coding_initial(coding: Coding) -> dict[str, str]:
    """A coding as a form's first values."""
    return {NAME.format(dimension): code for dimension, code in coding.codes}


def offered(ledger: Books, kind: str) -> list[str]:
    """The few codes that a box offers before anything is typed, in words."""
    picks = ledger.picks(kind)
    return [picks.words(code) for code in picks.first((), FEW)]


def split_columns(ledger: Books) -> list[dict[str, object]]:
    """The columns of a table of codings: a dimension each, with the few codes offered before anything is typed."""
    return [
        {
            "code": each.code, "label": each.label, "name": f"split-{NAME.format(each.code)}", "address": f"/codes/{each.code}/",
            "offered": offered(ledger, each.code),
        }
        for each in _chosen(ledger)
    ]  # fmt: skip


def blank_splits(count: int = 3) -> list[dict[str, object]]:
    """Rows of such a table with nothing in them."""
    return [{"codes": {}, "share": ""}] * count


def typed_splits(post: QueryDict, ledger: Books) -> list[dict[str, object]]:
    """The rows of such a table as they were typed: codes by dimension, and the share."""
    columns = {each.code: post.getlist(f"split-{NAME.format(each.code)}") for each in _chosen(ledger)}
    return [
        {"codes": {code: typed[n] if n < len(typed) else "" for code, typed in columns.items()}, "share": share[:40]}
        for n, share in enumerate(post.getlist("split-share")[:MOST_ROWS])
    ]


def coding_of_row(ledger: Books, row: Mapping[str, str], keep: Coding) -> Coding:
    """Read one row of a table of codings: each box as a code or any part of one; what fits nothing stays as typed.

    What travellers do not choose comes from ``keep``.
    """
    found = {each.code: keep.get(each.code) for each in ledger.dimensions if not each.choosable}
    for each in _chosen(ledger):
        text = " ".join(row.get(each.code, "").split())[:60]
        try:
            found[each.code] = ledger.picks(each.code).exact(text) if text else ""
        except ValueError:
            found[each.code] = text
    return ledger.codes.ordered(found)
