"""Shared fixtures: a fresh database, the demo bench made once and copied, a client, and a real server."""

import shutil
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path

import pytest
from hypothesis import settings

from deft_bench.bench.scheduling import plan_first
from deft_bench.demo import make_demo
from deft_bench.store import shop
from deft_bench.store.database import Connection, open_database
from deft_bench.web import create_app
from harness import NOW, Bench, Server

settings.register_profile("bench", deadline=None, max_examples=60)
settings.load_profile("bench")


@pytest.fixture
def path(tmp_path: Path) -> Path:
    return tmp_path / "bench.sqlite3"


@pytest.fixture
def db(path: Path) -> Iterator[Connection]:
    with closing(open_database(path)) as connection:
        yield connection


@pytest.fixture(scope="session")
def demo_made(tmp_path_factory: pytest.TempPathFactory) -> Path:
    made = tmp_path_factory.mktemp("demo") / "demo.sqlite3"
    make_demo(made, NOW.date())
    with closing(open_database(made)) as whole:
        plan_first(whole, shop.settings(whole), NOW, 4.0)
        # one file to copy: nothing of it in a log beside it
        whole.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    return made


@pytest.fixture
def demo_path(demo_made: Path, path: Path) -> Path:
    shutil.copy(demo_made, path)
    return path


@pytest.fixture
def demo(demo_path: Path) -> Iterator[Connection]:
    with closing(open_database(demo_path)) as connection:
        yield connection


@pytest.fixture
def bench(demo_path: Path) -> Bench:
    return Bench(create_app(demo_path, now=lambda: NOW, testing=True).test_client())


@pytest.fixture
def empty(path: Path) -> Bench:
    return Bench(create_app(path, now=lambda: NOW, testing=True).test_client())


@pytest.fixture
def server(path: Path) -> Iterator[Server]:
    running = Server(path)
    running.start()
    yield running
    running.kill()
