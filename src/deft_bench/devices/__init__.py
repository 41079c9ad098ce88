"""Gauges and other devices that give readings by themselves: how they write, what they say now, and stand-ins."""
