"""Boxes for codings: one for each dimension that the firm keeps."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from django import forms

from wainwright.accounts.selectors import Books
from wainwright.core.coding import Asked, Coding, Dimension
from wainwright.fields import FEW, PickField

NAME = "code-{}"


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
