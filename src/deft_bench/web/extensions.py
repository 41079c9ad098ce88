"""Extensions of Flask and of the templates, made once and tied to the application by its factory."""

import re

from flask_wtf.csrf import CSRFProtect
from jinja2.ext import Extension

csrf = CSRFProtect()


class Flush(Extension):
    """Takes the indentation out of a template before it is read: it is its writer's, and no part of the page."""

    def preprocess(self, source: str, name: str | None, filename: str | None = None) -> str:
        return re.sub(r"\n[ \t]+", "\n ", source)
