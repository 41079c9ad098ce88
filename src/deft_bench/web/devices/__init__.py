"""Devices: gauges that enter their readings by themselves, set up, tried and measured."""

from deft_bench.web.devices.views import screen

__all__ = ["screen"]
