"""Measures the reading of receipts: for each field the share right, wrong and left empty; seconds a receipt."""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Iterable
from datetime import date
from decimal import Decimal

from rapidfuzz import fuzz

from tests.bench.drawn import Drawn, Truth, draw
from wainwright.formats.pictures import pages_of
from wainwright.formats.receipt_text import read_fields
from wainwright.standins.reader import Standin

FIELDS = ("merchant", "date", "total", "currency", "tax", "card")


def read(drawn: Drawn, today: date) -> dict[str, str]:
    """Return the fields of one drawn receipt as the application reads them."""
    words = [word for n, page in enumerate(pages_of(drawn.content)) for word in Standin().words(page, n)]
    return {name: field.value for name, field in read_fields(words, today).items()}


def verdict(name: str, found: str, truth: Truth) -> str:
    """Say whether a field is right, wrong or empty. What is not on the paper and not read is right."""
    wanted = getattr(truth, name)
    if not found:
        return "empty" if wanted else "right"
    if not wanted:
        return "wrong"
    if name == "merchant":
        return "right" if fuzz.ratio(found.casefold(), wanted.casefold()) >= 85 else "wrong"
    if name in ("total", "tax"):
        return "right" if Decimal(found) == Decimal(wanted) else "wrong"
    return "right" if found == wanted else "wrong"


def measure(seeds: Iterable[int], bad: bool, today: date) -> tuple[dict[str, Counter[str]], float, list[str]]:
    """Read drawn receipts; return the verdicts by field, seconds a receipt, and the wrong ones in words."""
    counts: dict[str, Counter[str]] = {name: Counter() for name in FIELDS}
    said, taken, number = [], 0.0, 0
    for seed in seeds:
        drawn = draw(seed, bad, today)
        begun = time.perf_counter()
        found = read(drawn, today)
        taken += time.perf_counter() - begun
        number += 1
        for name in FIELDS:
            result = verdict(name, found.get(name, ""), drawn.truth)
            counts[name][result] += 1
            if result == "wrong":
                said.append(
                    f"{seed} {drawn.layout}: {name} read as {found.get(name)!r}, is {getattr(drawn.truth, name)!r}"
                )
    return counts, taken / max(1, number), said


def report(first_seed: int, count: int, today: date, wrongs: bool = False) -> None:
    """Print the measure of ``count`` clean receipts and as many bad photos."""
    for bad in (False, True):
        counts, seconds, said = measure(range(first_seed, first_seed + count), bad, today)
        print(f"{'bad photos' if bad else 'clean receipts'}: {count}, {seconds:.2f} s each")
        for name, counted in counts.items():
            print(
                f"  {name:<10}"
                + "".join(f"{word} {counted[word] / count:>6.1%}   " for word in ("right", "wrong", "empty"))
            )
        if wrongs:
            print("\n".join(said))
