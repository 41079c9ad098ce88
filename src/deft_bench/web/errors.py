"""Failures in words and in our own look; the same words as JSON for a script that asks for it."""

from flask import Flask, Response, g, jsonify, make_response, render_template, request
from flask_wtf.csrf import CSRFError
from werkzeug.exceptions import HTTPException, RequestEntityTooLarge, SecurityError

from deft_bench.store.database import DriverError, StoreError, StoreFullError, in_words
from deft_bench.web.support import NotFoundError

SAY = {
    400: ("That request could not be read.", "Go back and try again; what was saved is still there."),
    404: ("There is nothing here.", "The page may have moved, or the address was mistyped."),
    405: ("That is not done here.", "Go back and use the buttons on the page."),
    413: (
        "That is too large to take.",
        "Photographs up to 20 MB, records up to 40 MB, sheets of readings up to 500 kB; an archive up to 2 GB, where"
        " there is six times its room on the disk.",
    ),
    500: (
        "Something went wrong in the program.",
        "What was saved before is still there. The details are in the server's log.",
    ),
}


def wants_json() -> bool:
    """Whether the asker is a script that reads JSON rather than a person."""
    return request.accept_mimetypes.best_match(["text/html", "application/json"]) == "application/json"


def page(code: int, title: str, advice: str) -> Response:
    """An error page, or the same words as JSON."""
    if wants_json():
        return make_response(jsonify(error=title, advice=advice), code)
    try:
        body = render_template("error.html", code=code, title=title, advice=advice)
    except (StoreError, DriverError):
        # the top bar itself needs the database: say it without the bar
        g.bare = True
        body = render_template("error.html", code=code, title=title, advice=advice)
    return make_response(body, code)


def register(app: Flask) -> None:
    """Tie every kind of failure to its page."""

    def http(error: HTTPException) -> Response:
        if isinstance(error, SecurityError):
            # no address can be built for a foreign host name, so no page either
            return Response(
                "This server answers only to its own name; start it with --name to add one.\n",
                400,
                mimetype="text/plain",
            )
        code = error.code or 500
        title, advice = SAY.get(code, SAY[400] if code < 500 else SAY[500])
        return page(code, title, advice)

    def too_large(error: RequestEntityTooLarge) -> Response:
        return page(413, *SAY[413])

    def csrf(error: CSRFError) -> Response:
        return page(
            400,
            "This page has gone stale.",
            "Reload it and do that again; nothing was changed. Cookies must be allowed.",
        )

    def store(error: StoreError) -> Response:
        app.logger.error("%s", error)
        return page(507 if isinstance(error, StoreFullError) else 503, "The record could not be reached.", str(error))

    def database(error: DriverError) -> Response:
        return store(in_words(error, app.config["DATABASE"]))

    def missing(error: KeyError | OverflowError) -> Response:
        app.logger.info("not found: %s", error)
        return page(404, *SAY[404])

    app.register_error_handler(HTTPException, http)
    app.register_error_handler(RequestEntityTooLarge, too_large)
    app.register_error_handler(CSRFError, csrf)
    app.register_error_handler(StoreError, store)
    app.register_error_handler(DriverError, database)
    app.register_error_handler(NotFoundError, missing)
    # a number in an address that is too large for any row
    app.register_error_handler(OverflowError, missing)
