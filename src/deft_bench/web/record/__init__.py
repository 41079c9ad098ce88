"""The record: before and after on one page, and the whole record out and in."""

from deft_bench.web.record.views import screen

__all__ = ["screen"]
