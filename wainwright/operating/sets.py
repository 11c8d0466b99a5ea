"""Sets of a backup: a copy of the database, the files that it names, and what both must come to, made while people work.

``FOLDER/sets/2026-11-28T021500.000000/`` holds the database and ``set.json``; ``FOLDER/files/`` holds the files of all sets, each once,
since a file is never changed under its name. The database is copied first, at one moment; a file that is dropped after that
is deleted days later (``people.files``), so the copy finds what its rows name.
"""

from __future__ import annotations

import hashlib
import json
import shutil
import sqlite3
import subprocess
from collections.abc import Iterator
from contextlib import closing, contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from django.apps import apps
from django.core.files.base import File
from django.core.files.storage import default_storage
from django.db import connections, transaction
from django.db.models import FileField, QuerySet

from wainwright import clock
from wainwright.core.said import joined, say
from wainwright.errors import Refusal
from wainwright.operating.tally import Tally, broken, read, tally

PIECE = 1 << 20
# The alias under which a copy is looked at.
COPY = "copy"


@dataclass(frozen=True)
class Made:
    """A set as it was made: where it lies, what it holds, how many files were new, which are missing on this machine."""

    folder: Path
    files: dict[str, list[Any]]
    new: int
    missing: list[str]


def make(root: Path, anchor: str) -> Made:
    """Make a set below ``root``. Raises ``Refusal`` where the copy cannot be made or does not bear its own figures out."""
    now = clock.machine()
    folder, pool = root / "sets" / f"{now:%Y-%m-%dT%H%M%S.%f}", root / "files"
    # Under another name until it is whole: a set that broke off is never taken for one.
    half = folder.with_name(folder.name + ".part")
    shutil.rmtree(half, ignore_errors=True)
    half.mkdir(parents=True)
    pool.mkdir(exist_ok=True)
    known = {name: said for each in sets(root) for name, said in each["files"].items()}
    with one_moment(half, "database.dump") as using:
        counted, names, trail = tally(using), _names(using), broken(using)
    if trail:
        raise Refusal(say("The copy was made and is of no use: {trail}.", trail=trail))
    files, new, missing = _copy_files(names, pool, known)
    said = {
        "made": now.isoformat(),
        "engine": connections["default"].vendor,
        "tally": counted.as_data(),
        "files": files,
        "missing": missing,
    }
    (half / "set.json").write_text(json.dumps(said))
    (half / "anchor.txt").write_text(anchor + "\n")
    half.rename(folder)
    return Made(folder, files, new, missing)


def _whole(root: Path) -> list[Path]:
    """The sets below a folder that are whole, the oldest first."""
    return sorted(path.parent for path in root.glob("sets/*/set.json") if path.parent.suffix != ".part")


def sets(root: Path) -> list[dict[str, Any]]:
    """What the sets below a folder say of themselves, the oldest first."""
    return [json.loads((folder / "set.json").read_text()) for folder in _whole(root)]


def forget(root: Path, keep: int) -> list[str]:
    """Delete all but the newest ``keep`` sets, and the files that none of those names; return which sets went."""
    found = _whole(root)
    gone = found[: max(len(found) - keep, 0)]
    for folder in gone:
        shutil.rmtree(folder)
    named = {name for each in sets(root) for name in each["files"]}
    for path in (root / "files").rglob("*"):
        if path.is_file() and str(path.relative_to(root / "files")) not in named:
            path.unlink()
    return [folder.name for folder in gone]


