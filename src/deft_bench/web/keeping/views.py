"""Backups and archive: when backups make themselves, one made now, the whole bench downloaded and brought in."""

import os
from pathlib import Path
from shutil import disk_usage
from tempfile import TemporaryDirectory, gettempdir
from typing import Any

from flask import Blueprint, current_app, flash, redirect, render_template, request, send_file, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.backups import back_up, backups_of
from deft_bench.core.backups import MOST_DAYS, MOST_KEPT
from deft_bench.core.shop_settings import to_text
from deft_bench.formats.archive import ArchiveError, AskError, HereAlready, bring_in, write_archive
from deft_bench.formats.strict_json import RequestError
from deft_bench.store import shop
from deft_bench.store.database import StoreError
from deft_bench.web.following import following_of
from deft_bench.web.keeping.keeper import BACKUPS, TROUBLE
from deft_bench.web.support import Form, db, now, settings, stamp

screen = Blueprint("keeping", __name__, template_folder="templates", url_prefix="/settings/keeping")

MOST_SENT = 2 * 1024**3
ROOM_FOR = 6
"""So many times its size an archive needs while it is brought in: as it was sent, and unpacked."""
BRINGING = "bringing"
"""Where the program keeps how far an archive is, in words."""
BOXES = ("backup_days", "backups_kept", "backup_folder")
SHOWN = 8
ASKED = "Choose what becomes of them, and send it again."
HERE: dict[str, HereAlready] = {"keep": "keep", "copy": "copy"}


@screen.get("")
@screen.get("/archive")  # where a refused archive leaves the page
def show() -> str:
    """What is kept of the bench, and the whole of it out and in."""
    return _page(to_text(settings()), {})


def _page(values: Any, errors: dict[str, str], problems: list[str] | None = None, ask: bool = False) -> str:
    return render_template(
        "keeping/show.html",
        section="settings",
        kept=backups_of(db(), settings(), current_app.config["DATABASE"], now()),
        shown=SHOWN,
        trouble=current_app.config.get(TROUBLE, ""),
        values=values,
        errors=errors,
        problems=problems or [],
        ask=ask,
    )


@screen.post("")
def change() -> Response | tuple[str, int]:
    """Set how often backups are made, how many are kept, and where."""
    form = Form()
    form.count("backup_days", 0, MOST_DAYS)
    form.count("backups_kept", 1, MOST_KEPT)
    named = form.text("backup_folder")
    if named and not form.errors.get("backup_folder"):
        form.errors |= {"backup_folder": why} if (why := _why_not(Path(named))) else {}
    if form.errors:
        return _page(form.sent, form.errors), 422
    shop.change(db(), {name: form.text(name) for name in BOXES})
    following_of(current_app).tell(BACKUPS)
    flash("Saved.")
    return redirect(url_for(".show"))


def _why_not(folder: Path) -> str:
    """Why backups cannot go into a folder; empty where they can."""
    try:
        if not folder.is_absolute():
            return "Give the whole path, from the root: /media/disk/backups."
        if not folder.is_dir():
            return "There is no such folder on the machine that the bench runs on: make it first."
        return "" if os.access(folder, os.W_OK) else "It may not be written in by the user that the bench runs as."
    except (OSError, ValueError) as error:
        return f"It cannot be looked at: {getattr(error, 'strerror', None) or error}."


@screen.post("/backup")
def make() -> Response:
    """Make a backup now."""
    try:
        made = back_up(db(), settings(), current_app.config["DATABASE"], now())
        current_app.config[TROUBLE] = ""
        flash(f"Backed up and verified: {made.path.name}.")
    except (StoreError, OSError) as error:
        flash(f"No backup was made: {error}")
    return redirect(url_for(".show"))


@screen.get("/bench.zip")
def archive() -> Response:
    """The whole bench as one archive."""
    with TemporaryDirectory(prefix="deft-bench-") as folder:
        made = Path(folder) / "bench.zip"
        write_archive(db(), made, stamp())
        # the open file is read on after its name is gone
        file = made.open("rb")
    name = f"deft-bench-{now().astimezone():%Y-%m-%d}.zip"
    return send_file(file, mimetype="application/zip", as_attachment=True, download_name=name)


@screen.post("/archive")
def archive_in() -> Response | tuple[str, int]:
    """Bring an archive in, whole or not at all."""
    upload = request.files.get("file")
    ask = False
    try:
        if upload is None or not upload.filename:
            raise ArchiveError("Choose the ZIP file of an archive.")
        brought = bring_in(db(), upload.stream, HERE.get(Form().text("here_already")), _told)
    except AskError as error:
        problems, ask = [f"Here already, and other than in the archive: {', '.join(error.names)}. {ASKED}"], True
    except RequestError as error:
        problems = error.lines
    except (ArchiveError, StoreError) as error:
        problems = [str(error)]
    else:
        for line in brought.lines():
            flash(line)
        return redirect(url_for("today.show" if brought.whole else "instruments.listing"))
    finally:
        current_app.config.pop(BRINGING, None)
    return _page(to_text(settings()), {}, problems, ask), 422


def _told(words: str, in_hundred: int) -> None:
    current_app.config[BRINGING] = f"{words}: {in_hundred} %."


@screen.get("/archive/progress")
def progress() -> str:
    """How far the archive that is being brought in has come; nothing where none is."""
    return str(current_app.config.get(BRINGING, ""))


def allow_large() -> None:
    """An archive may be larger than whatever else is sent, as far as there is room for it. Asked before anything of a
    request is read, and after it is let in.
    """
    if request.endpoint == f"{screen.name}.{archive_in.__name__}":
        room = disk_usage(gettempdir()).free // ROOM_FOR
        request.max_content_length = max(min(MOST_SENT, room), current_app.config["MAX_CONTENT_LENGTH"])
