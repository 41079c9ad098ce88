"""What windows that follow cost: fifty of them at rest, and how long a live figure is under way."""

import http.client
import json
import shutil
import socket
import tempfile
import threading
import time
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path
from statistics import median

from deft_bench.demo import make_demo
from deft_bench.devices.line_format import PRESETS
from deft_bench.store import devices
from deft_bench.store.database import connect
from deft_bench.store.devices import DeviceSetup
from deft_bench.web import create_app
from deft_bench.web.serving import Server, in_background

DAY = datetime(2026, 8, 24, 9, 30, tzinfo=UTC)
FOLLOWERS, REST_S, FIGURES = 50, 10.0, 100


def bench_following() -> None:
    """Print the share of a core that fifty followers at rest take, beside none, and a live figure's lag."""
    with tempfile.TemporaryDirectory() as folder:
        database = Path(folder) / "demo.sqlite3"
        make_demo(database, DAY.date())
        with in_background(create_app(database)) as server:
            alone = _share(REST_S)
            lines = [_follow(server, "/surveys/1/follow") for _ in range(FOLLOWERS)]
            followed = _share(REST_S)
            print(f"following: {FOLLOWERS} at rest {100 * followed:.2f} % of a core, none {100 * alone:.2f} %")
            for connection, _ in lines:
                connection.close()
            lag = _lag(server, database)
            print(f"following: a live figure is under way {1000 * median(lag):.1f} ms at the median, at 20 Hz")
        shutil.rmtree(folder, ignore_errors=True)


def _share(seconds: float) -> float:
    """The share of a core that this process takes over some seconds."""
    before = time.process_time()
    time.sleep(seconds)
    return (time.process_time() - before) / seconds


def _follow(server: Server, path: str) -> tuple[http.client.HTTPConnection, http.client.HTTPResponse]:
    connection = http.client.HTTPConnection("127.0.0.1", server.port, timeout=60)
    connection.request("GET", path)
    answer = connection.getresponse()
    answer.readline()
    return connection, answer


def _lag(server: Server, database: Path) -> list[float]:
    """How long each figure is under way from the gauge's line to the window that follows it, seconds."""
    listener = socket.create_server(("127.0.0.1", 0))
    setup = DeviceSetup(
        "Dial",
        "readings",
        "tcp",
        f"127.0.0.1:{listener.getsockname()[1]}",
        PRESETS["figure_unit"][1],
        "mm",
        "",
        10,
        600,
    )
    with closing(connect(database)) as db:
        device = devices.put(db, setup, "2026-08-24T08:00:00.000Z")
    sent: dict[int, float] = {}

    def write() -> None:
        gauge, _ = listener.accept()
        with gauge:
            for k in range(FIGURES):
                sent[k] = time.perf_counter()
                gauge.sendall(f"+{k / 1000:.3f} mm\n".encode())
                time.sleep(0.05)

    threading.Thread(target=write, daemon=True).start()
    connection, answer = _follow(server, f"/devices/{device}/live")
    found: list[float] = []
    while len(found) < FIGURES * 0.9:
        line = answer.readline()
        if not line.startswith(b"data: "):
            continue
        mm = json.loads(line[6:])["mm"]
        if mm is not None:
            found.append(time.perf_counter() - sent[round(1000 * mm)])
    connection.close()
    listener.close()
    return found
