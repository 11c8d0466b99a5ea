"""The door for gunicorn."""

import os

from django.core.wsgi import get_wsgi_application

# Whatever is written (database, files) is for the one who runs this, and nobody else on the machine.
os.umask(0o077)
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "wainwright.settings")
application = get_wsgi_application()
