"""Mark from one datum: the rule laid and clamped, the knife along it, steps of the dividers, and the debrief."""

from typing import Any

from deft_bench.bench.practice.datum import DATUM, AtTheRule
from deft_bench.core.practice.datum import FRETS, LINE_MM, PLACES, SECONDS, TIME_SHARE, TRUE_MM, Done, Marking, do
from deft_bench.web.drawing.ruled_blank import ruled_blank
from deft_bench.web.practice.hand_page import Act, HandPage
from deft_bench.web.support import Form, display

TOLD = {
    "lay_end": "Laid the rule with its end at the nut",
    "lay_line": f"Laid the rule with its {LINE_MM:.0f} mm line at the nut",
    "clamp": "Clamped the rule down",
}


def done_words(one: Done) -> str:
    """What was done and what it said."""
    if one.what in TOLD:
        return TOLD[one.what]
    if one.what == "check":
        off = display().fine_mm(abs(one.seen_mm))
        return (
            f"Looked at the nut: the rule {f'has moved by {off}' if round(one.seen_mm, 3) else 'lies as it was laid'}"
        )
    if one.what == "step":
        return f"Stepped fret {one.fret} off with the dividers"
    return f"Marked fret {one.fret} along the rule"


def _reads(form: Form, _: AtTheRule) -> Act | None:
    did, place = form.one_of("did", SECONDS), form.count("fret", 1, PLACES)
    if did is None or place is None:
        return None
    return lambda on: do(on, did, on.reading_at(place))


def _stage(found: AtTheRule, _: Form) -> dict[str, Any]:
    on = found.piece
    wanted = (0.0, *on.wanted_mm)
    return {
        "drawn": ruled_blank(on),
        "frets": FRETS,
        "next": None if on.ready else (wanted[on.fret], wanted[on.fret] - wanted[on.fret - 1]),
        "line_mm": LINE_MM,
        "takes": SECONDS,
        # the knife is picked up beside where the mark belongs, elsewhere each time
        "values": {"fret": str(6 + 13 * on.fret % 20)},
        "true_mm": TRUE_MM,
    }


def _truth(found: AtTheRule, _: Marking) -> dict[str, Any]:
    on = found.piece
    return {
        "drawn": ruled_blank(on, truth=True),
        "offs": list(zip(on.wanted_mm, on.marks_mm, on.off_mm, strict=False)),
        "true_mm": TRUE_MM,
        "time_share": TIME_SHARE,
        "off_words": off_words,
    }


def off_words(mm: float) -> str:
    """How far a mark lies off, and toward what."""
    return f"{display().fine_mm(abs(mm))} {'too far' if mm > 0 else 'short'}" if round(mm, 2) else "true"


def slip(on: Marking) -> str:
    """What went wrong with a blank."""
    if not on.ready:
        return f"{len(on.marks_mm)} frets marked of {FRETS}"
    return f"its worst mark {display().fine_mm(max(map(abs, on.off_mm)))} off"


PAGE = HandPage(DATUM, _reads, _stage, _truth, done_words, slip)
