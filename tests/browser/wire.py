"""A wire between browser and server that can be cut, for all of the browser at once: its pages and what works behind them."""

from __future__ import annotations

import socket
import threading
from contextlib import suppress

WHOLE, CUT, ANSWERS_LOST = "whole", "cut", "answers lost"
PIECE = 65_536


class Wire:
    """Listens on a port of its own and hands on to the server's."""

    def __init__(self, port: int) -> None:
        self.state, self._to = WHOLE, ("localhost", port)
        self._door = socket.create_server(("localhost", 0))
        self.address = f"http://localhost:{self._door.getsockname()[1]}"
        self._open: set[socket.socket] = set()
        threading.Thread(target=self._listen, daemon=True).start()

    def set(self, state: str) -> None:
        """Cut it, mend it, or let what is asked through and lose what is answered. What was open is cut off."""
        self.state = state
        for each in list(self._open):
            with suppress(OSError):
                each.shutdown(socket.SHUT_RDWR)

    def close(self) -> None:
        """Take it away."""
        self.set(CUT)
        self._door.close()

    def _listen(self) -> None:
        while True:
            try:
                near, _ = self._door.accept()
            except OSError:
                return
            if self.state == CUT:
                near.close()
                continue
            threading.Thread(target=self._join, args=(near,), daemon=True).start()

    def _join(self, near: socket.socket) -> None:
        try:
            far = socket.create_connection(self._to, timeout=60)
        except OSError:
            near.close()
            return
        self._open |= {near, far}
        back = threading.Thread(target=self._hand, args=(far, near, True), daemon=True)
        back.start()
        self._hand(near, far, False)
        back.join(60)
        self._open -= {near, far}
        near.close()
        far.close()

    def _hand(self, source: socket.socket, target: socket.socket, answers: bool) -> None:
        with suppress(OSError):
            while piece := source.recv(PIECE):
                if answers and self.state == ANSWERS_LOST:
                    break
                target.sendall(piece)
        for each in (source, target) if answers else (target,):
            with suppress(OSError):
                each.shutdown(socket.SHUT_RDWR if answers else socket.SHUT_WR)
