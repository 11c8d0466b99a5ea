"""What Django is told of this language."""
