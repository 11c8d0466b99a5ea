"""What takes long and nobody in the telling waits for is made beside it, on another core: pictures, letters, a password's hash."""

from __future__ import annotations

import os
import pickle
import subprocess
import sys
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path
from typing import Any

Put = Callable[[Any], None]
ROOT = Path(__file__).parent.parent


class Beside:
    """Work of which only the telling's end needs what came of it. None of it may touch the database."""

    def __init__(self, threads: ThreadPoolExecutor, other: subprocess.Popen) -> None:
        self._threads, self._other = threads, other
        self._waiting: list[tuple[Future, Put]] = []

    def later(self, put: Put, work: Callable[..., Any], *given: Any) -> None:
        """Begin ``work`` in a thread; at the end ``put`` is called with what came of it."""
        self._waiting.append((self._threads.submit(work, *given), put))

    def drawn(self, put: Put, work: Callable[..., Any], *given: Any) -> None:
        """Begin ``work`` in the other process, which finds it by its module and name; at the end ``put`` is called as above."""
        # Written at once: who takes the answers keeps to the order in which they were asked for.
        pickle.dump((work, given), self._other.stdin)
        self._other.stdin.flush()
        self.later(put, self._answer)

    def _answer(self) -> Any:
        try:
            return pickle.load(self._other.stdout)
        except EOFError as error:
            raise RuntimeError("what draws beside the telling broke off") from error

    def settle(self) -> None:
        """Put away what came of it, in the order in which it was begun. Raises what the work raised."""
        waiting, self._waiting = self._waiting, []
        for future, put in waiting:
            put(future.result())


@contextmanager
def beside() -> Iterator[Beside]:
    """Work beside a telling, which ends with ``settle``."""
    command = [sys.executable, "-m", "demo.beside"]
    with subprocess.Popen(command, cwd=ROOT, stdin=subprocess.PIPE, stdout=subprocess.PIPE) as other:
        try:
            # One thread: it hashes the password first, then waits for the other's answers in their order.
            with ThreadPoolExecutor(1) as threads:
                yield Beside(threads, other)
        except BaseException:
            other.kill()
            raise


def serve() -> None:
    """Do what is asked for on standard input until it ends, one after the other, and answer on standard output."""
    # Behind the telling, where there are not cores enough for both and the pages that get ready.
    os.nice(10)
    answers, sys.stdout = sys.stdout.buffer, sys.stderr
    while True:
        try:
            work, given = pickle.load(sys.stdin.buffer)
        except EOFError:
            return
        pickle.dump(work(*given), answers)
        answers.flush()


if __name__ == "__main__":
    serve()
