"""The pages' frame."""

from django.apps import AppConfig, apps
from django.db.models.signals import post_migrate


class WebConfig(AppConfig):
    """Registers what is checked before real use, and what is kept beside the tables."""

    name = "wainwright.web"

    def ready(self):
        """Load the checks; have the index for finding mended after each migrate."""
        from wainwright import reading  # noqa: F401, PLC0415 - only once the settings stand
        from wainwright.web import checks, proving  # noqa: F401, PLC0415 - only once the settings stand
        from wainwright.web.sought import keep_index  # noqa: PLC0415 - only once the models stand

        proving.listen()
        # Once after each migrate: it is told of apps that have models, after all of them are migrated.
        post_migrate.connect(keep_index, sender=apps.get_app_config("people"))
