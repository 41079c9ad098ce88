"""Stock: what is there, what the open jobs will use of it, orders, count sheets, and the tools with their record."""

from deft_bench.web.stock import item, orders, shelf, toolbox
from deft_bench.web.stock.screen import screen

__all__ = ["item", "orders", "screen", "shelf", "toolbox"]
