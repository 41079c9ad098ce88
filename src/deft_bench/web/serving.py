"""Serving the application with cheroot, on this machine only unless told otherwise; with TLS over the local network."""

import errno
import logging
import selectors
import signal
import socket
import ssl
import sys
from collections import Counter
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from importlib import import_module
from ipaddress import ip_address
from pathlib import Path
from threading import Lock, Thread, Timer
from typing import TYPE_CHECKING, Any

from cheroot import wsgi
from cheroot.server import HTTPConnection
from cheroot.ssl import Adapter
from flask import Flask

from deft_bench.bench.planning_process import PlanningProcess
from deft_bench.store.access import passphrase_hash
from deft_bench.store.database import (
    StoreError,
    checked_later,
    connect,
    open_database,
    refuse_damaged,
    refuse_other_files,
)
from deft_bench.store.lock import held
from deft_bench.web import create_app
from deft_bench.web.following import MOST_FOLLOWERS, following_of
from deft_bench.web.slow_senders import patient_file

if TYPE_CHECKING:
    from deft_bench.web.access.certificates import Certificate

THREADS = 16
"""More than may wait for a plan at one time, so that other pages are still answered."""
WARM_AFTER_SECONDS = 4.0
SILENT_SECONDS = 15
"""How long one may be silent in the middle of what he says, or between two questions."""
MOST_OF_A_DEVICE = 12
"""Questions of one device that are answered at a time: a browser asks six, and may follow with a second window."""
HEADER_BYTES = 64 * 1024
NOT_TLS = (
    b"HTTP/1.1 400 Bad Request\r\nContent-Type: text/plain; charset=utf-8\r\nConnection: close\r\n\r\n"
    b"This bench is reached by https: put https:// before its address.\n"
)
BUSY = (
    b"HTTP/1.1 503 Service Unavailable\r\nContent-Type: text/plain; charset=utf-8\r\nRetry-After: 5\r\n"
    b"Connection: close\r\n\r\nThis device asks too much at one time: try again in a moment.\n"
)


class _Tls(Adapter):
    """Wraps what comes in; hands are shaken later, by the thread that serves it, so that nobody who is slow at it
    holds up the others.
    """

    def __init__(self, certificate: "Certificate") -> None:
        super().__init__(str(certificate.chain), str(certificate.key))
        self.context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
        self.context.minimum_version = ssl.TLSVersion.TLSv1_2
        self.context.load_cert_chain(certificate.chain, certificate.key)

    def bind(self, sock: socket.socket) -> socket.socket:
        return sock

    def wrap(self, sock: socket.socket) -> tuple[socket.socket, dict[str, str]]:
        wrapped = self.context.wrap_socket(sock, do_handshake_on_connect=False, server_side=True)
        return wrapped, self.get_environ()

    def get_environ(self) -> dict[str, str]:
        return {"wsgi.url_scheme": "https", "HTTPS": "on"}

    def makefile(self, sock: socket.socket, mode: str = "r", bufsize: int = -1) -> Any:
        return patient_file(sock, mode, bufsize)


class _Connection(HTTPConnection):
    """A connection that takes up a thread only while something is heard of it, and shakes hands before it is first
    read.
    """

    shaken = False

    def __init__(self, server: "Server", sock: socket.socket, makefile: object = None) -> None:
        super().__init__(server, sock, patient_file)

    def communicate(self) -> bool:
        if not self._heard():
            return True  # it waits, as one between two questions does, until there is something or its time is over
        self.rfile.begin()
        with self.server.one_more_of(self.remote_addr) as allowed:
            if not allowed:
                if self.shaken or not isinstance(self.socket, ssl.SSLSocket):
                    with suppress(OSError):
                        self.socket.sendall(BUSY)
                return False
            return self._shakes_hands() and bool(super().communicate())  # type: ignore[no-untyped-call]

    def _heard(self) -> bool:
        if self.rfile.has_data() or (isinstance(self.socket, ssl.SSLSocket) and self.socket.pending()):
            return True
        with selectors.DefaultSelector() as waiting:
            waiting.register(self.socket, selectors.EVENT_READ)
            return bool(waiting.select(0))

    def _shakes_hands(self) -> bool:
        if self.shaken or not isinstance(self.socket, ssl.SSLSocket):
            return True
        try:
            self.socket.do_handshake()
        except (ssl.SSLError, OSError) as error:
            if "HTTP_REQUEST" in str(getattr(error, "reason", "")):
                with suppress(OSError):
                    socket.socket.sendall(self.socket, NOT_TLS)
            return False
        self.shaken = True
        return True


