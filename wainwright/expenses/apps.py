"""Expenses say how far somebody has driven."""

from django.apps import AppConfig


class ExpensesConfig(AppConfig):
    """Names the source of distances once the models are there."""

    name = "wainwright.expenses"

    def ready(self) -> None:
        """Let plans ask how far somebody has driven this year."""
        # The models cannot be imported before this.
        from wainwright.expenses.services.rides import km_between  # noqa: PLC0415
        from wainwright.trips import driving  # noqa: PLC0415

        driving.found_by(km_between)
