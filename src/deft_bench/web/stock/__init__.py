"""Stock: what is there, what the open jobs will use of it, orders, count sheets, and the tools with their record."""

from deft_bench.web.stock.views import screen

__all__ = ["screen"]
