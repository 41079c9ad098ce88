"""Backups and archive: what is kept of the bench beside the bench, and the whole of it out and in."""

from deft_bench.web.keeping.views import allow_large, screen

__all__ = ["allow_large", "screen"]
