"""How signing in by allauth is narrowed to what a firm's tool needs."""

from allauth.account.adapter import DefaultAccountAdapter


class Adapter(DefaultAccountAdapter):
    """People are invited by the firm; nobody signs up by themselves."""

    def is_open_for_signup(self, request):
        """Refuse signing up."""
        return False
