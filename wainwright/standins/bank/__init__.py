"""A bank that pays every well-formed payment and answers with pain.002; some accounts are closed."""

from __future__ import annotations

from stdnum import iban as iban_check

from wainwright import clock
from wainwright.formats.pain001 import check_schema, read_pain001
from wainwright.formats.pain002 import Answer, write_pain002

# Accounts that the stand-in treats as closed, to show a failed payment.
CLOSED = frozenset({"IE64IRCE92050112345678"})


class Standin:
    """The bank stand-in; keeps nothing, so the same file gets the same answer."""

    def send(self, pain001: bytes) -> bytes:
        """Check the file as a bank would and answer payment by payment."""
        check_schema(pain001)
        message, rows = read_pain001(pain001)
        answers = [Answer(each.end_to_end, "RJCT" if (code := _fault(each.iban)) else "ACSC", code) for each in rows]
        return write_pain002(message, answers, clock.now())


def _fault(iban: str) -> str:
    if not iban_check.is_valid(iban):
        return "AC01"
    return "AC04" if iban in CLOSED else ""
