"""Reconciling: the statements of the firm's bank and card accounts against what was paid, charged and paid back."""
