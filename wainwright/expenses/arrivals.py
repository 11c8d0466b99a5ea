"""What happens when something new lies in somebody's tray: whoever listens on the floors above is told, in the queue."""

from __future__ import annotations

from collections.abc import Callable

from huey.contrib.djhuey import on_commit_task

LISTENERS: list[Callable[[int], object]] = []


@on_commit_task(retries=1, retry_delay=30)
def arrived(member_id: int) -> None:
    """Say that a charge or a paper of a person came in, or was read."""
    for listen in LISTENERS:
        listen(member_id)
