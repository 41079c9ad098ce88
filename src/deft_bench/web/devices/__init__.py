"""Devices: gauges that enter their readings by themselves, set up, tried and measured."""

from deft_bench.web.devices import posted
from deft_bench.web.devices.views import screen

__all__ = ["posted", "screen"]
