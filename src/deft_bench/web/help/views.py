"""Help: an overview, and each method on a page of its own."""

from flask import Blueprint, render_template
from markupsafe import Markup

from deft_bench.bench.sheet_state import catalogue
from deft_bench.web.help.methods import method_html, methods
from deft_bench.web.help.words import WORDS
from deft_bench.web.support import db, or_404

screen = Blueprint("help", __name__, template_folder="templates")


@screen.get("/help")
def show() -> str:
    """Methods, words and cautions, each where it can be found."""
    book, _ = catalogue(db())
    cautioned: dict[str, list[str]] = {}
    for operation in book.operations.values():
        for code in operation.cautions:
            cautioned.setdefault(code, []).append(operation.title)
    cautions = [(words, cautioned[code]) for code, words in book.cautions.items() if code in cautioned]
    return render_template("help/show.html", section="help", methods=methods(), words=WORDS, cautions=cautions)


@screen.get("/help/<name>")
def method(name: str) -> str:
    """How one thing is worked out, with its sources."""
    with or_404():
        text = method_html(name)
    return render_template("help/method.html", section="help", title=methods()[name], text=Markup(text))
