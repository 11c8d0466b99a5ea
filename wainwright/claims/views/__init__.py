"""Pages and acts of claims: the page itself, what it asks, what is done on it, its papers."""
