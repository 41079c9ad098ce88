"""A board's numbers as a form: what was typed in, specification and plan out, or what is wrong at which field."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from deft_bench.core.board.plan import BoardPlan, fitted, plan_problems
from deft_bench.core.board.positions import fret_position
from deft_bench.core.described import entries
from deft_bench.core.instrument import MOST_FRETS, Spec, spread_for_margin
from deft_bench.core.units import Display
from deft_bench.web.instruments.form import read_spec, values_of
from deft_bench.web.plan_form import PlanForm, read_described
from deft_bench.web.support import Form

FLAGS = ("left_handed", "bound", "nibs")


@dataclass(frozen=True, slots=True)
class BoardForm(PlanForm[BoardPlan]):
    """A form as read, with the specification whose boxes stand on the same pages."""

    spec: Spec | None


def board_values(spec: Spec, plan: BoardPlan, shown: Display) -> dict[str, str]:
    """Every box of the board's forms: the specification's fields under their own names, then the plan's."""
    values = {name: str(value) for name, value in values_of(spec, shown).items() if not isinstance(value, bool)}
    values |= {flag: "1" for flag in FLAGS if getattr(spec, flag)}
    values["edge_margin_um"] = shown.entry(spec.edge_margin_um)
    values |= {name: text for name, text in entries(plan, shown).items() if name not in ("gauges_um", "posts_um")}
    for i in range(spec.strings):
        values[f"gauge_{i + 1}"] = shown.entry(plan.gauges_um[i]) if i < len(plan.gauges_um) else ""
        behind, off = plan.posts_um[i] if plan.posts_um else (None, None)
        values[f"post_behind_{i + 1}"], values[f"post_off_{i + 1}"] = shown.entry(behind), shown.entry(off)
    return values


def read_board(sent: Mapping[str, str], spec: Spec, plan: BoardPlan, shown: Display) -> BoardForm:
    """Read a form that holds some of the board's boxes; the others keep what is saved. Nothing is stored here."""
    values = board_values(spec, plan, shown)
    if "flags" in sent:
        # a box that is not ticked is not sent: of a form that holds the three, only those sent are
        values = {name: text for name, text in values.items() if name not in FLAGS}
    values |= {name: text for name, text in sent.items() if name not in ("csrf_token", "flags")}
    form = Form(values, shown)
    if form.text("spread_by") == "margin":
        _solve_spread(form, values)
    new_spec = read_spec(form)
    fields = read_described(form, BoardPlan)
    strings = new_spec.strings if new_spec else spec.strings
    fields["gauges_um"] = _gauges(form, strings, plan)
    fields["posts_um"] = _posts(form, strings)
    if new_spec is None or form.errors:
        return BoardForm(values, form.errors, None, None)
    made = fitted(replace(plan, **fields), new_spec)
    form.errors |= plan_problems(made, new_spec, shown)
    if form.errors:
        return BoardForm(values, form.errors, None, None)
    return BoardForm(values, {}, made, new_spec)


def _solve_spread(form: Form, values: dict[str, str]) -> None:
    """Put the spread at the saddle that the edge margin asks for into its box."""
    margin, width, nut = (
        form.length(name, optional=True) for name in ("edge_margin_um", "last_fret_width_um", "spread_nut_um")
    )
    frets, divisions = form.count("frets", 1, MOST_FRETS), form.count("divisions", 5, MOST_FRETS)
    if margin is None or width is None or nut is None or frets is None or divisions is None:
        return
    if 2 * margin >= width:
        form.errors["edge_margin_um"] = "The two margins leave no board between the outer strings."
        return
    values["spread_saddle_um"] = form.shown.entry(
        spread_for_margin(nut, width, margin, fret_position(1, frets, divisions))
    )


def _gauges(form: Form, strings: int, plan: BoardPlan) -> tuple[int, ...]:
    if f"gauge_{strings}" not in form.sent or f"gauge_{strings + 1}" in form.sent:
        return plan.gauges_um if len(plan.gauges_um) == strings else ()
    return tuple(form.length(f"gauge_{i + 1}") or 0 for i in range(strings))


def _posts(form: Form, strings: int) -> tuple[tuple[int, int], ...]:
    boxes = [(f"post_behind_{i + 1}", f"post_off_{i + 1}") for i in range(strings)]
    other_count = f"post_off_{strings}" not in form.sent or f"post_off_{strings + 1}" in form.sent
    if other_count or not any(form.text(box) for pair in boxes for box in pair):
        return ()
    found = []
    for behind, off in boxes:
        if not form.text(behind) or not form.text(off):
            form.errors[behind if not form.text(behind) else off] = "Give both figures for every post, or none at all."
        found.append((form.length(behind, optional=True) or 0, form.length(off, optional=True) or 0))
        for name in (behind, off):
            um = form.length(name, optional=True)
            if um is not None and not -200_000 <= um <= 500_000:
                form.errors[name] = (
                    f"Accepted: up to {form.shown.long(500_000)} behind the nut, {form.shown.long(200_000)} off the"
                    " centreline."
                )
    return tuple(found)
