"""The blueprint of the survey screen."""

from flask import Blueprint

screen = Blueprint(
    "surveys", __name__, template_folder="templates", static_folder="static", static_url_path="/surveys/static"
)
