"""What happens to a person's way in is told to them, and stands in the trail."""

from django.apps import AppConfig


class ProfileConfig(AppConfig):
    """Listens to what the sign-in package says."""

    name = "wainwright.profile"

    def ready(self) -> None:
        """Connect the listeners."""
        # The models cannot be imported before this.
        from wainwright.profile import watching  # noqa: PLC0415

        watching.listen()
