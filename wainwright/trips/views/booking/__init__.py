"""Views of what is on offer: ways, hire cars, lodging."""
