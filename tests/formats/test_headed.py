"""Tables of whole firms, with headers in English, German and bokmål."""

from itertools import combinations
from unittest import TestCase

from wainwright.formats import allowance_table, category_table, master_table, mileage_table, people_table
from wainwright.formats.headed import headed_rows

TABLES = {
    "allowances": (allowance_table.WORDS, "town", (
        "Ort;Land;Währung;Gültig ab;Gültig bis;Voller Tag;Frühstück;Mittag;Abend;Nebenkosten;Obergrenze",
        "Sted;Land;Valuta;Gjelder fra;Gjelder til;Hel dag;Frokost;Lunsj;Middag;Småutgifter;Tak",
    )),
    "categories": (category_table.WORDS, "code", (
        "Schlüssel;Kategorie;Konto;Konto Ausland;Steuersatz;Wörter;Unterkunft;Verlangt;Für;Nicht für;Trinkgeld",
        "Kode;Kategori;Konto;Konto utland;Avgift %;Ord;Overnatting;Ber om;Hvem kan bruke den;Ikke for;Driks",
    )),
    "masters": (master_table.WORDS, "code", (
        "Art;Schlüssel;Bezeichnung;Offen ab;Offen bis;Verlangt;Gehört zu;Land;Steuersatz;Anteil;IBAN;Steuernummer",
        "Slag;Kode;Navn;Åpen fra;Åpen til;Krever;Hører til;Land;Sats;Andel;Bankkonto;Orgnr",
    )),
    "mileage": (mileage_table.WORDS, "vehicle", (
        "Fahrzeug;Einheit;Gültig ab;Bis;Satz;Mitfahrer", "Kjøretøy;Enhet;Fra;Inntil;Sats;Passasjer",
    )),
    "people": (people_table.WORDS, "name", (
        "Name;E-Mail-Adresse;Stelle;Vorgesetzte Person;Rollen;Grenze;Kontierung", "Navn;E-post;Stilling;Nærmeste leder;Roller;Grense;Kontering",
    )),
}  # fmt: skip


class HeadersTest(TestCase):
    def test_each_column_of_a_table_is_known(self):
        for name, (words, must, heads) in TABLES.items():
            for head in heads:
                with self.subTest(name, head=head):
                    cells = [f"cell {n}" for n, _ in enumerate(head.split(";"))]
                    columns, rows = headed_rows(f"{head}\n{';'.join(cells)}\n".encode(), words, must, 10)
                    self.assertEqual(len(columns), len(cells))
                    self.assertEqual(sorted(rows[0][1].values()), sorted(cells))

    def test_no_word_names_two_columns(self):
        for name, (words, _, _) in TABLES.items():
            for (one, ones), (two, twos) in combinations(words.items(), 2):
                with self.subTest(name, one=one, two=two):
                    self.assertEqual(set(ones) & set(twos), set())
