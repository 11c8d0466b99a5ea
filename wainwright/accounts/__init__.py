"""Codes, budgets, journals, pay runs: where claims meet the books."""
