"""A claim as a document: read back, page by page."""

from __future__ import annotations

import io
import re

from pypdf import PdfReader

from demo.story import proof
from tests.apps.world import FIELD, WorldTestCase
from tests.coverage import shows
from wainwright.claims import binding
from wainwright.claims.models import Claim
from wainwright.expenses.models import Expense
from wainwright.expenses.services import editing
from wainwright.people.models import Firm


class DocumentTest(WorldTestCase):
    def read(self, who, claim: Claim) -> PdfReader:
        self.enter(who)
        with self.done():
            self.client.get(f"/claims/{claim.pk}/claim.pdf")
        answer = self.client.get(f"/claims/{claim.pk}/claim.pdf")
        self.assertEqual(answer["Content-Type"], "application/pdf")
        return PdfReader(io.BytesIO(b"".join(answer.streaming_content)))

    @shows("C8.1")
    def test_what_was_certified_with_its_evidence_stamped(self):
        claim = self.a_claim(costs=("20.00", "31.00", "42.00"), coding=FIELD)
        for n, expense in enumerate(claim.expenses.all()[:2]):
            proof(expense, n)
        lost = claim.expenses.last()
        editing.declare_lost(self.maren, lost.pk, lost.version, "It blew into the harbour", "Maren Oyelaran")
        self.send_claim(claim)
        with self.done():
            self.approve_all("claim", claim.pk)
        claim = Claim.objects.get(pk=claim.pk)
        pdf = self.read(self.tobias, claim)
        text = [re.sub(r"\s+", " ", page.extract_text()) for page in pdf.pages]
        whole = " ".join(text)
        for words in (
            f"Claim {claim.code}", "Maren Oyelaran certified it on", "Lines by day", "P-0417", "Findings and reasons", "Daily allowance",
            str(claim.total), str(claim.owed), "Who signed", "Tobias Achterberg", "signed", "first day, three quarters", "declared lost by",
        ):  # fmt: skip
            with self.subTest(words):
                self.assertIn(words, whole)
        evidence = [page for page in text if re.match(rf"{claim.code} · line \d+ · page 1 of 1", page)]
        self.assertEqual(len(evidence), 2)
        self.assertEqual(text[-2:], evidence)
        marks = [mark.title for mark in pdf.outline]
        self.assertEqual(marks[:2], ["What was certified", "Lines"])
        self.assertEqual(sum(mark.startswith(f"{claim.code} · line") for mark in marks), 2)
        # The contents name the page on which each paper stands.
        contents = next(page for page in text if "Evidence of" in page)
        for number, page in enumerate(text, 1):
            if page in evidence:
                self.assertIn(f"page {number}", contents)
        fonts = {
            str(font["/BaseFont"])
            for font in (each.get_object() for each in pdf.pages[0]["/Resources"]["/Font"].values())
        }
        self.assertTrue(any("Besley" in name for name in fonts) and any("Hanken" in name for name in fonts), fonts)
        self.assertTrue(all(abs(float(page.mediabox.width) - 595) < 2 for page in pdf.pages))

    def test_it_is_in_the_language_of_the_firm_from_its_marks_to_the_foot_of_its_last_page(self):
        Firm.objects.filter(pk=self.maren.firm_id).update(language="nb")
        claim = self.a_claim(costs=("20.00", "31.00"), coding=FIELD)
        proof(claim.expenses.first(), 1)
        self.send_claim(claim)
        pdf = self.read(self.maren, Claim.objects.get(pk=claim.pk))
        text = [re.sub(r"\s+", " ", page.extract_text()) for page in pdf.pages]
        self.assertEqual([mark.title for mark in pdf.outline][:2], ["Hva som ble bekreftet", "Linjer"])
        self.assertIn("Innhold i dokumentasjonen", [mark.title for mark in pdf.outline])
        self.assertRegex(text[-1], rf"{claim.code} · linje \d · side 1 av 1")
        contents = next(page for page in text if "Dokumentasjon" in page and "side" in page and page is not text[0])
        self.assertNotRegex(contents, r"Evidence|no receipt|\bpage\b|\bline\b")

    def test_an_open_one_says_that_it_is_not_certified_and_a_change_makes_another(self):
        claim = self.a_claim(costs=("20.00",))
        pdf = self.read(self.maren, claim)
        self.assertIn("not certified yet", pdf.pages[0].extract_text())
        one = binding.claim_document(self.maren, Claim.objects.get(pk=claim.pk))
        expense = Expense.objects.get(claim=claim)
        Expense.objects.filter(pk=expense.pk).update(amount_minor=2100)
        other = binding.claim_document(self.maren, Claim.objects.get(pk=claim.pk))
        self.assertNotEqual(one.key, other.key)
