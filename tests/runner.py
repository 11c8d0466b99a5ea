"""The test runner: on one fixed day or on many, in as many processes as there are cores, each with a folder of its own.

Closes with one line that says how many passed and failed.
"""

from __future__ import annotations

import json
import logging
import os
import re
import shutil
import sys
import time
import traceback
import unittest
from datetime import datetime
from pathlib import Path
from zlib import crc32

import hypothesis
import hypothesis.core
from django.conf import settings
from django.db import connection, connections
from django.forms.widgets import ChoiceWidget
from django.template import engines
from django.test import TestCase, TransactionTestCase, override_settings
from django.test.runner import (
    DiscoverRunner,
    ParallelTestSuite,
    RemoteTestResult,
    RemoteTestRunner,
    _init_worker,
    iter_test_cases,
)
from hypothesis import HealthCheck

from demo import empty
from tests.days import DIFFICULT, FEW, draw, moments
from tests.worlds import EMPTY, DayMixin, Shelf, clear_shelf, keep
from wainwright.core.said import Said

SEED = int(os.environ.get("WAINWRIGHT_SEED") or 20260916)
SLOWEST = 12
# Modules of tests whose answers the database works out.
BOTH = frozenset(
    {
        "test_finding",
        "test_reports",
        "test_spending",
        "test_queue",
        "test_text",
        "test_places",
        "test_desk",
        "test_operating",
    }
)
# How long a test takes depends on the machine, never whether it is right.
# One test runs in the classes of several days.
hypothesis.settings.register_profile(
    "suite",
    deadline=None,
    print_blob=True,
    suppress_health_check=[HealthCheck.differing_executors, HealthCheck.too_slow],
)


class Undefined(str):
    """What stands in for a template's undefined variable: an error that names it."""

    def __new__(cls):
        return super().__new__(cls, "%s")

    def __mod__(self, name):
        raise AssertionError(f"a template uses {name}, which is not defined")


def _keys_alone(create_option):
    """The values of choices are keys: a sentence in their place would go out, and come back, in the reader's language."""

    def create(widget, name, value, *rest, **more):
        if isinstance(value, Said):
            raise AssertionError(f"the choice {value!r} of {name} is a sentence, not a key")
        return create_option(widget, name, value, *rest, **more)

    return create


def own_folder(name: str) -> override_settings:
    """Settings that keep files, cache and clock in a folder of this process's own."""
    folder = Shelf.folder.parent / name
    folder.mkdir(exist_ok=True)
    caches = {**settings.CACHES, "sessions": {**settings.CACHES["sessions"], "LOCATION": str(folder / "cache")}}
    return override_settings(
        VAR=folder, MEDIA_ROOT=str(folder / "files"), ANCHORS=folder / "anchors.log", CACHES=caches
    )


def _start_worker(counter, *rest):
    _init_worker(counter, *rest)
    own_folder(f"worker-{os.getpid()}").enable()


def _failed_to_load(test: unittest.TestCase) -> bool:
    return isinstance(test, unittest.loader._FailedTest)


