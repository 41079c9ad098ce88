"""Devices: gauges that enter their readings by themselves, set up, tried and measured."""

from deft_bench.web.devices import posted, stand_ins
from deft_bench.web.devices.views import screen

__all__ = ["posted", "screen", "stand_ins"]
