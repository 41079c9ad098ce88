"""The neck under the board: straightness and, later, the rod."""
