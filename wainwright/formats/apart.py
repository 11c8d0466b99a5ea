"""Opens what strangers send in a process of its own, within bounds of time and memory.

A file can be made to burst, or to take for ever, in any parser. So none is parsed where people wait, nor in a process
that has other work: ``apart`` runs one piece of ``WORK`` in a new one, which ends with it. Whatever happens there, the
caller gets a result or a sentence. Run as a program (``python -m wainwright.formats.apart WHERE SECONDS BYTES COUNT``) it is that process.
"""

from __future__ import annotations

import contextlib
import importlib
import io
import os
import pickle
import resource
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from wainwright.core.said import said_by, say
from wainwright.formats.counting import count_into, so_far
from wainwright.formats.problems import Unreadable

# Name of a piece of work: where it is, and its bounds in seconds and in bytes.
WORK: dict[str, tuple[str, int, int]] = {
    "paper": ("wainwright.formats.opening:open_paper", 40, 1_500_000_000),
    "words": ("wainwright.formats.opening:read_words", 15, 800_000_000),
    "heads": ("wainwright.formats.mail:read_heads", 5, 400_000_000),
    "mail": ("wainwright.formats.mail:read_mail", 15, 800_000_000),
    "statements": ("wainwright.formats.statements:read_statements", 60, 2_000_000_000),
    "table": ("wainwright.formats.csv_statement:table_of", 60, 2_000_000_000),
    "rates": ("wainwright.formats.rate_table:read_rate_table", 20, 800_000_000),
    "masters": ("wainwright.formats.master_table:read_masters", 40, 1_200_000_000),
    "people": ("wainwright.formats.people_table:read_people", 20, 800_000_000),
    "allowances": ("wainwright.formats.allowance_table:read_allowances", 20, 800_000_000),
    "mileage": ("wainwright.formats.mileage_table:read_mileage", 20, 800_000_000),
    "categories": ("wainwright.formats.category_table:read_categories", 20, 800_000_000),
    "answer": ("wainwright.formats.pain002:read_pain002", 15, 800_000_000),
}
TOO_LONG = say(
    "It takes longer to open than a file of its kind should. Send it anew from where it was made, or as a picture."
)
TOO_LARGE = say(
    "It is damaged, or far larger inside than it looks. Send it anew from where it was made, or as a picture."
)
_ROOT = Path(__file__).resolve().parents[2]
# What may come back from there: our own values and a few of the language's, never a thing that acts.
_PLAIN = {
    ("datetime", "date"), ("datetime", "datetime"), ("datetime", "timezone"), ("datetime", "timedelta"), ("decimal", "Decimal"),
    ("builtins", "frozenset"), ("builtins", "set"), ("copyreg", "_reconstructor"), ("builtins", "object"),
}  # fmt: skip


class _Values(pickle.Unpickler):
    def find_class(self, module: str, name: str) -> Any:
        found = None
        if (module, name) in _PLAIN or module.startswith(("wainwright.core.", "wainwright.formats.")):
            found = super().find_class(module, name)
        if not isinstance(found, type) and (module, name) != ("copyreg", "_reconstructor"):
            raise pickle.UnpicklingError(say("{module}.{name} is no value", module=module, name=name))
        return found


def apart(name: str, *given: Any, told: Callable[[int], object] | None = None) -> Any:
    """Return what the piece of work called ``name`` makes of what is given. Raises ``Unreadable``.

    ``told`` is called about once a second with how many entries were read so far, where the work counts them.
    """
    if told is None:
        return _apart(name, given, "", None)
    with tempfile.TemporaryDirectory(prefix="apart-") as folder:
        return _apart(name, given, str(Path(folder) / "count"), told)


def _apart(name: str, given: tuple[Any, ...], place: str, told: Callable[[int], object] | None) -> Any:
    where, seconds, memory = WORK[name]
    command = [sys.executable, "-m", "wainwright.formats.apart", where, str(seconds), str(memory), place]
    environment = {**os.environ, "OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1", "PYTHONPATH": str(_ROOT)}
    with subprocess.Popen(
        command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, env=environment, cwd="/",
        start_new_session=True,
    ) as there:  # fmt: skip
        try:
            answer = _answer(there, pickle.dumps(given), seconds, place, told)
        finally:
            _end(there.pid)
    if there.returncode == -signal.SIGXCPU:
        raise Unreadable(TOO_LONG)
    if there.returncode != 0:
        raise Unreadable(TOO_LARGE)
    with_result, result = _loaded(answer)
    if not with_result:
        raise Unreadable(result)
    return result


def _answer(
    there: subprocess.Popen[bytes], given: bytes, seconds: int, place: str, told: Callable[[int], object] | None
) -> bytes:
    """Wait for what the process answers, and tell meanwhile how far it is."""
    until, left = time.monotonic() + seconds, given or None
    while True:
        wait = until - time.monotonic()
        try:
            answer, _ = there.communicate(left, timeout=max(0.0, wait if told is None else min(wait, 1.0)))
        except subprocess.TimeoutExpired as error:
            if time.monotonic() >= until:
                raise Unreadable(TOO_LONG) from error
            # What is given was handed over with the first call.
            left = None
            if told is not None:
                told(so_far(place))
        else:
            return answer


def _end(group: int) -> None:
    """End the process and whatever it began."""
    with contextlib.suppress(ProcessLookupError):
        os.killpg(group, signal.SIGKILL)


def _loaded(answer: bytes) -> tuple[bool, Any]:
    try:
        with_result, result = _Values(io.BytesIO(answer)).load()
    except (pickle.UnpicklingError, EOFError, ValueError, TypeError, AttributeError, ImportError) as error:
        raise Unreadable(TOO_LARGE) from error
    return with_result, result


def main(where: str, seconds: int, memory: int, place: str) -> None:
    """Be that process: read what is given, work within the bounds, write the result or the sentence why there is none."""
    if place:
        count_into(place)
    module, _, function = where.partition(":")
    given = pickle.loads(sys.stdin.buffer.read())
    work = getattr(importlib.import_module(module), function)
    resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds + 1))
    try:
        answer = (True, work(*given))
    except Unreadable as error:
        answer = (False, said_by(error))
    # What a damaged file raises in the depths of a library is told as damage; running out of memory ends the process.
    except (RecursionError, MemoryError):
        sys.exit(4)
    sys.stdout.buffer.write(pickle.dumps(answer))


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]), int(sys.argv[3]), sys.argv[4])
