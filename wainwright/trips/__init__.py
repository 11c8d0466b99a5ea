"""Trips: the plan, its legs and nights, and its road to being authorised."""
