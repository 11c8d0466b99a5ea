"""Backs the database up while it is in use."""

import sqlite3
from contextlib import closing
from pathlib import Path

from django.core.management.base import BaseCommand, CommandError
from django.db import connection


class Command(BaseCommand):
    """Copies a SQLite database to a file by SQLite's online backup."""

    help = "Copy the database to a file by SQLite's online backup; people may go on working."

    def add_arguments(self, parser):
        """Take the target's path."""
        parser.add_argument("target", type=Path)

    def handle(self, *args, **options):
        """Copy, check the copy, and say so."""
        target = options["target"]
        if connection.vendor != "sqlite":
            raise CommandError("This backs up SQLite only; use your database server's own means.")
        if target.exists():
            raise CommandError(f"{target} is there already; name another file.")
        connection.ensure_connection()
        with closing(sqlite3.connect(target)) as copy:
            connection.connection.backup(copy)
            if copy.execute("PRAGMA integrity_check").fetchone() != ("ok",):
                raise CommandError("The copy did not pass SQLite's integrity check.")
        self.stdout.write(f"Copied to {target}, {target.stat().st_size:,} bytes, checked.")