def _of_few(test: unittest.TestCase) -> list[datetime]:
    """The difficult days on which every run tries a test, so that the whole stays within some minutes.

    The demo is tried on each of the few, a test of the core on two of them, every sixteenth of the apps on one, so that each day
    has a part of every area; what says that it is the same on any day, and what has no day (formats) or is long (browser), on
    none. ``make any-day`` tries all on all.
    """
    kind, found = type(test), moments(FEW)
    area = kind.__module__.split(".")[1]
    if _failed_to_load(test) or area not in ("core", "apps") or getattr(test, "same_on_any_day", False):
        return []
    if kind.__module__ == "tests.apps.test_demo":
        return found
    drawn = crc32(test.id().encode())
    if area == "core":
        first = drawn % len(found)
        return [found[first], found[first - 1 - drawn // len(found) % (len(found) - 1)]]
    return [] if drawn % 16 else [found[drawn // 16 % len(found)]]


def _decided_by_database(test: unittest.TestCase) -> bool:
    """Whether every run tries a test on PostgreSQL too: what commits, finds, counts or reports, and a sixteenth of all else.

    ``make both`` tries all on both.
    """
    kind = type(test)
    if issubclass(kind, TransactionTestCase) and not issubclass(kind, TestCase):
        return True
    return kind.__module__.split(".")[-1] in BOTH or crc32(f"{kind.__module__}.{kind.__name__}".encode()) % 16 == 0


def _on(test: unittest.TestCase, moment: datetime) -> unittest.TestCase:
    """Return the same test in a class of the same tests on another day."""
    kind, name = type(test), f"{type(test).__name__}_on_{moment:%Y_%m_%d_%H%M}"
    module = sys.modules[kind.__module__]
    if not hasattr(module, name):
        bases = (kind,) if issubclass(kind, DayMixin) else (DayMixin, kind)
        setattr(module, name, type(name, bases, {"day": moment, "__module__": kind.__module__, "__qualname__": name}))
    return getattr(module, name)(test._testMethodName)


def _by_days(took: dict[str, float], failed: list[str]) -> str:
    """A table of days: how many tests ran on each, how many failed."""
    rows: dict[str, list[int]] = {}
    for name in took.keys() | set(failed):
        found = re.search(r"_on_(\d{4})_(\d\d)_(\d\d)_(\d\d)(\d\d)", name)
        day = "{}-{}-{} {}:{}".format(*found.groups()) if found else "own day"
        row = rows.setdefault(day, [0, 0])
        row[0] += 1
        row[1] += name in failed
    return "\n".join(f"{day:<17} {ran:>5} tests {bad:>4} failed" for day, (ran, bad) in sorted(rows.items()))


class Result(unittest.TextTestResult):
    """Knows how long each test took."""

    def __init__(self, *args, **options):
        super().__init__(*args, **options)
        self.took: dict[str, float] = {}

    def startTest(self, test):
        self.began = time.monotonic()
        super().startTest(test)

    def stopTest(self, test):
        # In a worker it was measured there.
        self.took.setdefault(test.id(), time.monotonic() - self.began)
        super().stopTest(test)


class Elsewhere(Exception):
    """What a test in a worker raised, as text: a traceback's own objects do not travel between processes."""


def _as_text(test: unittest.TestCase, err: tuple) -> tuple:
    text = "".join(traceback.format_exception(*err))
    return Elsewhere, Elsewhere(f"in {test.id()}:\n{text}"), None


class TimedResult(RemoteTestResult):
    """Says how long each test took, beside what became of it."""

    def addError(self, test, err):
        super().addError(test, _as_text(test, err))

    def addFailure(self, test, err):
        super().addFailure(test, _as_text(test, err))

    def addSubTest(self, test, subtest, err):
        # A part of a test is told as the test, with the part's name in the text: it holds a browser that cannot travel.
        if err is not None:
            super().addFailure(test, _as_text(subtest, err))

    def startTest(self, test):
        self.began = time.monotonic()
        super().startTest(test)

    def stopTest(self, test):
        self.events.append(("took", self.test_index, time.monotonic() - self.began))
        super().stopTest(test)


class TimedRunner(RemoteTestRunner):
    """Runs a class of tests in a worker."""

    resultclass = TimedResult


class Suite(ParallelTestSuite):
    """Django's parallel suite, with a folder for each worker and the times of tests."""

    init_worker = _start_worker
    runner_class = TimedRunner

    def handle_event(self, result, tests, event):
        if event[0] == "took":
            result.took[tests[event[1]].id()] = event[2]
        else:
            super().handle_event(result, tests, event)


class Runner(DiscoverRunner):
    """Django's runner, as the module says."""

    parallel_test_suite = Suite

    @classmethod
    def add_arguments(cls, parser):
        super().add_arguments(parser)
        parser.set_defaults(parallel=len(os.sched_getaffinity(0)))
        parser.add_argument(
            "--days",
            choices=["few", "all"],
            help="Run again on difficult days: the demo on each of few, the core on two of them, every sixteenth test of the apps on one, or all on all.",
        )
        parser.add_argument("--drawn", type=int, default=0, metavar="N", help="… and all on N days drawn by the seed.")
        parser.add_argument(
            "--both", action="store_true", help="Of all, only what the database decides: for a second run on another."
        )
        parser.add_argument("--only-days", action="store_true", help="Leave the suite's own day out.")
        parser.add_argument("--report", help="A file that gets what failed and how long each test took, as JSON.")

    def __init__(self, *args, days=None, drawn=0, only_days=False, report=None, both=False, **options):
        super().__init__(*args, **options)
        self.both = both
        self.few = days == "few"
        self.days = (moments(DIFFICULT) if days == "all" else []) + draw(drawn, SEED)
        self.only_days, self.report = only_days, report

    def setup_test_environment(self, **kwargs):
        super().setup_test_environment(**kwargs)
        engines["django"].engine.string_if_invalid = Undefined()
        ChoiceWidget.create_option = _keys_alone(ChoiceWidget.create_option)
        # Answers of 404 and 422 are what many tests ask for.
        logging.getLogger("django.request").setLevel(logging.ERROR)
        print(f"Seed {SEED} (again with WAINWRIGHT_SEED={SEED}); the day is {settings.NOW:%a %d %b %Y %H:%M} UTC.")
        hypothesis.settings.load_profile("suite")
        hypothesis.core.global_force_seed = SEED
        Shelf.folder = Path(settings.VAR) / "worlds"
        Shelf.folder.mkdir()
        self._own = own_folder("alone")
        self._own.enable()
        # Half a second for each password is right outside, and minutes of every run in here.
        self._quick = override_settings(PASSWORD_HASHERS=["django.contrib.auth.hashers.MD5PasswordHasher"])
        self._quick.enable()

    def teardown_test_environment(self, **kwargs):
        super().teardown_test_environment(**kwargs)
        self._quick.disable()
        self._own.disable()
        shutil.rmtree(settings.VAR, ignore_errors=True)

    def build_suite(self, test_labels=None, **kwargs):
        """Add each class once more for each of the other days."""
        parallel, self.parallel = self.parallel, 0
        tests = list(iter_test_cases(super().build_suite(test_labels, **kwargs)))
        self.parallel = parallel
        again = [_on(test, moment) for moment in self.days for test in tests if not _failed_to_load(test)]
        again += [_on(test, moment) for test in tests if self.few for moment in _of_few(test)]
        tests = again if self.only_days else tests + again
        if self.both:
            tests = [test for test in tests if _failed_to_load(test) or _decided_by_database(test)]
        by_class: dict[type, list] = {}
        for test in tests:
            by_class.setdefault(type(test), []).append(test)
        # The longest first, so that no process waits for one at the end.
        longest = sorted(by_class, key=lambda each: -getattr(each, "seconds", 0))
        suites = [self.test_suite(by_class[each]) for each in longest]
        self.parallel = min(self.parallel, len(suites))
        if self.parallel > 1:
            return self.parallel_test_suite(suites, self.parallel, self.failfast, self.debug_mode, self.buffer)
        return self.test_suite(suites)

    def setup_databases(self, **kwargs):
        """Make one database, keep it empty, then copy it for each process: a copy of the file alone lacks its log."""
        parallel, self.parallel = self.parallel, 0
        if connection.vendor == "sqlite":
            # What every migration makes ships made (test_empty); PostgreSQL's goes through all of them in each run.
            empty.lay(Path(settings.DATABASES["default"]["TEST"]["NAME"]))
            self.keepdb = True
        config = super().setup_databases(**kwargs)
        self.parallel, self.keepdb = parallel, False
        for old, _name, _destroy in config:
            keep(EMPTY)
            with old.cursor() as cursor:
                if old.vendor == "sqlite":
                    cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
            # A database that somebody is connected to is not copied by PostgreSQL.
            old.close()
            for number in range(self.parallel if self.parallel > 1 else 0):
                old.creation.clone_test_db(suffix=str(number + 1), verbosity=self.verbosity)
        return config

    def get_resultclass(self):
        return super().get_resultclass() or Result

    def suite_result(self, suite, result, **kwargs):
        # A test with several failing subtests is one failed test.
        failed = [test for test, _ in (*result.failures, *result.errors)] + result.unexpectedSuccesses
        names = sorted({getattr(test, "test_case", test).id() for test in failed})
        took = getattr(result, "took", {})
        if self.report:
            Path(self.report).write_text(json.dumps({"run": result.testsRun, "failed": names, "took": took}))
        if self.days or self.few:
            print(_by_days(took, names))
        slowest = sorted(took.items(), key=lambda each: -each[1])[:SLOWEST]
        print("\n".join(["Slowest:", *(f"{seconds:6.1f} s  {name}" for name, seconds in slowest)]))
        print("\n".join(f"Failed: {name}" for name in names))
        print(f"{result.testsRun - len(names) - len(result.skipped)} passed, {len(names)} failed", flush=True)
        return super().suite_result(suite, result, **kwargs) + len(result.skipped)

    def teardown_databases(self, old_config, **kwargs):
        for alias in connections:
            connections[alias].close()
        clear_shelf()
        super().teardown_databases(old_config, **kwargs)
