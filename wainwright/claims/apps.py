"""Claims draft themselves: they listen to what comes into people's trays."""

from django.apps import AppConfig


class ClaimsConfig(AppConfig):
    """Listens to arrivals."""

    name = "wainwright.claims"

    def ready(self) -> None:
        """Connect the listener."""
        # The models cannot be imported before this.
        from wainwright.claims.services.drafting import follow  # noqa: PLC0415
        from wainwright.expenses.arrivals import LISTENERS  # noqa: PLC0415

        if follow not in LISTENERS:
            LISTENERS.append(follow)
