"""What is laid down, tried before it is in force: on an example that one types, and on journeys that were made."""
