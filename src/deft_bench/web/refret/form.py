"""A refret's numbers as a form."""

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from deft_bench.core.calls import listed
from deft_bench.core.described import described, entries
from deft_bench.core.frets.notch import Obstruction, read_obstruction
from deft_bench.core.frets.wire import read_pieces, write_pieces
from deft_bench.core.instrument import Spec
from deft_bench.core.refret import RefretPlan, refret_problems
from deft_bench.web.plan_form import PlanForm, read_described
from deft_bench.web.support import Form, display

BOXES = tuple(name for name in described(RefretPlan) if name not in ("cut", "ends_done", "nibs_said"))
"""Every box of the form; what is ticked off has its own."""


def values_of(plan: RefretPlan) -> dict[str, str]:
    """Every box as it starts."""
    shown = display()
    values = entries(plan, shown, BOXES)
    values["frets"] = listed(list(plan.frets)).replace(" and ", ", ").replace(" to ", "-")
    values["pieces_um"] = write_pieces(plan.pieces_um, shown.entry)
    values["obstructions"] = "\n".join(one.entry(shown) for one in plan.obstructions)
    if plan.nibs_said:
        values["nibs_said"] = "1"
    return values


def read(sent: Mapping[str, str], plan: RefretPlan, spec: Spec) -> PlanForm[RefretPlan]:
    """Read the boxes over the plan as saved; what was ticked off stays."""
    values = {name: text for name, text in values_of(plan).items() if name != "nibs_said"}
    values |= {name: text for name, text in sent.items() if name != "csrf_token"}
    form = Form(values)
    fields: dict[str, Any] = read_described(form, RefretPlan, BOXES)
    fields |= {
        "frets": form.frets("frets", spec.frets),
        "pieces_um": _pieces(form),
        "obstructions": _notes(form),
        "nibs_said": "nibs_said" in sent,
    }
    if form.errors:
        return PlanForm(values, form.errors, None)
    made = replace(plan, **fields)
    form.errors |= refret_problems(made, spec, form.shown)
    return PlanForm(values, form.errors, None if form.errors else made)


def _pieces(form: Form) -> tuple[int, ...]:
    try:
        return read_pieces(form.text("pieces_um", lines=True), form.shown.system)
    except ValueError as error:
        form.errors["pieces_um"] = str(error)
        return ()


def _notes(form: Form) -> tuple[Obstruction, ...]:
    found = []
    for line in form.text("obstructions", lines=True).splitlines():
        if not line.strip():
            continue
        try:
            found.append(read_obstruction(line, form.shown))
        except ValueError as error:
            form.errors["obstructions"] = str(error)
            return ()
    return tuple(found)
