"""Which account is reconciled."""

from __future__ import annotations

from wainwright.people.models import Membership
from wainwright.reconciling.models import BankAccount


def account_for(member: Membership, account_id: int, lock: bool = False) -> BankAccount:
    """Return one of the firm's accounts. Raises ``BankAccount.DoesNotExist``."""
    rows = BankAccount.objects.select_for_update(of=("self",), no_key=True) if lock else BankAccount.objects
    return rows.select_related("firm").get(pk=account_id, firm_id=member.firm_id)
