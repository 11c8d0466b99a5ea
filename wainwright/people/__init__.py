"""Firms and people: who may do what, and for whom."""
