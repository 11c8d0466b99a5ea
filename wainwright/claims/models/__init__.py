"""Claims, and the statements of those that were sent."""

from wainwright.claims.models.binder import Binder
from wainwright.claims.models.claim import Claim, OverPermitted
from wainwright.claims.models.statement import Statement, StatementCoding, StatementFinding, StatementLine

__all__ = ["Binder", "Claim", "OverPermitted", "Statement", "StatementCoding", "StatementFinding", "StatementLine"]
