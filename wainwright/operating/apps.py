"""What is begun with each process."""

import logging

from django.apps import AppConfig, apps
from django.conf import settings
from django.db.models.signals import post_migrate


class OperatingConfig(AppConfig):
    """Keeps errors, follows requests to a collector where one is named, makes the queue's tables."""

    name = "wainwright.operating"

    def ready(self):
        """Begin what each process needs."""
        from wainwright.operating.failures import Keeper  # noqa: PLC0415 - only once the models stand

        if not settings.TESTING:
            logging.getLogger().addHandler(Keeper(logging.ERROR))
        if settings.TRACES:
            from wainwright.operating.traces import follow  # noqa: PLC0415 - heavy, and rarely asked for

            follow(settings.TRACES)
        post_migrate.connect(make_queue, sender=apps.get_app_config("people"))


def make_queue(**_) -> None:
    """Make the tables of the queue, where it lies in the database of the data."""
    from huey.contrib.djhuey import HUEY  # noqa: PLC0415 - only once the settings stand
    from huey.storage import PostgresStorage  # noqa: PLC0415 - only once the settings stand

    if isinstance(HUEY.storage, PostgresStorage):
        HUEY.storage.initialize_schema()
