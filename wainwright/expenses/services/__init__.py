"""Acts on costs: ``receipts`` and ``charges`` take in, ``taking`` makes expenses of them, ``editing`` changes those."""
