"""Wainwright: one file per journey, from the first plan to the paid and posted claim."""
