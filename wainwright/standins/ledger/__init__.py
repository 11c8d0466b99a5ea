"""A simulated ledger with its own tables and its own rules."""
