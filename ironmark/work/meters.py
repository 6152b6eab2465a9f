"""What is counted while the server runs, for Prometheus: requests, work on rows and its waits, jobs, and what is sent."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from prometheus_client import REGISTRY, CollectorRegistry, Counter, Histogram, generate_latest
from prometheus_client.core import GaugeMetricFamily
from prometheus_client.multiprocess import MultiProcessCollector

SHARED = "PROMETHEUS_MULTIPROC_DIR"  # in the environment: where several processes keep what they count
REQUESTS = Histogram("ironmark_request_seconds", "Answers, by route and status", ["method", "route", "status"])
READINGS = Histogram("ironmark_reading_seconds", "Work on rows, waits for a turn left out")
WAITS = Histogram("ironmark_turn_wait_seconds", "Waits for a turn to read rows")
JOBS = Counter("ironmark_jobs_total", "What was done without a request", ["job", "outcome"])
SENT = Counter("ironmark_sent_total", "Tries to send a message", ["channel", "outcome"])


def share_counts(directory: Path) -> None:
    """Have processes that are begun from now on count together. directory: emptied first."""
    directory.mkdir(parents=True, exist_ok=True)
    for old in directory.glob("*.db"):
        old.unlink()
    os.environ[SHARED] = str(directory)


@contextmanager
def job(kind: str) -> Iterator[None]:
    """Count something that is done."""
    try:
        yield
    except BaseException:
        JOBS.labels(kind, "failed").inc()
        raise
    JOBS.labels(kind, "done").inc()


class _Now:
    """Figures of this moment."""

    def __init__(self, gauges: dict[tuple[str, str], dict[tuple[str, ...], float]]) -> None:
        self._gauges = gauges

    def collect(self) -> Iterator[GaugeMetricFamily]:
        for (name, told), values in self._gauges.items():
            labels = ["of"] if any(values) else []
            family = GaugeMetricFamily(name, told, labels=labels)
            for label, value in values.items():
                family.add_metric(list(label), value)
            yield family


def as_text(gauges: dict[tuple[str, str], dict[tuple[str, ...], float]]) -> bytes:
    """All that was counted, with some figures of this moment: by name and what it tells, each with its label."""
    counted: CollectorRegistry = REGISTRY
    if os.environ.get(SHARED):
        counted = CollectorRegistry()
        MultiProcessCollector(counted)  # type: ignore[no-untyped-call]
    now = CollectorRegistry()
    now.register(_Now(gauges))  # type: ignore[arg-type]
    return bytes(generate_latest(counted) + generate_latest(now))
