"""Ways to a device that writes lines: over the network, or a serial port."""

import socket
from abc import ABC, abstractmethod

LONGEST = 4096
BAUD = 9600


class GoneError(OSError):
    """The device cannot be reached, or no longer; the message says why."""


class Connection(ABC):
    """A device that writes lines: bytes as they come, cut into lines."""

    def __init__(self) -> None:
        self._rest = b""

    def line(self, seconds: float) -> str | None:
        """The next line, or None where nothing comes for so many seconds; raises GoneError."""
        found = self._cut()
        while found is None:
            more = self._more(seconds)
            if more is None:
                return None
            self._rest += more
            found = self._cut()
        return found

    def _cut(self) -> str | None:
        """A whole line, if there is one; what is too long for one is let go."""
        for end in (b"\n", b"\r"):
            if end in self._rest:
                line, self._rest = self._rest.split(end, 1)
                self._rest = self._rest.lstrip(b"\r\n")
                return line.decode("utf-8", "replace").strip("\r\n")
        if len(self._rest) > LONGEST:
            self._rest = b""
        return None

    @abstractmethod
    def _more(self, seconds: float) -> bytes | None:
        """Bytes that came, or None where none did for so many seconds; raises GoneError."""

    @abstractmethod
    def ask(self, text: str) -> None:
        """Send a text; raises GoneError."""

    @abstractmethod
    def close(self) -> None:
        """Let the device go."""


class TcpConnection(Connection):
    """Lines over the network from `host:port`."""

    def __init__(self, address: str) -> None:
        super().__init__()
        host, _, port = address.rpartition(":")
        try:
            self._socket = socket.create_connection((host.strip("[]"), int(port)), timeout=3)
        except (OSError, ValueError, OverflowError) as error:
            raise GoneError(f"nothing answers at {address}: {getattr(error, 'strerror', None) or error}") from None

    def _more(self, seconds: float) -> bytes | None:
        self._socket.settimeout(seconds)
        try:
            more = self._socket.recv(1024)
        except TimeoutError:
            return None
        except OSError as error:
            raise GoneError(f"the line broke: {error.strerror}") from None
        if not more:
            raise GoneError("the other side closed the line")
        return more

    def ask(self, text: str) -> None:
        """Send a text; raises GoneError."""
        try:
            self._socket.sendall(text.encode())
        except OSError as error:
            raise GoneError(f"the line broke: {error.strerror}") from None

    def close(self) -> None:
        """Let the device go."""
        self._socket.close()


class SerialConnection(Connection):
    """Lines from a serial port: `/dev/ttyUSB0`, or `/dev/ttyUSB0 19200` for another speed."""

    def __init__(self, address: str) -> None:
        import serial  # only where there is such a port

        super().__init__()
        port, _, baud = address.partition(" ")
        try:
            self._port = serial.Serial(port, int(baud or BAUD), exclusive=True)
        except (ValueError, OSError) as error:
            raise GoneError(f"the port {port} cannot be opened: {error}") from None

    def _more(self, seconds: float) -> bytes | None:
        self._port.timeout = seconds
        try:
            return self._port.read(max(1, self._port.in_waiting)) or None
        except (OSError, TypeError) as error:  # a port that is pulled out while it is read
            raise GoneError(f"the port was lost: {error}") from None

    def ask(self, text: str) -> None:
        """Send a text; raises GoneError."""
        try:
            self._port.write(text.encode())
        except OSError as error:
            raise GoneError(f"the port was lost: {error}") from None

    def close(self) -> None:
        """Let the device go."""
        self._port.close()


WAYS: dict[str, type[TcpConnection] | type[SerialConnection]] = {"tcp": TcpConnection, "serial": SerialConnection}
