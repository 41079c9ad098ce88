"""Flask extensions, made once and tied to the application by its factory."""

from flask_wtf.csrf import CSRFProtect

csrf = CSRFProtect()
