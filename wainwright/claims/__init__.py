"""Claims: expenses sent together, decided, posted and settled."""
