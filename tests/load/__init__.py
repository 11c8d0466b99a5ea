"""A large firm under load: ``make load``."""
