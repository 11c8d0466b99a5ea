"""Receipts, charges and expenses: how costs get in."""
