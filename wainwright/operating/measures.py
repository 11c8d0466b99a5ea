"""What is measured, as Prometheus reads it: requests and queries of all web processes, and how the installation fares."""

from __future__ import annotations

import os
from collections.abc import Iterator

from django.db.models import Sum
from prometheus_client import CONTENT_TYPE_LATEST, REGISTRY, CollectorRegistry, generate_latest, multiprocess
from prometheus_client.core import GaugeMetricFamily
from prometheus_client.registry import Collector

from wainwright.core.said import say
from wainwright.operating import beats, health
from wainwright.operating.models import Failure


class Fares(Collector):
    """How the installation fares, asked when it is read."""

    def collect(self) -> Iterator[GaugeMetricFamily]:
        """Give each figure."""
        yield GaugeMetricFamily("wainwright_queue_waiting", say("Tasks that wait in the queue."), health.waiting())
        yield GaugeMetricFamily(
            "wainwright_worker_still_seconds", say("For how long the worker has begun nothing."), beats.since()
        )
        times = Failure.objects.aggregate(times=Sum("times"))["times"] or 0
        yield GaugeMetricFamily(
            "wainwright_failures_kept", say("Errors that nobody foresaw, of the last 90 days."), times
        )


def text() -> tuple[bytes, str]:
    """Return everything that is measured, and the type of that text."""
    registry = REGISTRY
    if os.environ.get("PROMETHEUS_MULTIPROC_DIR"):
        registry = CollectorRegistry()
        multiprocess.MultiProcessCollector(registry)
    of_all = CollectorRegistry()
    of_all.register(Fares())
    return generate_latest(registry) + generate_latest(of_all), CONTENT_TYPE_LATEST
