"""Ways to a device that writes lines: over the network, or a serial port."""

import socket
from typing import Protocol

LONGEST = 4096
BAUD = 9600


class GoneError(OSError):
    """The device cannot be reached, or no longer; the message says why."""


class Connection(Protocol):
    """A device that writes lines."""

    def line(self, seconds: float) -> str | None:
        """The next line, or None where none comes in so many seconds; raises GoneError."""

    def ask(self, text: str) -> None:
        """Send a text; raises GoneError."""

    def close(self) -> None:
        """Let the device go."""


class _Lines:
    """Bytes as they come, cut into lines."""

    def __init__(self) -> None:
        self.rest = b""

    def cut(self) -> str | None:
        """A whole line, if there is one; what is too long for one is let go."""
        for end in (b"\n", b"\r"):
            if end in self.rest:
                line, self.rest = self.rest.split(end, 1)
                self.rest = self.rest.lstrip(b"\r\n")
                return line.decode("utf-8", "replace").strip("\r\n")
        if len(self.rest) > LONGEST:
            self.rest = b""
        return None


class TcpConnection:
    """Lines over the network from `host:port`."""

    def __init__(self, address: str) -> None:
        host, _, port = address.rpartition(":")
        try:
            self.socket = socket.create_connection((host.strip("[]"), int(port)), timeout=3)
        except (OSError, ValueError, OverflowError) as error:
            raise GoneError(f"nothing answers at {address}: {getattr(error, 'strerror', None) or error}") from None
        self.lines = _Lines()

    def line(self, seconds: float) -> str | None:
        """The next line, or None where none comes in so many seconds; raises GoneError."""
        found = self.lines.cut()
        while found is None:
            self.socket.settimeout(seconds)
            try:
                more = self.socket.recv(1024)
            except TimeoutError:
                return None
            except OSError as error:
                raise GoneError(f"the line broke: {error.strerror}") from None
            if not more:
                raise GoneError("the other side closed the line")
            self.lines.rest += more
            found = self.lines.cut()
        return found

    def ask(self, text: str) -> None:
        """Send a text; raises GoneError."""
        try:
            self.socket.sendall(text.encode())
        except OSError as error:
            raise GoneError(f"the line broke: {error.strerror}") from None

    def close(self) -> None:
        """Let the device go."""
        self.socket.close()


class SerialConnection:
    """Lines from a serial port: `/dev/ttyUSB0`, or `/dev/ttyUSB0 19200` for another speed."""

    def __init__(self, address: str) -> None:
        import serial  # heavy for those who have no such port

        port, _, baud = address.partition(" ")
        try:
            self.port = serial.Serial(port, int(baud or BAUD), exclusive=True)
        except (serial.SerialException, ValueError, OSError) as error:
            raise GoneError(f"the port {port} cannot be opened: {error}") from None
        self.lines = _Lines()

    def line(self, seconds: float) -> str | None:
        """The next line, or None where none comes in so many seconds; raises GoneError."""
        import serial

        found = self.lines.cut()
        while found is None:
            self.port.timeout = seconds
            try:
                more = self.port.read(max(1, self.port.in_waiting))
            except (serial.SerialException, OSError, TypeError) as error:
                raise GoneError(f"the port was lost: {error}") from None
            if not more:
                return None
            self.lines.rest += more
            found = self.lines.cut()
        return found

    def ask(self, text: str) -> None:
        """Send a text; raises GoneError."""
        import serial

        try:
            self.port.write(text.encode())
        except (serial.SerialException, OSError) as error:
            raise GoneError(f"the port was lost: {error}") from None

    def close(self) -> None:
        """Let the device go."""
        self.port.close()


WAYS: dict[str, type[TcpConnection] | type[SerialConnection]] = {"tcp": TcpConnection, "serial": SerialConnection}
