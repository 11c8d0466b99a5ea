"""Claims, and the statements of those that were sent."""

from wainwright.claims.models.binder import Binder
from wainwright.claims.models.claim import PAYS_BACK, AdvanceTaken, Claim, Correction, OverPermitted, TakenOff
from wainwright.claims.models.statement import Statement, StatementCoding, StatementFinding, StatementLine

__all__ = [
    "PAYS_BACK", "AdvanceTaken", "Binder", "Claim", "Correction", "OverPermitted", "Statement", "StatementCoding", "StatementFinding", "StatementLine", "TakenOff",
]  # fmt: skip
