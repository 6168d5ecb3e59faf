"""Bytes from a file descriptor (standard input, a pipe) without waiting for them."""

import os
import select
import sys
import threading
from collections import deque

MOST = 65536
"""Bytes a look takes: what a pipe of Linux holds."""


class Stream:
    """What another program writes into a pipe. ``more`` gives what has come, b"" if nothing has, and
    None once the program has closed its end."""

    def __init__(self, descriptor: int) -> None:
        self._descriptor = descriptor
        self._chunks: deque[bytes | None] = deque()
        self._by_thread = sys.platform == "win32"
        if self._by_thread:  # where the system cannot wait for a pipe, a thread does
            threading.Thread(target=self._fetch, daemon=True).start()

    def more(self) -> bytes | None:
        """What has come since the last look."""
        if self._by_thread:
            return self._chunks.popleft() if self._chunks else b""
        if not select.select([self._descriptor], [], [], 0)[0]:
            return b""
        return os.read(self._descriptor, MOST) or None

    def _fetch(self) -> None:
        while data := os.read(self._descriptor, MOST):
            self._chunks.append(data)
        self._chunks.append(None)
