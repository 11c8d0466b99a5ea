"""What the bare framework serves of the same rows: one plain list of a person's claims, with nothing of ours around it."""

import django

django.setup()

from django.conf import settings  # noqa: E402
from django.core.handlers.wsgi import WSGIHandler  # noqa: E402
from django.http import HttpResponse  # noqa: E402
from django.template import engines  # noqa: E402
from django.urls import path  # noqa: E402

from wainwright.claims.models import Claim  # noqa: E402

TEXT = "<ul>{% for claim in rows %}<li>{{ claim.number }} {{ claim.title }} {{ claim.state }} {{ claim.statement.total_minor }}</li>{% endfor %}</ul>"
PAGE = engines["django"].from_string(TEXT)


def claims(request, member: int):
    """A list view as a book would write it."""
    rows = Claim.objects.filter(claimant_id=member).select_related("statement").order_by("-pk")[:25]
    return HttpResponse(PAGE.render({"rows": rows}))


urlpatterns = [path("bare/<int:member>/", claims)]
settings.MIDDLEWARE, settings.ROOT_URLCONF = [], "tests.load.bare"
application = WSGIHandler()
