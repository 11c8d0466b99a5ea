#!/usr/bin/env python
"""Django's command line for Wainwright."""

import os
import sys

if __name__ == "__main__":
    # Whatever is written (database, files, backups) is for the one who runs this, and nobody else on the machine.
    os.umask(0o077)
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "wainwright.settings")
    from django.core.management import execute_from_command_line

    execute_from_command_line(sys.argv)
