"""The boxes of the setup's numbers, read and shown: each page has its own share of them."""

from collections.abc import Mapping, Sequence
from dataclasses import replace

from deft_bench.core.described import entries
from deft_bench.core.instrument import Spec
from deft_bench.core.strings.setup_plan import SetupPlan, plan_problems
from deft_bench.core.strings.string_set import StringMake
from deft_bench.core.units import LengthError, parse_length
from deft_bench.web.plan_form import PlanForm, read_described
from deft_bench.web.support import Form, display

PAGES: dict[str, tuple[str, ...]] = {
    "setup": ("pluck_from_saddle_um", "margin_um", "relief_low_um", "relief_high_um"),
    "strings": ("a4_hz",),
    "nut": (
        "edge_bass_um",
        "edge_treble_um",
        "nut_thickness_um",
        "nut_height_um",
        "blank_length_um",
        "blank_thickness_um",
        "blank_height_um",
        "nut_school",
        "seat_base",
        "blank_base",
        "bearing_fret",
    ),
    "saddle": (
        "bridge_radius_um",
        "board_radius_saddle_um",
        "post_spacing_um",
        "travel_up_um",
        "travel_down_um",
        "height_thread_um",
        "compensation_um",
        "saddle_overhang_um",
        "pocket_um",
        "mouth_to_saddle_um",
        "pickup_gap_um",
        "pickup_target_um",
        "pickup_up_um",
        "pickup_down_um",
        "pickup_from_saddle_um",
    ),
    "intonation": ("intonation_thread_um",),
}
"""Which fields each page's form holds; strings, hand and nut gaps are read by their own functions."""


def values_of(plan: SetupPlan) -> dict[str, str]:
    """Every box as it starts."""
    shown = display()
    values = entries(plan, shown, [name for names in PAGES.values() for name in names])
    for i, one in enumerate(plan.strings, start=1):
        values |= {
            f"note_{i}": one.note,
            f"gauge_{i}": shown.entry(one.gauge_mm * 1000),
            f"construction_{i}": one.construction,
            f"wrap_{i}": one.wrap,
            f"core_{i}": "" if one.core_mm is None else shown.entry(one.core_mm * 1000),
            f"weight_{i}": "" if one.unit_weight is None else f"{one.unit_weight * 1000:g}",
            f"gap_low_{i}": shown.entry(plan.gap_low_um[i - 1]),
            f"gap_high_{i}": shown.entry(plan.gap_high_um[i - 1]),
            f"pluck_{i}": f"{plan.pluck_n[i - 1]:g}" if len(plan.pluck_n) == len(plan.strings) else "",
        }
    return values


def read(page: str, sent: Mapping[str, str], plan: SetupPlan, spec: Spec) -> PlanForm[SetupPlan]:
    """Read a page's boxes over the plan as saved."""
    values = values_of(plan) | {name: text for name, text in sent.items() if name != "csrf_token"}
    form = Form(values)
    fields = read_described(form, SetupPlan, PAGES[page])
    if page == "strings":
        fields["strings"] = _strings(form, plan)
    if page == "nut":
        fields["gap_low_um"] = tuple(form.length(f"gap_low_{i}") for i in range(1, len(plan.strings) + 1))
        fields["gap_high_um"] = tuple(form.length(f"gap_high_{i}") for i in range(1, len(plan.strings) + 1))
    if page == "setup":
        fields["pluck_n"] = _plucks(form, len(plan.strings))
    if form.errors:
        return PlanForm(values, form.errors, None)
    made = replace(plan, **fields)
    form.errors |= plan_problems(made, form.shown, spec)
    return PlanForm(values, form.errors, None if form.errors else made)


def _strings(form: Form, plan: SetupPlan) -> tuple[StringMake, ...]:
    makes = []
    for i, before in enumerate(plan.strings, start=1):
        gauge, core = form.length(f"gauge_{i}"), form.length(f"core_{i}", optional=True)
        weight = form.number(f"weight_{i}", 0.01, 200, optional=True)
        note = form.text(f"note_{i}")
        if gauge is None:
            continue
        makes.append(
            StringMake(
                note,
                gauge / 1000,
                form.text(f"construction_{i}"),
                form.text(f"wrap_{i}"),
                None if core is None else core / 1000,
                None if weight is None else weight / 1000,
                before.hz if note == before.note else None,
            )
        )
    return tuple(makes)


def _plucks(form: Form, count: int) -> tuple[float, ...]:
    """A force for each string, or none at all: then the specification's hand counts."""
    typed = [form.text(f"pluck_{i}") for i in range(1, count + 1)]
    if not any(typed):
        return ()
    return tuple(form.number(f"pluck_{i}", 0.05, 20) or 0.0 for i in range(1, count + 1))


def lengths_listed(typed: str, form: Form, field: str, least_um: int, most_um: int) -> tuple[int, ...]:
    """Lengths with semicolons between, such as nut files or feeler blades, in micrometres."""
    found = []
    for word in typed.replace("\n", ";").split(";"):
        if not word.strip():
            continue
        try:
            um = parse_length(word, form.shown.system)
        except LengthError as error:
            form.errors[field] = f"{error}. Put semicolons between."
            return ()
        if not least_um <= um <= most_um:
            form.errors[field] = (
                f"{form.shown.fine(um)} is out of range; accepted: {form.shown.fine(least_um)} to"
                f" {form.shown.fine(most_um)}."
            )
            return ()
        found.append(um)
    return tuple(sorted(set(found)))


def listed(lengths_um: Sequence[int]) -> str:
    """Lengths as such a box shows them."""
    return "; ".join(display().entry(um) for um in lengths_um)
