"""Bookings: what is held, confirmed and ticketed for a trip."""
