"""The test runner: closes with one line that says how many passed and failed."""

import logging
import tempfile

from django.conf import settings
from django.template import engines
from django.test.runner import DiscoverRunner


class Undefined(str):
    """What stands in for a template's undefined variable: an error that names it."""

    def __new__(cls):
        return super().__new__(cls, "%s")

    def __mod__(self, name):
        raise AssertionError(f"a template uses {name}, which is not defined")


class Runner(DiscoverRunner):
    """Django's runner, with files in a folder of their own and a closing line for those who count."""

    def setup_test_environment(self, **kwargs):
        super().setup_test_environment(**kwargs)
        engines["django"].engine.string_if_invalid = Undefined()
        # Answers of 404 and 422 are what many tests ask for.
        logging.getLogger("django.request").setLevel(logging.ERROR)
        self._folder = tempfile.TemporaryDirectory(prefix="wainwright-test-")
        settings.MEDIA_ROOT = self._folder.name
        settings.CACHES["default"]["LOCATION"] = f"{self._folder.name}/cache"

    def teardown_test_environment(self, **kwargs):
        super().teardown_test_environment(**kwargs)
        self._folder.cleanup()

    def suite_result(self, suite, result, **kwargs):
        # A test with several failing subtests is one failed test.
        failed = [test for test, _ in (*result.failures, *result.errors)] + result.unexpectedSuccesses
        bad = len({getattr(test, "test_case", test).id() for test in failed})
        print(f"{result.testsRun - bad - len(result.skipped)} passed, {bad} failed", flush=True)
        return super().suite_result(suite, result, **kwargs) + len(result.skipped)
