"""How signing in by allauth is narrowed to what a firm's tool needs."""

from allauth.account.adapter import DefaultAccountAdapter
from django.contrib.sites.shortcuts import get_current_site

from wainwright.people.post import post


class Adapter(DefaultAccountAdapter):
    """People are invited by the firm; nobody signs up by themselves."""

    def is_open_for_signup(self, request):
        """Refuse signing up."""
        return False

    def send_mail(self, template_prefix, email, context):
        """Send as every mail goes out: by the queue, and never in the way of the request."""
        given = {"request": self.request, "email": email, "current_site": get_current_site(self.request)}
        post(self.render_mail(template_prefix, email, given | context))
