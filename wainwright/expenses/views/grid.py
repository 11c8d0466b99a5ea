"""Many costs or rides at once: a grid that takes a paste from a spreadsheet, kept as a whole or not at all."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import Any

from django.contrib import messages
from django.shortcuts import redirect, render

from wainwright.core.said import joined, say, say_many
from wainwright.expenses.forms import CostForm, RideForm
from wainwright.expenses.models import PAID_BY
from wainwright.expenses.proposals import Asked, propose_all, recent_of
from wainwright.expenses.services import rides, taking
from wainwright.fields import whole
from wainwright.formats.pasted import MOST_ROWS, count_pasted, read_pasted
from wainwright.people.models import Membership
from wainwright.rulebook.selectors import mileage_rates, rulebook

EMPTY_ROWS = 6
COSTS = {
    "date": ("date", "day", "datum", "tag", "dato", "dag"),
    "merchant": ("merchant", "paid to", "supplier", "shop", "payee", "händler", "bezahlt an", "lieferant", "empfänger", "forhandler", "betalt til", "leverandør", "butikk", "mottaker"),
    "category": ("category", "what for", "what", "type", "kind", "kategorie", "wofür", "art", "kategori", "hva det gjelder", "type utgift"),
    "amount": ("amount", "total", "gross", "sum", "price", "betrag", "summe", "brutto", "preis", "beløp", "totalt", "pris"),
    "currency": ("currency", "cur", "währung", "valuta"), "tax_rate": ("tax %", "vat %", "tax rate", "steuer %", "mwst %", "steuersatz", "avgift %", "mva %"),
    "paid_by": ("who paid", "paid by", "wer bezahlt hat", "bezahlt von", "hvem betalte", "betalt av"),
    "description": ("description", "text", "note", "beschreibung", "notiz", "bemerkung", "beskrivelse", "merknad"),
    "guests": ("who was there", "guests", "wer dabei war", "gäste", "hvem som var med", "gjester"),
    "reference": ("reference", "number", "referenz", "nummer", "belegnummer", "referanse", "bilagsnummer"),
}  # fmt: skip
RIDES = {
    "date": ("date", "day", "datum", "tag", "dato", "dag"), "origin": ("from", "where from", "start", "von", "von wo", "fra", "hvor fra"),
    "target": ("to", "where to", "destination", "nach", "wohin", "ziel", "til", "hvor til", "mål"), "via": ("by way of", "via", "über", "om", "innom"),
    "km": ("km", "kilometres", "distance", "kilometer", "strecke", "entfernung", "avstand"),
    "there_and_back": ("there and back", "return", "hin und zurück", "tur-retur", "tur/retur", "t/r"),
    "vehicle": ("vehicle", "fahrzeug", "kjøretøy"), "passengers": ("passengers", "mitfahrende", "mitfahrer", "passasjerer"),
    "description": ("what for", "purpose", "note", "wofür", "zweck", "hva det gjelder", "formål"),
    "reason": ("why longer", "reason", "warum länger", "grund", "hvorfor lengre", "grunn"),
}  # fmt: skip
_YES = {"yes", "y", "x", "1", "true", "on", "ja", "j", "wahr", "sant"}
# Who paid, by a word of what stands in the cell.
_PAID = {
    "central": ("bill", "invoice", "rechnung", "berechnet", "regning", "faktur"),
    "firm": ("card", "firm", "company", "karte", "kort", "selskap", "unternehmen"),
    "self": ("self", "me", "myself", "own", "cash", "personal", "traveller", "ich", "selbst", "bar", "privat", "person", "meg", "selv", "kontant", "reisende"),
}  # fmt: skip


@dataclass(frozen=True)
class Kind:
    """A grid: what it is called, its columns, and its address."""

    name: str
    title: str
    columns: dict[str, tuple[str, ...]]
    template: str


COST_GRID = Kind("costs", say("Many costs at once"), COSTS, "expenses/grid.html")
RIDE_GRID = Kind("rides", say("The rides of a month"), RIDES, "expenses/grid.html")


def costs(request):
    """Costs in a grid."""
    return _grid(request, COST_GRID)


def month_of_rides(request):
    """Rides in a grid."""
    return _grid(request, RIDE_GRID)


def _grid(request, kind: Kind):
    member = request.member
    if request.method != "POST":
        return _show(request, kind, [{} for _ in range(EMPTY_ROWS)])
    typed = _typed(request, kind)
    pasted = request.POST.get("paste", "")
    if pasted.strip() or "more" in request.POST:
        rows = [row for row in typed if _filled(kind, row)]
        new, odd = _laid_out(member, kind, pasted)
        room = MOST_ROWS - len(rows)
        if beyond := count_pasted(pasted, kind.columns) - min(room, len(new)):
            messages.error(
                request,
                say_many(
                    "{count} row had no place: {most} at once. Keep these, then paste the rest.",
                    "{count} rows had no place: {most} at once. Keep these, then paste the rest.",
                    beyond,
                    most=MOST_ROWS,
                ),
            )
        if odd:
            messages.error(
                request,
                say(
                    "Who paid is not understood from {words}: say it in these rows.",
                    words=joined(", ", [say("“{text}”", text=each) for each in odd]),
                ),
            )
        new = new[:room]
        return _show(request, kind, [*rows, *new, *({} for _ in range(max(0, EMPTY_ROWS - len(rows) - len(new)) or 3))])
    rows = [row for row in typed if _filled(kind, row)]
    forms = [_form(member, kind, row, n) for n, row in enumerate(rows)]
    refused = ""
    if not rows:
        refused = say("Fill at least one row, or paste some.")
    elif not wrong_rows(forms):
        try:
            done = (
                taking.type_costs(member, [form.values() for form in forms]) if kind is COST_GRID
                else rides.type_rides(member, [form.ride() for form in forms])
            )  # fmt: skip
        except taking.RowRefusal as refusal:
            form = forms[refusal.row]
            form.add_error(refusal.field if refusal.field in form.fields else None, refusal.message)
        else:
            request.session["undo"] = [e.pk for e in done]
            messages.info(request, say("{done_count} kept. U undoes it.", done_count=len(done)))
            return redirect("tray")
    wrong = wrong_rows(forms)
    if wrong:
        refused = say_many(
            "{count} of {forms_count} rows is not right yet. Nothing is kept until all are.",
            "{count} of {forms_count} rows are not right yet. Nothing is kept until all are.",
            wrong,
            forms_count=len(forms),
        )
    return _show(request, kind, rows, forms, refused, 422)


def wrong_rows(forms: list) -> int:
    """How many rows are not right; every one is checked, so that all errors are shown at once."""
    return sum(not form.is_valid() for form in forms)


def _typed(request, kind: Kind) -> list[dict[str, str]]:
    count = min(whole(request.POST.get("rows")), MOST_ROWS)
    return [{name: request.POST.get(f"r{n}-{name}", "") for name in kind.columns} for n in range(count)]


def _filled(kind: Kind, row: dict[str, str]) -> bool:
    given = {"currency", "paid_by", "vehicle", "passengers"}
    return any(row.get(name, "").strip() for name in kind.columns if name not in given)


def _laid_out(member: Membership, kind: Kind, text: str) -> tuple[list[dict[str, str]], list[str]]:
    """A paste as rows of the grid, with what is known filled in; and the words that do not say who paid."""
    rows, odd = read_pasted(text, kind.columns), {}
    for row in rows:
        if row.get("there_and_back"):
            row["there_and_back"] = "on" if row["there_and_back"].casefold() in _YES else ""
        if row.get("paid_by"):
            said = row["paid_by"]
            row["paid_by"] = _who_paid(said)
            if not row["paid_by"]:
                odd[said[:40]] = None
        if row.get("currency"):
            row["currency"] = row["currency"].upper()
    if kind is COST_GRID:
        names = rulebook(member.firm).names
        proposals = propose_all(member, [Asked(row.get("merchant", "")) for row in rows])
        for row, proposal in zip(rows, proposals, strict=True):
            if proposal and not row.get("category"):
                row["category"] = names[proposal.category]
    return rows, list(odd)


def _who_paid(text: str) -> str:
    """Who paid, as a cell says it: as the grid's own choice, or in a word; empty where it is not understood."""
    wanted = text.casefold().strip()
    parts = re.findall(r"\w+", wanted)
    chosen = (who for who, words in PAID_BY if wanted in (who, str(words).casefold(), words.english.casefold()))
    by_word = (
        who for who, words in _PAID.items()
        if any(part == word or (len(word) > 3 and (part.startswith(word) or part.endswith(word))) for part in parts for word in words)
    )  # fmt: skip
    return next(chosen, None) or next(by_word, "")


