"""The firm's bank: takes payment files and answers them."""

from __future__ import annotations

from typing import Protocol


class Bank(Protocol):
    """A bank. Sending the same message again pays nothing twice and gives the same answer."""

    def send(self, pain001: bytes) -> bytes:
        """Take a payment file (pain.001) and return the answer (pain.002)."""
