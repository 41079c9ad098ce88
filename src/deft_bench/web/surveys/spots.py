"""What stands at each place of a survey on the neck: its words, its short label, and a lane as a script shows it."""

from collections.abc import Callable, Sequence
from typing import Any

from deft_bench.bench.likely import Likely
from deft_bench.bench.rocker_results import RockerResults
from deft_bench.core.frets.heights import LANES
from deft_bench.core.survey_kinds import SurveyKind
from deft_bench.core.units import Display
from deft_bench.web.drawing.neck_drawing import Spot, off_number, off_words, shape_of

Words = Callable[[float | None, Display], str]
Label = Callable[[float, str, Display], str]


def said(stored: int, kind: SurveyKind, shown: Display) -> str:
    """A stored reading with its unit."""
    return f"{kind.words(stored, shown)} {kind.unit_words(shown)}".strip()


def label_of(kind: SurveyKind) -> Label | None:
    """What stands beside a place, where it is not the usual short number."""
    if not (kind.per_string or kind.to_know):
        return None

    def label(mm: float, shape: str, shown: Display) -> str:
        return "" if kind.unit == "answer" else kind.words(round(mm * 1000), shown)

    return label


def words_of(kind: SurveyKind, rock_mm: float) -> Words:
    """How a place's reading is said."""
    if kind.drawn == "explained":
        return _explained
    if kind.per_string or kind.to_know:
        return lambda mm, shown: "not read" if mm is None else said(round(mm * 1000), kind, shown)
    if kind.off is None:
        return lambda mm, shown: off_words(mm, shown, rock_mm)
    fault, home = kind.off
    least = kind.least_shown_mm(rock_mm)

    def words(mm: float | None, shown: Display) -> str:
        return "not read" if mm is None else home if abs(mm) < least else f"{shown.fine_mm(abs(mm))} {fault}"

    return words


def _explained(mm: float | None, shown: Display) -> str:
    if mm is None:
        return "not tested"
    if not mm:
        return "nothing against it"
    return f"{'proud' if mm > 0 else 'low'} by {shown.fine_mm(abs(mm))} or more explains it"


def lane_state(
    kind: SurveyKind,
    lane: str,
    off_mm: list[float | None],
    rocked: RockerResults | None,
    shown: Display,
    rock_mm: float,
) -> list[dict[str, Any]]:
    """What the neck shows of one lane now that a reading has come in: the fair line moves with every reading."""
    state = []
    own, words = label_of(kind), words_of(kind, rock_mm)
    for fret, mm in enumerate(off_mm, start=0 if kind.per_string else 1):
        shape = shape_of(mm, kind.least_shown_mm(rock_mm), one_sided=kind.one_sided)
        label = ""
        if mm is not None:
            label = own(mm, shape, shown) if own else off_number(mm, shown) if shape in ("proud", "low") else ""
        if rocked is not None and label and not rocked.sure_of(lane, fret):
            label += "?"
        state.append({"fret": fret, "shape": shape, "label": label, "words": words(mm, shown)})
    return state


def likely_state(found: Likely, spots: Sequence[Spot]) -> dict[str, Any]:
    """The likely neck as a script shows it: the call, the reading that would help, every place."""
    call, helps = found.judged.call, found.judged.next
    middle = None if helps is None else helps.frets[1] if helps.kind == "rocker" else helps.frets[0]
    return {
        "say": call.say,
        "sure": call.sure,
        "because": call.because[0] if call.because else "",
        "settle": f"Would help most: {call.settle}." if call.settle else "",
        "next": None if helps is None else {"lane": LANES[helps.lane], "fret": middle, "kind": helps.kind},
        "slips": [{"lane": lane, "fret": fret} for _, (lane, fret), _ in found.slip_places()],
        "spots": [
            {
                "lane": spot.lane,
                "fret": spot.fret,
                "shape": spot.shape,
                "label": spot.label,
                "words": spot.words,
                "soft": round(spot.soft, 1),
            }
            for spot in spots
        ],
    }


def rocker_state(rocked: RockerResults) -> dict[str, Any]:
    """The rocker's call and next test as a script shows them."""
    at = rocked.next_test
    return {
        "say": rocked.call.say if rocked.call else "",
        "sure": rocked.call.sure if rocked.call else "",
        "next": {"lane": at[0], "fret": at[1]} if at else None,
        "disagree": "; ".join(f"fret {fret} {lane}: {words}" for lane, fret, words in rocked.disagree),
    }
