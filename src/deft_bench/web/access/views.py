"""The door, the second device and the certificate: screens."""

import secrets
from datetime import timedelta
from urllib.parse import urlsplit

from flask import Blueprint, Response, flash, g, redirect, render_template, request, send_file, url_for
from markupsafe import Markup
from werkzeug.wrappers import Response as AnyResponse

from deft_bench.core.times import stamp as to_stamp
from deft_bench.store import access
from deft_bench.web.access.gate import COOKIE, let_in, network, tries
from deft_bench.web.following import following
from deft_bench.web.support import NotFoundError, db, now, or_404, stamp

screen = Blueprint("access", __name__, template_folder="templates")

LETTERS = "ACDEFGHJKMNPQRTUVWXY34679"
"""What looks like nothing else on a small screen."""
CODE_LETTERS, CODE_MINUTES, PASSPHRASE_HOURS = 6, 10, 24 * 30
HOURS = {2: "two hours", 12: "today", 24 * 7: "a week", 24 * 30: "a month"}
WAIT = "Too many wrong tries: wait five minutes."


@screen.route("/door", methods=["GET", "POST"])
def door() -> str | tuple[str, int] | AnyResponse:
    """Enter by the passphrase."""
    if network() is None:
        return redirect(url_for("today.show"))
    from deft_bench.web.access.passphrase import is_passphrase

    after, name = _inside(request.values.get("after", "")), request.form.get("name", "").strip()
    if request.method == "GET":
        return _door(after)
    address = request.remote_addr or ""
    if not tries().allowed(address):
        return _door(after, WAIT, name), 429
    if not is_passphrase(db(), request.form.get("passphrase", "")):
        tries().wrong(address)
        return _door(after, "That is not the passphrase.", name), 401
    return let_in(redirect(after), name, PASSPHRASE_HOURS)


@screen.route("/pair", methods=["GET", "POST"])
def pair() -> str | tuple[str, int] | AnyResponse:
    """Enter by a code that another device shows; it is used up by the button, not by looking."""
    if network() is None:
        return redirect(url_for("today.show"))
    code = "".join(letter for letter in request.values.get("code", "").upper() if letter.isalnum())[:20]
    name, address = request.form.get("name", "").strip(), request.remote_addr or ""
    if request.method == "GET":
        return _pair(code)
    if not tries().allowed(address):
        return _pair(code, WAIT, name), 429
    hours = access.use_code(db(), code, stamp())
    if hours is None:
        tries().wrong(address)
        if not tries().allowed(address):
            access.spoil_codes(db(), stamp())
        return _pair(code, "That code holds no longer, or never did: have a new one shown.", name), 401
    return let_in(redirect(url_for("today.show")), name, hours)


@screen.route("/second-device", methods=["GET", "POST"])
def second() -> str:
    """The devices that are let in; with a code and its picture for one more where it was asked for."""
    code, hours, found = "", request.form.get("hours", 12, type=int), network()
    if request.method == "POST" and found is not None:
        hours = hours if hours in HOURS else 12
        code = "".join(secrets.choice(LETTERS) for _ in range(CODE_LETTERS))
        access.make_code(db(), code, hours, stamp(), to_stamp(now() + timedelta(minutes=CODE_MINUTES)))
    link = f"{found.address}{url_for('.pair', code=code)}" if found and code else ""
    return render_template(
        "access/second.html",
        section="settings",
        network=found,
        entries=access.entries(db(), stamp()),
        own=g.get("entry"),
        code=code,
        link=link,
        picture=_picture(link) if link else "",
        hours=hours,
        choices=HOURS,
        minutes=CODE_MINUTES,
    )


@screen.post("/second-device/<int:entry_id>/end")
def end(entry_id: int) -> AnyResponse:
    """Send a device out."""
    with or_404():
        access.end(db(), entry_id, stamp())
    following().wake()
    own = g.get("entry")
    if own is not None and own.id == entry_id:
        answer = redirect(url_for(".door"))
        answer.delete_cookie(COOKIE)
        return answer
    flash("It is sent out: what it still held unsaved stays on it until it enters again.")
    return redirect(url_for(".second"))


@screen.get("/trust")
def trust() -> str:
    """How to trust the bench's certificate on each device."""
    from deft_bench.web.access.certificates import fingerprint

    found = network()
    return render_template(
        "access/trust.html",
        section="settings",
        network=found,
        fingerprint=fingerprint(found.folder) if found else "",
    )


@screen.get("/authority.crt")
def authority() -> Response:
    """The authority's certificate, to be trusted on a device."""
    found = network()
    if found is None:
        raise NotFoundError("authority")
    return send_file(
        found.folder / "authority.pem",
        mimetype="application/x-x509-ca-cert",
        as_attachment=True,
        download_name="deft-bench-authority.crt",
    )


def _picture(link: str) -> Markup:
    import segno  # heavy parts are taken in where they are used, so that the start stays quick

    return Markup(segno.make(link, error="m").svg_inline(border=3, dark="#000", light="#fff", omitsize=True))


def _inside(path: str) -> str:
    """A path of this bench, to go on to; Today where it is none."""
    parts = urlsplit(path)
    safe = path.startswith("/") and not path.startswith(("//", "/\\")) and not parts.scheme and not parts.netloc
    return path if safe else url_for("today.show")


def _door(after: str, wrong: str = "", name: str = "") -> str:
    return render_template("access/door.html", section="", after=after, wrong=wrong, name=name)


def _pair(code: str, wrong: str = "", name: str = "") -> str:
    return render_template("access/pair.html", section="", code=code, wrong=wrong, name=name)
