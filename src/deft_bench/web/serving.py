"""Serving the application with waitress, on this machine only unless told otherwise."""

import logging
import socket
from pathlib import Path

from waitress import create_server

from deft_bench.store.database import StoreError, refuse_other_files
from deft_bench.store.lock import held
from deft_bench.web import create_app

THREADS = 16
"""More than may wait for a plan at one time, so that other pages are still answered."""


def serve(database: Path, host: str, port: int, hosts: tuple[str, ...] = (), *, any_port: bool = False) -> int:
    """Serve until stopped; prints the address. Raises StoreError for an unusable database or a port that is taken.

    With `any_port` a port that is taken is not a failure: a free one is used and printed. While it runs nobody can put
    another file in the database's place.
    """
    refuse_other_files(database)
    try:
        database.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise StoreError(f"{database.parent} cannot be made: {error.strerror}.") from error
    with held(database, alone=False):
        return _serve(database, host, port, hosts, any_port)


def _serve(database: Path, host: str, port: int, hosts: tuple[str, ...], any_port: bool) -> int:
    logging.basicConfig(level=logging.WARNING, format="%(asctime)s %(levelname)s %(message)s")
    app = create_app(database, hosts=(*hosts, *((host,) if host != "0.0.0.0" else ())))
    try:
        listener = _listen(host, port, any_port)
    except OSError as error:
        raise StoreError(
            f"Port {port} on {host} cannot be used ({error.strerror}): choose another with --port."
        ) from error
    server = create_server(app, sockets=[listener], threads=THREADS, clear_untrusted_proxy_headers=True)
    shown = "127.0.0.1" if host in ("0.0.0.0", "::") else host
    print(f"Deft Bench is at http://{shown}:{listener.getsockname()[1]}/  (stop it with Ctrl-C)", flush=True)
    try:
        server.run()
    except KeyboardInterrupt:
        pass
    finally:
        server.close()
    return 0


def _listen(host: str, port: int, any_port: bool) -> socket.socket:
    try:
        return socket.create_server((host, port))
    except OSError:
        if not any_port:
            raise
        return socket.create_server((host, 0))
