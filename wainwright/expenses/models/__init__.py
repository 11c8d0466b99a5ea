"""What is recorded: costs, papers, charges, and what is remembered of choices."""

from wainwright.expenses.models.charges import CardFile, Charge, ColumnMapping
from wainwright.expenses.models.costs import PAID_BY, Expense, Part, SplitShare
from wainwright.expenses.models.memory import MerchantMemory, RefusedPair
from wainwright.expenses.models.owned import EvidenceQuerySet, OwnedQuerySet
from wainwright.expenses.models.papers import HeldMail, Receipt, ReceiptPage, Sender

__all__ = [
    "PAID_BY",
    "CardFile",
    "Charge",
    "ColumnMapping",
    "EvidenceQuerySet",
    "Expense",
    "HeldMail",
    "MerchantMemory",
    "OwnedQuerySet",
    "Part",
    "Receipt",
    "ReceiptPage",
    "RefusedPair",
    "Sender",
    "SplitShare",
]
