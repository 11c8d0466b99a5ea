"""Masters of the ledger: fetched or read from a file, what would change shown before it is taken, and what still has to be connected."""
