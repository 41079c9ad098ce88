"""Fret tops: heights, levelling, the metal that is left."""