class Server(wsgi.Server):
    """The application on a socket that listens already; `start` it, until `close`."""

    ConnectionClass = _Connection

    def __init__(self, app: Flask, listener: socket.socket, certificate: "Certificate | None" = None) -> None:
        self.listener, self.app = listener, app
        self._answering: Counter[str] = Counter()
        self._counting = Lock()
        self.port = int(listener.getsockname()[1])
        super().__init__(
            listener.getsockname()[:2],
            app,
            numthreads=THREADS + MOST_FOLLOWERS,
            server_name="deft-bench",
            request_queue_size=128,
            timeout=SILENT_SECONDS,
            shutdown_timeout=1,
        )
        self.software = "Deft Bench"
        self.max_request_header_size = HEADER_BYTES
        if certificate is not None:
            self.ssl_adapter = _Tls(certificate)

    @contextmanager
    def one_more_of(self, address: str) -> Iterator[bool]:
        """Whether another device's next question is taken up: one device does not have all the threads. This machine
        itself, from which every window may come, is not counted.
        """
        if ip_address(address).is_loopback:
            yield True
            return
        with self._counting:
            allowed = self._answering[address] < MOST_OF_A_DEVICE
            self._answering[address] += 1
        try:
            yield allowed
        finally:
            with self._counting:
                self._answering[address] -= 1
                if not self._answering[address]:
                    del self._answering[address]

    def bind(self, family: int, type: int, proto: int = 0) -> socket.socket:
        """Take the socket that listens already."""
        self.socket = self.listener
        return self.listener

    def error_log(self, msg: str = "", level: int = logging.WARNING, traceback: bool = False) -> None:
        """Say it in the program's log; that somebody went away while he was answered is no error."""
        if isinstance(sys.exc_info()[1], (ssl.SSLError, ConnectionError)):
            level, traceback = logging.DEBUG, False
        logging.getLogger("deft_bench.server").log(level, msg, exc_info=traceback)

    def close(self) -> None:
        """Stop: those who follow are let go, what is being answered is answered."""
        following_of(self.app).close()
        self.app.extensions["devices"].close()
        self.stop()


@contextmanager
def in_background(app: Flask, certificate: "Certificate | None" = None) -> Iterator[Server]:
    """The application on a free port of this machine, served by a thread meanwhile."""
    server = Server(app, listen("127.0.0.1", 0), certificate)
    server.prepare()
    Thread(target=server.serve, daemon=True, name="server").start()
    try:
        yield server
    finally:
        server.close()


@dataclass(frozen=True, slots=True)
class Address:
    """Where it listens: `hosts` are names beside this machine's own by which it may be asked; with `any_port` a port
    that is taken is not a failure: a free one is used and printed.
    """

    host: str = "127.0.0.1"
    port: int = 8137
    hosts: tuple[str, ...] = ()
    any_port: bool = False


def serve(database: Path, address: Address, *, bench: bool = False) -> int:
    """Serve until stopped; prints the address. Raises StoreError for an unusable database or a port that is taken.

    With `bench` it is served over the local network by https, to those who have entered. While it runs nobody can put
    another file in the database's place.
    """
    refuse_other_files(database)
    try:
        database.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise StoreError(f"{database.parent} cannot be made: {error.strerror}.") from error
    logging.basicConfig(level=logging.WARNING, format="%(asctime)s %(levelname)s %(message)s")
    with held(database, alone=False):
        _until_stopped(_over_the_network(database, address) if bench else _to_this_machine(database, address))
    return 0


