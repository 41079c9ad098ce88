"""The blueprint of the instruments' pages."""

from flask import Blueprint

screen = Blueprint("instruments", __name__, template_folder="templates")
