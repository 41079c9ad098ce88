"""Board: laying out, radiusing, slotting and exporting a fretboard, of an instrument or of a board in the making."""

from deft_bench.web.board.views import screen

__all__ = ["screen"]
