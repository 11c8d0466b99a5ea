"""Where the attack is made: a demo in a folder of its own. Imported first, as it sets the environment."""

from __future__ import annotations

import logging
import os
import sys
import tempfile
import warnings
from contextlib import nullcontext
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
sys.path.insert(0, str(ROOT))
FOLDER = Path(os.environ.get("WAINWRIGHT_ATTACK") or tempfile.mkdtemp(prefix="wainwright-attack-"))
os.environ |= {
    "WAINWRIGHT_VAR": str(FOLDER), "WAINWRIGHT_ATTACK": str(FOLDER), "WAINWRIGHT_DEMO": "1", "WAINWRIGHT_HOSTS": "testserver",
    "WAINWRIGHT_NO_QUEUE": "1", "WAINWRIGHT_NOW": "2026-09-16T10:00+00:00", "OMP_THREAD_LIMIT": "1",
    "DJANGO_SETTINGS_MODULE": "wainwright.settings",
}  # fmt: skip

import django  # noqa: E402

django.setup()

from django.core.management import call_command  # noqa: E402
from django.db import connection  # noqa: E402

from demo import empty, load  # noqa: E402
from tests.apps.world import World  # noqa: E402
from wainwright.people.models import Firm  # noqa: E402


class Made(World):
    """The demo's people, and shortcuts along the road."""

    def done(self):
        """Transactions are real here."""
        return nullcontext()


def make() -> Made:
    """Make the demo, where none was put in the folder, and meet its people."""
    warnings.filterwarnings("ignore")
    # Every refusal is logged; here they are counted.
    logging.disable(logging.CRITICAL)
    empty.lay(Path(connection.settings_dict["NAME"]))
    call_command("migrate", verbosity=0)
    call_command("collectstatic", interactive=False, verbosity=0)
    if not Firm.objects.exists():
        load.load()
    return meet()


def meet() -> Made:
    """Meet the people of a demo that is there."""
    Made.meet_the_people()
    return Made()
