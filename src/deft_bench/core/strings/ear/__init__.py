"""The machine's ear: what a recorded note has of a buzz, and the simulated notes that it was taught with."""
