"""Practice: necks whose truth is known and hidden, tools that answer from it, and what an attempt was worth."""