@contextmanager
def one_moment(folder: Path, dump: str = "") -> Iterator[str]:
    """Give an alias by which the database can be asked as it stood at one moment, while people go on writing.

    SQLite is copied to ``folder``; on PostgreSQL a transaction sees that moment alone, and ``dump`` names a file that
    pg_dump fills with the very same.
    """
    source = connections["default"]
    source.ensure_connection()
    if source.vendor == "sqlite":
        with closing(sqlite3.connect(folder / "database.sqlite3")) as copy:
            source.connection.backup(copy)
            copy.execute("PRAGMA journal_mode=DELETE")
            if copy.execute("PRAGMA integrity_check").fetchone() != ("ok",):
                raise Refusal(say("The copy did not pass SQLite's integrity check."))
        with looked_at(folder):
            yield COPY
        return
    with transaction.atomic(), source.cursor() as cursor:
        cursor.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
        if dump:
            cursor.execute("SELECT pg_export_snapshot()")
            (moment,) = cursor.fetchone()
            run(
                "pg_dump", "--format=custom", f"--snapshot={moment}", f"--file={folder / dump}", source.settings_dict["NAME"],
            )  # fmt: skip
        yield "default"


@contextmanager
def looked_at(folder: Path) -> Iterator[None]:
    """Open the database of a set under the alias ``COPY``; on PostgreSQL in a database of its own, which is dropped after."""
    source = connections["default"]
    config = {**source.settings_dict, "TEST": source.settings_dict.get("TEST", {})}
    if source.vendor == "sqlite":
        config |= {"NAME": str(folder / "database.sqlite3"), "OPTIONS": {}}
    else:
        config["NAME"] = f"{source.settings_dict['NAME']}_tried"[:63]
        with source._nodb_cursor() as cursor:
            cursor.execute(f'DROP DATABASE IF EXISTS "{config["NAME"]}"')
            cursor.execute(f'CREATE DATABASE "{config["NAME"]}" TEMPLATE template0')
        run("pg_restore", "--no-owner", "--exit-on-error", f"--dbname={config['NAME']}", str(folder / "database.dump"))
    connections.databases[COPY] = config
    try:
        yield
    finally:
        connections[COPY].close()
        del connections[COPY], connections.databases[COPY]
        if source.vendor != "sqlite":
            with source._nodb_cursor() as cursor:
                cursor.execute(f'DROP DATABASE "{config["NAME"]}"')


def run(program: str, *words: str) -> None:
    """Run one of PostgreSQL's own programs against the installation's server. Raises ``Refusal`` with what it said."""
    reach = connections["default"].settings_dict
    names = {"HOST": "PGHOST", "PORT": "PGPORT", "USER": "PGUSER", "PASSWORD": "PGPASSWORD"}
    where = {name: str(reach[key]) for key, name in names.items() if reach.get(key)}
    # Sealed as the programme's own connection is: PGSSLMODE, PGSSLROOTCERT.
    where |= {
        f"PG{name.upper()}": str(value) for name, value in reach.get("OPTIONS", {}).items() if name.startswith("ssl")
    }
    try:
        done = subprocess.run(
            [program, *words],
            env={"PATH": "/usr/bin:/usr/local/bin", **where},
            capture_output=True,
            text=True,
            check=False,
        )
    except FileNotFoundError as error:
        raise Refusal(
            say("{program} is not on this machine: install the package postgresql-client.", program=program)
        ) from error
    if done.returncode:
        raise Refusal(say("{program} failed: {stderr}", program=program, stderr=done.stderr.strip()[-500:]))


def files_named(rows: QuerySet) -> Iterator[str]:
    """The names of all files that rows of one table name."""
    for field in rows.model._meta.concrete_fields:
        if isinstance(field, FileField):
            yield from (name for name in rows.values_list(field.name, flat=True) if name)


def _names(using: str) -> list[str]:
    """The names of all files that the rows of a database name."""
    return sorted({name for model in apps.get_models() for name in files_named(model._base_manager.using(using).all())})


