"""Board: laying out, radiusing, slotting and exporting a fretboard, of an instrument or of a board in the making."""

from deft_bench.web.board import acts, projects, views
from deft_bench.web.board.screen import screen

__all__ = ["acts", "projects", "screen", "views"]
