"""The words by which banks head the columns of their tables and say which way money went: in the languages nearby."""

from __future__ import annotations

import re
from collections.abc import Sequence

# Column -> words of headers that mean it, the telling ones first.
WORDS = {
    "date": (
        "transaction date", "booking date", "posting date", "date", "dato", "buchungstag", "buchungsdatum", "datum", "data", "fecha", "bokført",
        "bokföringsdag", "transaktionsdatum", "bogført", "boekdatum", "date opération", "date de l'opération", "data operazione", "data movimento",
        "data operacji", "data transakcji", "kuupäev", "datums", "päivä", "kirjauspäivä", "dagsetning", "dag", "day", "when",
    ),
    "amount": (
        "amount", "beløp", "betrag", "umsatz", "bedrag", "montant", "importe", "importo", "kwota", "belopp", "beløb", "valor", "quantia", "summa",
        "määrä", "suma", "value", "total", "upphæð", "sum",
    ),
    "debit": ("debit", "débit", "debet", "debe", "addebiti", "addebito", "uscite", "ut av konto", "ut", "soll", "belastung", "withdrawal", "paid out", "money out", "out", "cargo", "cargos", "débito", "saídas", "obciążenia", "uttag", "udbetaling"),
    "credit": ("credit", "crédit", "kredit", "haber", "accrediti", "accredito", "entrate", "inn på konto", "inn", "haben", "gutschrift", "deposit", "paid in", "money in", "in", "abono", "abonos", "crédito", "entradas", "uznania", "insättning", "indbetaling"),
    "merchant": (
        "merchant", "payee", "description", "details", "narrative", "tekst", "beskrivelse", "text", "name", "opis", "empfänger", "auftraggeber", "zahlungsempfänger",
        "verwendungszweck", "libellé", "libelle", "concepto", "descripción", "descrizione", "causale", "omschrijving", "naam tegenpartij", "naam", "mottaker",
        "forklaring", "rubrik", "beskrivning", "saaja", "selite", "descrição", "kontrahent", "odbiorca", "gavėjas", "saņēmējs", "saaja/maksja", "selgitus", "counterparty",
    ),
    "currency": ("currency", "valuta", "währung", "devise", "ccy", "moneda", "moeda", "waluta", "valūta", "valiuta", "valuuta", "mynt"),
    "key": ("transaction id", "reference", "id", "referanse", "arkivref", "referenz", "référence", "referencia", "riferimento", "referentie", "referens"),
    "card": ("card", "card number", "kort", "kortnummer", "karte", "kartennummer", "carte", "tarjeta", "carta", "kaart", "cartão", "karta"),
    "original": ("original amount", "foreign amount", "fremdbetrag", "opprinnelig beløp", "montant d'origine"),
    "original_currency": ("original currency", "foreign currency", "opprinnelig valuta", "fremdwährung"),
    "direction": (
        "d/c", "c/d", "dc", "dr/cr", "cr/dr", "debit/credit", "debit or credit", "credit/debit", "soll/haben", "s/h", "af bij", "af/bij", "debet/kredit", "debet/credit",
        "debe/haber", "dare/avere", "d/h", "sens", "direction", "retning", "riktning", "credit debit indicator", "strona", "kierunek", "deebet/kreedit", "tipo", "type", "art",
    ),
}  # fmt: skip
# In each cell of a column that says which way money went: out of the account, or into it.
OUT = {
    "d", "dr", "db", "dbit", "debit", "debet", "debe", "débit", "débito", "debito", "addebito", "dare", "soll", "s", "lastschrift", "belastung", "af", "ut", "uttak", "uttag",
    "udbetaling", "out", "withdrawal", "payment", "purchase", "cargo", "obciążenie", "wn", "saída", "deebet", "debetas", "debets", "veloitus", "charge", "paid out", "-", "sale",
}  # fmt: skip
IN = {
    "c", "cr", "crdt", "credit", "kredit", "kredyt", "haber", "crédit", "crédito", "credito", "accredito", "avere", "haben", "h", "gutschrift", "bij", "inn", "innskudd",
    "insättning", "indbetaling", "in", "deposit", "refund", "abono", "uznanie", "ma", "entrada", "kreedit", "kreditas", "kredīts", "hyvitys", "k", "return", "paid in", "+",
}  # fmt: skip
# Ends of compound words that leave no doubt what a column holds.
_ENDINGS = ("datum", "dato", "betrag", "beløp", "belopp", "bedrag", "nummer", "tekst", "päivä", "tag")


def says(header: str, word: str, exact: bool) -> bool:
    """Say whether a header means a word: as it is, or as whole words of it; the letters alone say nothing ("Mandate")."""
    if header == word:
        return True
    if exact:
        return False
    if len(word) > 2 and re.search(rf"(?<!\w){re.escape(word)}(?!\w)", header):
        return True
    return word.endswith(_ENDINGS) and any(token.endswith(word) for token in re.findall(r"\w+", header))


def direction_of(cell: str) -> int:
    """Which way money went by the words of a cell: 1 out, -1 in, 0 for words that say neither."""
    word = cell.strip().casefold().strip(".")
    return 1 if word in OUT else -1 if word in IN else 0


def is_direction(cells: Sequence[str]) -> bool:
    """Say whether the cells of a column say nothing but which way money went."""
    filled = [cell for cell in cells if cell.strip()]
    return bool(filled) and all(direction_of(cell) for cell in filled)
