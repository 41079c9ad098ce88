"""What comes in on a connection, and when whoever sends it is too slow to be waited for."""

import socket
import time
from typing import Any

from cheroot.makefile import MakeFile, StreamReader

PATIENCE_SECONDS = 20.0
"""So long one request may be waited for, whatever its pace."""
SLOWEST = 500
"""Bytes a second that it must come by from then on; the worst radio link of a shop is quicker."""


class _Heard(socket.SocketIO):
    """The bytes of one request after another, and how long they were waited for."""

    def __init__(self, sock: socket.socket) -> None:
        super().__init__(sock, "rb")
        self.begin()

    def begin(self) -> None:
        """Another request comes."""
        self.waited, self.heard = 0.0, 0

    def readinto(self, buffer: Any) -> int | None:
        """Wait for some bytes; raises TimeoutError, as for one who is silent, where they come too slowly."""
        since = time.monotonic()
        many = super().readinto(buffer)
        self.waited += time.monotonic() - since
        self.heard += many or 0
        if self.waited > PATIENCE_SECONDS and self.heard < SLOWEST * self.waited:
            raise TimeoutError("timed out")
        return many


class PatientReader(StreamReader):
    """Reads a connection; `begin` before each request."""

    def __init__(self, sock: socket.socket, bufsize: int) -> None:
        self._heard = _Heard(sock)
        # not StreamReader's own, which waits for every byte afresh
        super(StreamReader, self).__init__(self._heard, bufsize)
        self.bytes_read = 0

    def begin(self) -> None:
        """Another request comes: patience is new."""
        self._heard.begin()


def patient_file(sock: socket.socket, mode: str = "r", bufsize: int = -1) -> Any:
    """The side of a connection that is read or written, as the server asks for it."""
    return PatientReader(sock, bufsize) if "r" in mode else MakeFile(sock, mode, bufsize)
