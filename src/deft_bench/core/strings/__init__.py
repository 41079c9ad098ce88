"""Strings over frets: tension, clearance, the lowest setup, nut, saddle, intonation and pitch."""