def _copy_files(
    names: list[str], pool: Path, known: dict[str, list[Any]]
) -> tuple[dict[str, list[Any]], int, list[str]]:
    files, new, missing = {}, 0, []
    for name in names:
        goal = pool / name
        if name in known and goal.exists() and goal.stat().st_size == known[name][0]:
            files[name] = known[name]
            continue
        goal.parent.mkdir(parents=True, exist_ok=True)
        half = goal.with_name(goal.name + ".part")
        try:
            with default_storage.open(name, "rb") as source, half.open("wb") as target:
                files[name] = through(source, target)
        except FileNotFoundError:
            half.unlink(missing_ok=True)
            missing.append(name)
            continue
        half.rename(goal)
        new += 1
    return files, new, missing


def through(source, target=None) -> list[Any]:
    """Read all of a file, and write it where a target is named; return its size and SHA-256."""
    digest, size = hashlib.sha256(), 0
    while piece := source.read(PIECE):
        digest.update(piece)
        size += len(piece)
        if target is not None:
            target.write(piece)
    return [size, digest.hexdigest()]


def check(folder: Path) -> list[str]:
    """Restore a set beside the installation and compare: figures, trail, every file. Return what is wrong; nothing is good."""
    said = _said(folder)
    found = [say("{name} was missing already when the set was made", name=name) for name in said["missing"]]
    with looked_at(folder):
        found += read(said["tally"]).differs(tally(COPY))
        found += [why for why in (broken(COPY),) if why]
    return found + bad_files(folder, said)


def bad_files(folder: Path, said: dict[str, Any]) -> list[str]:
    """Which files of a set are not there, or not as they were."""
    found = []
    for name, (size, digest) in said["files"].items():
        path = folder.parent.parent / "files" / name
        if not path.exists():
            found.append(say("{name} is not among the files", name=name))
            continue
        with path.open("rb") as file:
            if through(file) != [size, digest]:
                found.append(say("{name} is not what it was", name=name))
    return found


def _said(folder: Path) -> dict[str, Any]:
    try:
        said = json.loads((folder / "set.json").read_text())
    except (FileNotFoundError, NotADirectoryError) as error:
        raise Refusal(
            say(
                "{folder} is no set of a backup: it has no set.json. Sets lie in the folder 'sets' of a backup.",
                folder=folder,
            )
        ) from error
    if said["engine"] != connections["default"].vendor:
        raise Refusal(
            say(
                "This set was made on {engine}, and this installation runs on {vendor}. Restore it on "
                "its own kind, then move it: manage.py move_database.",
                engine=said["engine"],
                vendor=connections["default"].vendor,
            )
        )
    return said


def put_back(folder: Path) -> Tally:
    """Put a set in the installation's place. Raises ``Refusal`` before anything is touched where the set is not whole."""
    said = _said(folder)
    if wrong := bad_files(folder, said):
        raise Refusal(
            say(
                "The set is not whole: {list} and {wrong_count} more. Nothing was changed.",
                list=joined("; ", wrong[:5]),
                wrong_count=len(wrong) - 5,
            )
            if wrong[5:]
            else say("The set is not whole: {list}. Nothing was changed.", list=joined("; ", wrong[:5]))
        )
    source = connections["default"]
    source.ensure_connection()
    if source.vendor == "sqlite":
        with closing(sqlite3.connect(f"{(folder / 'database.sqlite3').resolve().as_uri()}?mode=ro", uri=True)) as copy:
            copy.backup(source.connection)
    else:
        # Whoever is connected holds tables that are to be dropped.
        source.close()
        run(
            "pg_restore",
            "--no-owner",
            "--clean",
            "--if-exists",
            "--exit-on-error",
            "--single-transaction",
            f"--dbname={source.settings_dict['NAME']}",
            str(folder / "database.dump"),
        )
    for name in said["files"]:
        if default_storage.exists(name):
            continue
        with (folder.parent.parent / "files" / name).open("rb") as file:
            kept = default_storage.save(name, File(file))
        if kept != name:
            raise Refusal(say("{name} could not be put back under its name.", name=name))
    counted = tally()
    if wrong := read(said["tally"]).differs(counted):
        raise Refusal(say("What was put back is not what was kept: {list}.", list=joined("; ", wrong[:5])))
    return counted
