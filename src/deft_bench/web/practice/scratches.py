"""Scratches out: the abrasives, along or across, looks under the lamp, and the debrief."""

from typing import Any

from deft_bench.bench.practice.scratches import SCRATCHES, UnderTheLamp
from deft_bench.core.practice.scratches import (
    FINISH_SHARE,
    KIT,
    METAL_SHARE,
    SECONDS,
    STROKES,
    WAYS,
    Done,
    Scratched,
    as_of,
    do,
)
from deft_bench.web.drawing.lit_fret import lit_fret
from deft_bench.web.practice.hand_page import Act, HandPage
from deft_bench.web.support import Form

GUARDED = {"cover": "Covered the pickups", "oil": "Took the tape off and oiled the board"}


def done_words(one: Done) -> str:
    """What was done and what it showed."""
    if one.what == "look":
        return f"Under the lamp: {', '.join(seen_words(um, way) for um, way in zip(one.seen_um, WAYS, strict=True))}"
    if one.what == "tape":
        return "Taped the board" if one.holds else "Taped the board: on oil the tape does not hold"
    if one.what in GUARDED:
        return GUARDED[one.what]
    return f"{STROKES[one.what]} strokes {one.way} with {KIT[one.abrasive].words}"


def seen_words(um: float, way: str) -> str:
    """Marks of one way, by the abrasive that makes such."""
    if um < 0.05:
        return f"nothing {way} it"
    near, deeper = as_of(um)
    return f"marks {way} it {'deeper than' if deeper else 'as of'} {near.words}"


def _reads(form: Form, _: UnderTheLamp) -> Act | None:
    did, way = form.one_of("did", SECONDS), form.one_of("lane", WAYS, default=WAYS[0])
    abrasive = form.count("fret", 1, len(KIT))
    if did is None or way is None or abrasive is None:
        return None
    return lambda on: do(on, did, abrasive - 1, way)


def _stage(found: UnderTheLamp, form: Form) -> dict[str, Any]:
    look = found.last("look")
    rubbed = found.last(*STROKES)
    drawn = lit_fret(look.seen_um if look else (), found.piece.held)
    return {
        "drawn": drawn,
        "looked": look is not None,
        "fresh": look is not None and found.done[-1] is look,
        "kit": KIT,
        "ways": WAYS,
        "strokes": STROKES,
        "lanes": {WAYS[0]: drawn.rack_y + 16, WAYS[1]: drawn.rack_y + 16},
        "values": {
            "fret": form.text("fret", str((rubbed.abrasive if rubbed else 0) + 1)),
            "lane": form.text("lane", rubbed.way if rubbed else WAYS[0]),
        },
    }


def _truth(found: UnderTheLamp, _: Scratched) -> dict[str, Any]:
    on = found.piece
    return {
        "drawn": lit_fret(on.marks_um, on.held),
        "ways": WAYS,
        "shares": (FINISH_SHARE, METAL_SHARE),
        "seen_words": seen_words,
    }


def slip(on: Scratched) -> str:
    """What went wrong with a fret."""
    spoiled = [
        words for words, is_so in (("a scratched board", on.scratched), ("filings on the pickups", on.filings)) if is_so
    ]
    marks = f"marks of {on.deepest_um:.1f} µm left, where the finish has {on.asked_um:.1f} µm"
    return ", ".join([*spoiled, marks])


PAGE = HandPage(SCRATCHES, _reads, _stage, _truth, done_words, slip)
