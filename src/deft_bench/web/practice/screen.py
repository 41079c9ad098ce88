"""The blueprint of Practice."""

from flask import Blueprint

screen = Blueprint(
    "practice", __name__, template_folder="templates", static_folder="static", static_url_path="/practice/static"
)
