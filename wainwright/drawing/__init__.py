"""Drawings worked out from plain values: positions and shapes, which templates turn into SVG. Knows no models."""
