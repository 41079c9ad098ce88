"""The fretboard: where frets go and how the board is laid out."""
