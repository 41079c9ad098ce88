"""The drills by their codes: what each is called, what it asks and teaches, and what is said of its levels."""

from collections.abc import Mapping
from dataclasses import dataclass

from deft_bench.core.practice import (
    beam,
    bench_sums,
    clamping,
    culprit,
    datum,
    ends,
    intonate,
    level_or_lift,
    line,
    mistakes,
    order,
    radius,
    read_light,
    sawing,
    scratches,
    seating,
    set_up,
    straight,
    what_buzzes,
    whole_neck,
    whole_setup,
)

WHOLE, WHOLE_SETUP = "whole", "whole_setup"
"""Whole jobs are no attempts: each has an instrument and a job of its own (`bench/practice/whole.py`)."""
IN_ROUNDS = ("light", "lift", "buzzes", "tape", "slot", "saddle", "mistakes")
"""Those in rounds (`core/practice/rounds.py`)."""


@dataclass(frozen=True, slots=True)
class Drill:
    """A drill: its title, what it asks and teaches, and what is said of each of its levels."""

    title: str
    aim: str
    levels: Mapping[int, str]


DRILLS: Mapping[str, Drill] = {
    "culprit": Drill(
        "Find the culprit",
        "A straight neck, and a fret or a few that stand proud or low. Find them with a rocker and a straightedge,"
        " as at the bench; then the truth is shown. About three minutes.",
        {level: words for level, (words, _) in culprit.LEVELS.items()},
    ),
    "straight": Drill(
        "Straight in three turns",
        "A bowed neck and its rod. Read it with an edge and blades, turn, let it settle, read again, and leave it"
        " straight or say that its rod gives no more. About four minutes.",
        straight.LEVELS,
    ),
    "beam": Drill(
        "Level with the beam",
        "Frets that stand proud, and some that are only out of their slots. Stroke where the metal is, watch the ink,"
        " press before you grind, and stop when it is level. About four minutes.",
        beam.LEVELS,
    ),
    "radius": Drill(
        "Radius by scribble",
        "A fretboard blank of another radius, scribbled over with pencil. Sand with the radius block, see where the"
        " pencil goes and where it stays, and stop when it is true. About five minutes.",
        radius.LEVELS,
    ),
    "seating": Drill(
        "Seat the frets",
        "Six frets and their slots. Tap them home or press them, look for daylight, and find out why one springs back"
        " and another rings. About four minutes.",
        seating.LEVELS,
    ),
    "ends": Drill(
        "File the ends",
        "Fret ends that stand out over both edges of a board. File them flush, bevel them, and leave the edge itself"
        " alone. About five minutes.",
        ends.LEVELS,
    ),
    "line": Drill(
        "Thin the line",
        "A levelled fret with a broad line of ink on its top. File its shoulders, steep first, then flatter, until a"
        " thin even line is left in the middle of a round crown. About four minutes.",
        line.LEVELS,
    ),
    "scratches": Drill(
        "Scratches out",
        "A fret with the marks of levelling on it, a kit of abrasives and a lamp. From the coarsest mark to the finish"
        " asked, without a scratch left that hides, or one on the board. About three minutes.",
        scratches.LEVELS,
    ),
    "clamping": Drill(
        "Glue and clamp",
        "A fretboard on wet glue, and clamps that push it sideways. Tighten in rounds, look, push back, and have every"
        " clamp hard before the glue’s time is over. About four minutes.",
        clamping.LEVELS,
    ),
    "datum": Drill(
        "Mark from one datum",
        "A blank, a rule and a knife, and dividers that tempt. Mark twelve frets so that no error is carried from one"
        " to the next. About four minutes.",
        datum.LEVELS,
    ),
    "sawing": Drill(
        "Saw to a line",
        "A line on a board, a blade that wanders, and a kerf that leads it on. Keep it in the waste, close to the line"
        " and never over it. About two minutes.",
        sawing.LEVELS,
    ),
    "set_up": Drill(
        "Set it up",
        "A strung neck whose rod, slots and saddles are wrong. Read, turn, file to the stop, screw, and play every"
        " string, until it is as low as it plays clean. About eight minutes.",
        set_up.LEVELS,
    ),
    "intonate": Drill(
        "Intonate by ear",
        "A saddle that lies too far back or forward. Listen to the harmonic and the fretted twelfth, move the saddle,"
        " listen again. About two minutes, with the sound on.",
        intonate.LEVELS,
    ),
    "order": Drill(
        "Order of the day",
        "Steps of a job, shuffled. Put them in an order that spoils nothing; what each breach spoils is said. About two"
        " minutes.",
        order.LEVELS,
    ),
    "light": Drill(
        "Read the light",
        "A straightedge on the fret tops, and the light under it. Six necks: say what each is. About two minutes.",
        read_light.LEVELS,
    ),
    "lift": Drill(
        "Level or lift",
        "Three lanes under an edge: level, lift, look under a fret first, leave them, or say that no metal is left."
        " About two minutes.",
        level_or_lift.LEVELS,
    ),
    "buzzes": Drill(
        "What buzzes and why",
        "A setup that was clean, and the notes that buzz on it now: relief, a slot, a saddle, a fret, or the last"
        " frets. About two minutes.",
        what_buzzes.LEVELS,
    ),
    "tape": Drill(
        "How many layers of tape",
        "A fall-away by tape under the beam: how many layers, for what the last fret shall lose. About three minutes.",
        bench_sums.TAPE_LEVELS,
    ),
    "slot": Drill(
        "How far the slot",
        "A gap over the first fret, and what is wanted there: how far the slot’s bottom may come down, and whether it"
        " may at all. About three minutes.",
        bench_sums.SLOT_LEVELS,
    ),
    "saddle": Drill(
        "One-piece saddle",
        "The action at the twelfth on both sides, and what is wanted: how much comes off beneath. About three minutes.",
        bench_sums.SADDLE_LEVELS,
    ),
    "mistakes": Drill(
        "Mistakes",
        "A sign that something goes wrong: name the mistake, and choose what saves the work. About three minutes.",
        mistakes.LEVELS,
    ),
    WHOLE: Drill(
        "A whole level and dress",
        "A neck with its rod and frets, and a level and dress to do on it from the first reading to the last stroke: by"
        " hand on its stage, or on the usual screens. About ten minutes.",
        whole_neck.LEVELS,
    ),
    WHOLE_SETUP: Drill(
        "A whole setup",
        "A strung neck as it comes in, and a setup to do on it from the air in its case to the last note: by hand on"
        " its stage, or on the usual screens. About fifteen minutes.",
        whole_setup.LEVELS,
    ),
}
