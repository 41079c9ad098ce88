"""The blank that a board is cut from: what it must measure, and how a bound board is cut for its binding."""

from dataclasses import dataclass

from deft_bench.core.board.plan import BoardPlan
from deft_bench.core.board.plan_view import PlanView, over_mm
from deft_bench.core.instrument import Spec


@dataclass(frozen=True, slots=True)
class BlankNeed:
    """The least blank, mm, and the widths of the board as it is cut on the bench, at nut, fret 12 and end; `ledge_mm`
    is how wide and how deep the ledge is that a binding is glued to (None: not bound).
    """

    length_mm: float
    width_mm: float
    widths_mm: tuple[tuple[str, float], ...]
    ledge_mm: tuple[float, float] | None


def blank_need(spec: Spec, plan: BoardPlan, view: PlanView) -> BlankNeed:
    """What the board needs as it is cut: oversize, or to the inside of its binding and what stands over that."""
    least_x, _, most_x, _ = view.bounds
    over = over_mm(spec, plan)
    lines = view.lines
    octave = [("fret 12", lines[12])] if len(lines) > 12 else []
    places = [("the nut", lines[0]), *octave, ("the last fret", lines[-1])]
    widths = tuple((words, line.treble_edge[1] - line.bass_edge[1] + 2 * over) for words, line in places)
    outline = view.oversize or view.inner or view.outline
    across = [y for _, y in outline]
    ledge = (plan.binding_um / 1000, spec.board_thickness_um / 1000) if spec.bound else None
    return BlankNeed(most_x - least_x, max(across) - min(across), widths, ledge)
