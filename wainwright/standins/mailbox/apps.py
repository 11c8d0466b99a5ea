"""The app's place in Django."""

from django.apps import AppConfig


class MailboxConfig(AppConfig):
    """The mailbox stand-in."""

    name = "wainwright.standins.mailbox"
    label = "mailbox"
