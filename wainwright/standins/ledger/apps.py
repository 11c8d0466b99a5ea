"""The app's place in Django."""

from django.apps import AppConfig


class LedgerConfig(AppConfig):
    """The ledger stand-in."""

    name = "wainwright.standins.ledger"
    label = "ledger"