def _to_this_machine(database: Path, at: Address) -> Server:
    app = create_app(database, hosts=(*at.hosts, *((at.host,) if at.host != "0.0.0.0" else ())))
    server = Server(app, _listener(at))
    shown = "127.0.0.1" if at.host in ("0.0.0.0", "::") else at.host
    print(f"Deft Bench is at http://{shown}:{server.port}/  (stop it with Ctrl-C)", flush=True)
    return server


def _over_the_network(database: Path, at: Address) -> Server:
    from deft_bench.web.access.certificates import certificate, fingerprint, own_addresses
    from deft_bench.web.access.gate import LocalNetwork, close_gate

    with closing(open_database(database, check_later=True)) as db:
        if passphrase_hash(db) is None:
            raise StoreError(f"No passphrase is set: deft-bench passphrase --database {database}, then start again.")
    folder = database.with_name(f"{database.name}.tls")
    addresses = own_addresses()
    name = socket.gethostname().split(".")[0].lower()
    names = (*at.hosts, f"{name}.local")
    try:
        files = certificate(folder, names, addresses, datetime.now(UTC))
    except OSError as error:
        raise StoreError(f"The certificate cannot be kept in {folder}: {error.strerror}.") from error
    asked = [f"[{one}]" if ":" in str(one) else str(one) for one in addresses]
    app = create_app(database, hosts=(*names, name, *asked))
    server = Server(app, _listener(at), files)
    shown = f"https://{asked[0] if at.host == '0.0.0.0' else at.host}:{server.port}"
    close_gate(app, LocalNetwork(shown, folder))
    print(f"Deft Bench is at {shown}/ on the local network  (stop it with Ctrl-C)", flush=True)
    print(f"Its authority, to compare before a device trusts it: {fingerprint(folder)}", flush=True)
    return server


def _until_stopped(server: Server) -> None:
    signal.signal(signal.SIGTERM, signal.default_int_handler)
    from deft_bench.web.devices.keeper import keep_climate
    from deft_bench.web.devices.stand_ins import resume
    from deft_bench.web.keeping.keeper import keep_backups

    resume(server.app)
    if checked_later(server.app.config["DATABASE"]):
        Thread(target=look_for_damage, args=(server.app,), daemon=True, name="check").start()
    Thread(target=keep_climate, args=(server.app,), daemon=True, name="climate").start()
    Thread(target=keep_backups, args=(server.app,), daemon=True, name="backups").start()
    apart = server.app.extensions["planner"].elsewhere = PlanningProcess()
    warming = Timer(WARM_AFTER_SECONDS, _warm, (apart,))
    warming.daemon = True
    warming.start()
    try:
        server.start()
    except KeyboardInterrupt:
        pass
    finally:
        warming.cancel()
        server.close()
        apart.close()


def look_for_damage(app: Flask) -> None:
    """Look through a large bench file that is served already; nothing more is read from it or written where it is
    damaged.
    """
    database: Path = app.config["DATABASE"]
    try:
        with closing(connect(database)) as db:
            refuse_damaged(db, database)
    except StoreError as error:
        app.config["DAMAGE"] = str(error)
        logging.getLogger("deft_bench.server").error("%s", error)


def _warm(apart: PlanningProcess) -> None:
    """Load what takes long to load, when the first pages are out, so that the first plan and call need not wait."""
    apart.start()
    for name in ("scipy.special", "scipy.signal", "scipy.optimize"):
        import_module(name)


def _listener(at: Address) -> socket.socket:
    try:
        return listen(at.host, at.port, at.any_port)
    except OSError as error:
        raise StoreError(
            f"Port {at.port} on {at.host} cannot be used ({error.strerror}): choose another with --port."
        ) from error


def listen(host: str, port: int, any_port: bool = False) -> socket.socket:
    """A socket that listens; with `any_port` on a free port where that one is taken. Raises OSError."""
    try:
        found = socket.create_server((host, port), backlog=128)
    except OSError as error:
        if not any_port or error.errno != errno.EADDRINUSE:
            raise
        found = socket.create_server((host, 0), backlog=128)
    # what is accepted takes it over: a head and its body go out at once
    found.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    return found
