"""The blueprint of the Level screen."""

from flask import Blueprint

screen = Blueprint(
    "level", __name__, template_folder="templates", static_folder="static", static_url_path="/level/static"
)
