"""Acts on claims: ``compose`` fills them, ``road`` moves them along, ``books`` posts and pays them."""
