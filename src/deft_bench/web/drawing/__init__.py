"""Drawings as plain shapes in SVG units; the templates only place them."""
