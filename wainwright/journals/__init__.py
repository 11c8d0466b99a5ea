"""The ledger area: journals, what was refused, pay runs. Stands on claims, which are posted and paid here."""
