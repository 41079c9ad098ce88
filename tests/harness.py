"""What the tests drive the application with: a client that sends tokens, and a server that can be killed."""

import os
import re
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Mapping
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from flask.testing import FlaskClient
from werkzeug.test import TestResponse

NOW = datetime(2026, 8, 24, 9, 30, tzinfo=UTC)


def words(text: str) -> str:
    """A page's text, without its markup."""
    return re.sub(r"\s+", " ", re.sub(r"<[^>]*>", " ", text))


class Page(TestResponse):
    """An answer whose text is as a browser shows it: a broken line is a space."""

    @property
    def text(self) -> str:
        text = super().text
        return re.sub(r"(?<=\S)\n *(?=\S)", " ", text) if self.mimetype == "text/html" else text


class Bench:
    """A client that sends the page's own CSRF token with every write."""

    def __init__(self, client: FlaskClient) -> None:
        client.response_wrapper = type("AnyPage", (Page, client.response_wrapper), {})
        self.client = client
        self.token = ""

    def get(self, url: str, status: int = 200, **kwargs: Any) -> str:
        answer = self.client.get(url, **kwargs)
        assert answer.status_code == status, (url, answer.status_code, answer.text[:400])
        found = re.search(r'name="csrf_token" value="([^"]+)"', answer.text)
        self.token = found[1] if found else self.token
        return answer.text

    def post(self, url: str, data: Mapping[str, Any] | None = None, follow: bool = True, **kwargs: Any) -> TestResponse:
        if not self.token:
            self.get("/")
        sent = {"csrf_token": self.token, **(data or {})}
        return self.client.post(url, data=sent, follow_redirects=follow, **kwargs)


class Server:
    """`deft-bench serve` as its own process, so that it can be killed."""

    def __init__(self, database: Path) -> None:
        self.database = database
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self.process: subprocess.Popen[bytes] | None = None

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> None:
        command = [
            sys.executable,
            "-m",
            "deft_bench",
            "serve",
            "--database",
            str(self.database),
            "--port",
            str(self.port),
        ]
        self.process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        for _ in range(1200):  # a slow disk may take its time
            try:
                urllib.request.urlopen(self.url, timeout=5).close()
                return
            except OSError:
                time.sleep(0.05)
        raise AssertionError("the server did not start")

    def kill(self) -> None:
        if self.process is not None:
            os.kill(self.process.pid, signal.SIGKILL)
            self.process.wait()
            self.process = None
