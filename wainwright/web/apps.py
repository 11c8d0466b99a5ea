"""The pages' frame."""

from django.apps import AppConfig


class WebConfig(AppConfig):
    """Registers what is checked before real use."""

    name = "wainwright.web"

    def ready(self):
        """Load the checks."""
        from wainwright.web import checks  # noqa: F401, PLC0415 - only once the settings stand
