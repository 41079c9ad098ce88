"""Setup: what is read, tried and solved; strings, nut, saddle, intonation and buzz, each worked out for its page."""
