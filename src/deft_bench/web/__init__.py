"""The Flask face: an application factory and one blueprint a screen. No SQL and no domain arithmetic here."""

import os
import secrets
from collections.abc import Callable
from contextlib import closing, suppress
from datetime import UTC, datetime
from pathlib import Path

from flask import Flask, Response, g

from deft_bench import __version__
from deft_bench.bench.planner import Planner
from deft_bench.devices.hub import Hub
from deft_bench.store.database import open_database
from deft_bench.store.kept import Kept
from deft_bench.web import errors, support
from deft_bench.web.access.gate import Tries
from deft_bench.web.extensions import Flush, csrf
from deft_bench.web.following import Following

CONTENT_SECURITY_POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self'; font-src 'self'; media-src 'self'; "
    "connect-src 'self'; "
    "form-action 'self'; frame-ancestors 'none'; base-uri 'none'"
)

KEY_BYTES = 32


def create_app(
    database: Path,
    *,
    now: Callable[[], datetime] | None = None,
    hosts: tuple[str, ...] = (),
    testing: bool = False,
) -> Flask:
    """Make the application on one database file, opened and migrated first; raises StoreError when it cannot be used.

    `now` gives the time (UTC); `hosts` are names beside this machine's own by which the server may be asked.
    """
    with closing(open_database(database, check_later=True)):
        pass
    app = Flask(__name__)
    app.config.update(
        DATABASE=database,
        DAMAGE="",
        NOW=now or (lambda: datetime.now(UTC)),
        SECRET_KEY=_secret(database),
        TESTING=testing,
        SESSION_COOKIE_NAME="deft_bench",
        SESSION_COOKIE_SAMESITE="Strict",
        SESSION_COOKIE_HTTPONLY=True,
        WTF_CSRF_TIME_LIMIT=None,
        CALL_AT_ONCE=testing,
        SCHEDULE_SECONDS=0.6 if testing else None,
        MAX_CONTENT_LENGTH=48 * 1024 * 1024,
        MAX_FORM_MEMORY_SIZE=2 * 1024 * 1024,
        SEND_FILE_MAX_AGE_DEFAULT=3600,
        TRUSTED_HOSTS=["127.0.0.1", "localhost", "[::1]", *hosts],
    )
    app.jinja_env.add_extension(Flush)
    app.jinja_env.trim_blocks = app.jinja_env.lstrip_blocks = True
    app.jinja_env.globals["version"] = __version__
    csrf.init_app(app)
    app.extensions["planner"] = Planner()
    app.extensions["kept"] = Kept()
    app.extensions["devices"] = Hub()
    app.extensions["following"] = Following()
    app.extensions["tries"] = Tries()
    errors.register(app)
    support.register(app)

    from deft_bench.web import (
        access,
        board,
        devices,
        dress,
        estimate,
        help,
        instruments,
        keeping,
        level,
        neck,
        notes,
        practice,
        record,
        refret,
        schedule,
        settings,
        setup,
        sheet,
        stock,
        surveys,
        today,
        undo,
    )

    for screen in (
        today,
        instruments,
        board,
        surveys,
        level,
        dress,
        neck,
        sheet,
        schedule,
        stock,
        estimate,
        help,
        refret,
        setup,
        record,
        notes,
        settings,
        keeping,
        devices,
        access,
        practice,
        undo,
    ):
        app.register_blueprint(screen.screen)
    # before the token of a form is looked for in what is sent
    app.before_request_funcs.setdefault(None, []).insert(0, keeping.allow_large)

    @app.after_request
    def guard(response: Response) -> Response:
        response.headers["Content-Security-Policy"] = CONTENT_SECURITY_POLICY
        response.headers["X-Content-Type-Options"] = "nosniff"
        response.headers["Cross-Origin-Resource-Policy"] = "same-origin"
        response.headers["Referrer-Policy"] = "same-origin"
        if response.mimetype in ("text/html", "application/json"):
            response.headers["Cache-Control"] = "no-store"
        return response

    @app.teardown_appcontext
    def close(_: BaseException | None) -> None:
        db = g.pop("db", None)
        if db is not None:
            db.close()

    return app


def _secret(database: Path) -> bytes:
    """The key that signs sessions, kept beside the database so that an open page outlives a restart. One that is cut
    short is made again: it is put there whole or not at all.
    """
    path = database.with_name(f"{database.name}.key")
    with suppress(FileNotFoundError):
        key = path.read_bytes()
        if len(key) == KEY_BYTES:
            return key
    key = secrets.token_bytes(KEY_BYTES)
    part = path.with_name(f".{path.name}.{secrets.token_hex(4)}.part")
    try:
        with os.fdopen(os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
            file.write(key)
            file.flush()
            os.fsync(file.fileno())
        os.replace(part, path)
    finally:
        part.unlink(missing_ok=True)
    return path.read_bytes()
