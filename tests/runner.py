"""The test runner: closes with one line that says how many passed and failed."""

import tempfile

from django.conf import settings
from django.test.runner import DiscoverRunner


class Runner(DiscoverRunner):
    """Django's runner, with files in a folder of their own and a closing line for those who count."""

    def setup_test_environment(self, **kwargs):
        super().setup_test_environment(**kwargs)
        self._folder = tempfile.TemporaryDirectory(prefix="wainwright-test-")
        settings.MEDIA_ROOT = self._folder.name
        settings.CACHES["default"]["LOCATION"] = f"{self._folder.name}/cache"

    def teardown_test_environment(self, **kwargs):
        super().teardown_test_environment(**kwargs)
        self._folder.cleanup()

    def suite_result(self, suite, result, **kwargs):
        bad = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        print(f"{result.testsRun - bad - len(result.skipped)} passed, {bad} failed", flush=True)
        return super().suite_result(suite, result, **kwargs) + len(result.skipped)