def _form(member: Membership, kind: Kind, row: dict[str, str], number: int, bound: bool = True) -> Any:
    """A row as a form; empty boxes count as the usual."""
    usual = (
        {"currency": member.firm.currency, "paid_by": "self", "heads": "1"}
        if kind is COST_GRID
        else {"vehicle": _vehicle(member), "passengers": "0"}
    )
    data = {f"r{number}-{name}": value for name, value in {**usual, **{k: v for k, v in row.items() if v}}.items()}
    form = CostForm if kind is COST_GRID else RideForm
    more = {"recent": recent_of(member)} if kind is COST_GRID else {}
    return form(data if bound else None, member=member, prefix=f"r{number}", **more)


def _vehicle(member: Membership) -> str:
    rates = mileage_rates(member.firm)
    return rates[0].vehicle if rates else ""


def _show(request, kind: Kind, rows: list[dict], forms: list | None = None, refused: str = "", status: int = 200):
    form = _form(request.member, kind, {}, 0, bound=False)
    labels = [
        (name, form.fields[name].label or name.replace("_", " ").capitalize(), form.fields[name].required)
        for name in kind.columns
    ]
    named = {name: label for name, label, _ in labels}
    cells = []
    for n, row in enumerate(rows):
        errors = forms[n].errors if forms and n < len(forms) else {}
        cells.append([
            {
                "name": name, "label": named[name], "field": f"r{n}-{name}", "value": row.get(name, ""), "error": " ".join(errors.get(name, [])),
                "choices": getattr(form.fields[name], "choices", None),
            }
            for name in kind.columns
        ])  # fmt: skip
    context = {
        "kind": kind, "labels": labels, "rows": cells, "refused": refused, "most": MOST_ROWS,
        "others": [" ".join(f.non_field_errors()) for f in forms or [] if f.non_field_errors()],
        "categories": getattr(form.fields.get("category"), "pairs", ()), "merchants": getattr(form, "merchants", ()),
        "usual_currency": request.member.firm.currency,
    }  # fmt: skip
    return render(request, kind.template, context, status=status)
