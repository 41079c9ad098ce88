"""A refret's numbers as a form."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from deft_bench.core.calls import listed
from deft_bench.core.described import described, entries
from deft_bench.core.frets.heights import LANES
from deft_bench.core.frets.notch import Obstruction
from deft_bench.core.frets.wire import read_pieces
from deft_bench.core.instrument import Spec
from deft_bench.core.refret import RefretPlan, refret_problems
from deft_bench.web.numbered import boxes_of_rows, rows_of
from deft_bench.web.plan_form import PlanForm, read_described
from deft_bench.web.support import Form, display

FROM_EDGE, MOST_DEEP_UM = "edge", 5_000
SLOT_BOXES = ("fret", "where", "edge", "depth", "what")
PLACES_IN_SLOT = {"": "not said", **{lane: lane for lane in LANES}, FROM_EDGE: "from the bass edge"}
"""Where something lies in a slot."""
BOXES = tuple(name for name in described(RefretPlan) if name not in ("cut", "ends_done", "nibs_said"))
"""Every box of the form; what is ticked off has its own."""


def values_of(plan: RefretPlan) -> dict[str, str]:
    """Every box as it starts."""
    shown = display()
    values = entries(plan, shown, BOXES)
    values["frets"] = listed(list(plan.frets)).replace(" and ", ", ").replace(" to ", "-")
    pieces = Counter(plan.pieces_um).items()
    values |= boxes_of_rows("piece", [{"many": str(many), "length": shown.entry(um)} for um, many in pieces])
    values |= boxes_of_rows("in_slot", [_boxes_of(one) for one in plan.obstructions])
    if plan.nibs_said:
        values["nibs_said"] = "1"
    return values


def read(sent: Mapping[str, str], plan: RefretPlan, spec: Spec) -> PlanForm[RefretPlan]:
    """Read the boxes over the plan as saved; what was ticked off stays."""
    values = {name: text for name, text in values_of(plan).items() if name != "nibs_said"}
    for rows in ("piece", "in_slot"):
        if any(name.startswith(f"{rows}_") for name in sent):
            values = {name: text for name, text in values.items() if not name.startswith(f"{rows}_")}
    values |= {name: text for name, text in sent.items() if name != "csrf_token"}
    form = Form(values)
    fields: dict[str, Any] = read_described(form, RefretPlan, BOXES)
    fields |= {
        "frets": form.frets("frets", spec.frets),
        "pieces_um": _pieces(form),
        "obstructions": _in_slots(form, spec.frets),
        "nibs_said": "nibs_said" in sent,
    }
    if form.errors:
        return PlanForm(values, form.errors, None)
    made = replace(plan, **fields)
    form.errors |= refret_problems(made, spec, form.shown)
    return PlanForm(values, form.errors, None if form.errors else made)


def _pieces(form: Form) -> tuple[int, ...]:
    found: list[int] = []
    for row in rows_of(form.sent, "piece"):
        many, length = form.sent.get(f"piece_{row}_many", "").strip(), form.sent.get(f"piece_{row}_length", "").strip()
        try:
            found += read_pieces(f"{many or 1} × {length}", form.shown.system)
        except ValueError as error:
            form.errors["pieces_um"] = str(error)
    return tuple(found)


def _boxes_of(one: Obstruction) -> dict[str, str]:
    shown = display()
    return {
        "fret": str(one.fret),
        "where": one.lane or (FROM_EDGE if one.place_um is not None else ""),
        "edge": "" if one.place_um is None else shown.entry(one.place_um),
        "depth": "" if one.depth_um is None else shown.entry(one.depth_um),
        "what": one.what,
    }


def _in_slots(form: Form, frets: int) -> tuple[Obstruction, ...]:
    found = []
    for row in rows_of(form.sent, "in_slot"):
        at = Form({box: form.sent.get(f"in_slot_{row}_{box}", "") for box in SLOT_BOXES}, form.shown)
        fret, where, what = at.count("fret", 1, frets), at.text("where"), at.text("what")[:200]
        edge = at.length("edge", optional=where != FROM_EDGE)
        depth = at.length("depth", optional=True)
        if not what and not at.errors:
            at.errors["what"] = "Say what it is."
        if depth is not None and not 0 <= depth <= MOST_DEEP_UM:
            at.errors["depth"] = f"The depth to it is from 0 to {form.shown.fine(MOST_DEEP_UM)}."
        if at.errors or fret is None:
            form.errors["obstructions"] = f"Row {row + 1}: {' '.join(at.errors.values())}"
            continue
        lane, along = (where if where in LANES else ""), (edge if where == FROM_EDGE else None)
        found.append(Obstruction(fret, what, lane, along, depth))
    return tuple(found)
