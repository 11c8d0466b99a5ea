"""gunicorn for Wainwright: gunicorn -c deploy/gunicorn.conf.py wainwright.wsgi"""

import os
from pathlib import Path

bind = os.environ.get("WAINWRIGHT_BIND", "127.0.0.1:8000")
workers = int(os.environ.get("WAINWRIGHT_WEB_PROCESSES", "3"))
threads = int(os.environ.get("WAINWRIGHT_WEB_THREADS", "4"))
# A bank's statement of 64 MB over a slow line takes a while; nothing else does.
timeout = 120
graceful_timeout = 30
# Whatever a long life gathers is let go.
max_requests, max_requests_jitter = 20_000, 2_000
forwarded_allow_ips = os.environ.get("WAINWRIGHT_PROXIES", "127.0.0.1")

if os.environ.get("WAINWRIGHT_METRICS_TOKEN"):
    # Figures of all processes are added up in a folder, which begins empty.
    folder = Path(os.environ.get("WAINWRIGHT_VAR", "var")) / "metrics"
    folder.mkdir(parents=True, exist_ok=True)
    for left in folder.glob("*.db"):
        left.unlink()
    os.environ["PROMETHEUS_MULTIPROC_DIR"] = str(folder)


def child_exit(server, worker):
    """Let go of what a process measured of itself alone."""
    if os.environ.get("PROMETHEUS_MULTIPROC_DIR"):
        from prometheus_client import multiprocess  # noqa: PLC0415 - only where it is measured

        multiprocess.mark_process_dead(worker.pid)
