"""Backs up the database and the files while they are in use."""

import shutil
import sqlite3
from contextlib import closing
from pathlib import Path

from django.apps import apps
from django.conf import settings
from django.core.management.base import BaseCommand, CommandError
from django.db import connection
from django.db.models import FileField

from wainwright.trail import anchors


class Command(BaseCommand):
    """Copies a SQLite database to a file by SQLite's online backup, and the files that its rows name."""

    help = "Copy the database to a file by SQLite's online backup, and its files to a folder; people may go on working."

    def add_arguments(self, parser):
        """Take the targets' paths."""
        parser.add_argument("target", type=Path)
        parser.add_argument("--files", type=Path, help="the folder into which files are copied that are not there yet")

    def handle(self, *args, **options):
        """Copy, check the copy, and say so."""
        target = options["target"]
        if connection.vendor != "sqlite":
            raise CommandError("This backs up SQLite only; use your database server's own means.")
        if target.exists():
            raise CommandError(f"{target} is there already; name another file.")
        # First the anchor, so that the copy bears it out.
        line = anchors.drop(f"backup {target.name}")
        connection.ensure_connection()
        with closing(sqlite3.connect(target)) as copy:
            connection.connection.backup(copy)
            if copy.execute("PRAGMA integrity_check").fetchone() != ("ok",):
                raise CommandError("The copy did not pass SQLite's integrity check.")
            names = _files(copy)
        target.with_suffix(".anchor").write_text(line + "\n")
        self.stdout.write(f"Copied to {target}, {target.stat().st_size:,} bytes, checked.")
        if options["files"]:
            self._copy(names, options["files"])

    def _copy(self, names: list[str], folder: Path) -> None:
        """Copy what the rows of the copy name: what was dropped meanwhile is still there, as it is deleted days later."""
        new, missing = 0, []
        for name in names:
            source, goal = Path(settings.MEDIA_ROOT, name), folder / name
            if goal.exists():
                continue
            try:
                goal.parent.mkdir(parents=True, exist_ok=True)
                # Under another name first: a copy that broke off is never taken for the file.
                shutil.copyfile(source, goal.with_name(goal.name + ".part"))
                goal.with_name(goal.name + ".part").rename(goal)
                new += 1
            except FileNotFoundError:
                missing.append(name)
        self.stdout.write(f"{len(names)} files are named, {new} of them copied to {folder}.")
        if missing:
            raise CommandError(f"{len(missing)} files are missing on this machine: {', '.join(missing[:20])}")


def _files(copy: sqlite3.Connection) -> list[str]:
    """The names of all files in a copy of the database."""
    names = set()
    for model in apps.get_models():
        for field in model._meta.concrete_fields:
            if isinstance(field, FileField):
                # Names of tables and columns are the models' own; nothing of people is in them.
                rows = copy.execute(f'SELECT "{field.column}" FROM "{model._meta.db_table}"')
                names.update(name for (name,) in rows if name)
    return sorted(names)
