"""A new firm: founded with what every firm needs, set up on pages or from a folder, and what is still missing said."""
