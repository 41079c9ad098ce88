"""What each page of the board shows, worked out from a sound specification and plan."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from deft_bench.core.board.arch import advise_radius, arch, cone_of, humps, saddle_radius, sharing_cone
from deft_bench.core.board.blank import blank_need
from deft_bench.core.board.board_call import COSTS, board_call, slot_by
from deft_bench.core.board.checks import Check, board_checks
from deft_bench.core.board.inlays import strip_needed
from deft_bench.core.board.marking import check_lines, marking_lines
from deft_bench.core.board.plan import SCHOOLS, SPACINGS, BoardPlan
from deft_bench.core.board.plan_view import PlanView, over_mm, plan_view
from deft_bench.core.board.rules import Rule, mark_words
from deft_bench.core.board.section import neck_section, radius_of, thickness_passes
from deft_bench.core.board.slot_table import slot_table
from deft_bench.core.board.slotting import machine_problems
from deft_bench.core.board.strings_on_board import (
    LEAST_EDGE_MM,
    SIDE_ANGLE_DEG,
    NutSpacing,
    edge_room,
    head_paths,
    nut_spacing,
)
from deft_bench.core.board.transfer import centre_from_nut, datum_transfer
from deft_bench.core.instrument import Spec
from deft_bench.core.neck.facets import FULLNESS, neck_facets
from deft_bench.core.units import Display, LengthError, parse_length
from deft_bench.web.drawing.board_plan import draw_plan
from deft_bench.web.drawing.board_section import draw_section
from deft_bench.web.drawing.board_strings import draw_edge_room, draw_head, draw_nut


@dataclass(frozen=True)
class Board:
    """A sound board and the rule it is marked with; what is drawn from it is worked out once."""

    spec: Spec
    plan: BoardPlan
    rule: Rule

    @cached_property
    def view(self) -> PlanView:
        """The board in plan; inlays that cannot be drawn are left out (the plan's check names them)."""
        return plan_view(self.spec, self.plan)

    def checks(self, shown: Display) -> list[Check]:
        """Every finding, the failing ones first."""
        return board_checks(self.spec, self.plan, self.view, self.rule, shown.fine_mm)


Asked = Mapping[str, str]


def _radius_mm(shown: Display) -> Callable[[float], str]:
    return lambda mm: shown.radius(mm * 1000)


def plan_page(board: Board, asked: Asked, shown: Display, turned: bool) -> dict[str, Any]:
    """The drawing, what fails, the call, and the section at the chosen fret by each school."""
    spec, plan = board.spec, board.plan
    checks = board.checks(shown)
    fret = _whole(asked.get("fret", ""), 1, spec.frets) or min(12, spec.frets)
    sections = arch(spec, board.view.layout)
    at = sections[fret]
    schools = {code: slot_by(spec, plan, at, code) for code in SCHOOLS}
    chosen = schools[plan.school]
    return {
        "drawing": draw_plan(spec, board.view, checks, shown, turned=turned),
        "checks": checks,
        "call": board_call(spec, plan, board.view, checks, shown.fine_mm),
        "fret": fret,
        "at": at,
        "schools": schools,
        "costs": COSTS,
        "section_drawing": draw_section(spec, plan, at, chosen, shown.fine_mm) if chosen else None,
        "blank": blank_need(spec, plan, board.view),
        "slots": None if any(check.level == "fails" for check in checks) else slot_table(spec, plan, board.view.layout),
    }


def marking_page(board: Board, asked: Asked, shown: Display, turned: bool) -> dict[str, Any]:
    """The table along the asked line, what chaining would cost, check lines, and the datum transfer."""
    spec, plan = board.spec, board.plan
    outline = spec.outline()
    lines = marking_lines(outline, board.rule)
    line = next((one for one in lines if one.name == asked.get("line")), lines[0])
    worst = max(line.marks, key=lambda mark: abs(mark.chained_cents))
    centres = [found.centre_x_mm for found in board.view.lines]
    transfer = datum_transfer(
        centres,
        spec.mean_scale_mm,
        spec.perpendicular_fret,
        plan.datum,
        centre_from_nut(plan.drawing_centre_um / 1000, plan.drawing_from, centres),
        plan.set_fraction,
        spec.divisions,
    )
    step = board.rule.step
    return {
        "lines": lines,
        "line": line,
        "worst": worst,
        "mark_words": lambda mm: mark_words(mm, step),
        "step": step,
        "coarsest": max(line.marks, key=lambda mark: mark.at_stake_cents),
        "check_lines": check_lines(outline, board.view.lines, over_mm(spec, plan)),
        "transfer": transfer,
        "transfer_worst": max(transfer.cents, key=abs),
        "kerf_half": plan.kerf_um / 2,
    }


def radius_page(board: Board, asked: Asked, shown: Display, turned: bool) -> dict[str, Any]:
    """The suggestion, a measured sagitta, passes, the arch at every fret, humps and the neck's section."""
    spec, plan = board.spec, board.plan
    layout = board.view.layout
    cone = sharing_cone(spec, layout)
    found = humps(spec, layout)
    try:
        saddle = saddle_radius(spec)
    except ValueError:
        saddle = None
    sections, carved = [], []
    for fret, target in ((1, plan.neck_target_1_um), (min(12, spec.frets), plan.neck_target_12_um)):
        at = arch(spec, layout)[fret]
        sections.append(
            (
                fret,
                target,
                neck_section(
                    plan.neck_blank_um / 1000,
                    spec.board_thickness_um / 1000,
                    at.width_mm,
                    at.radius_mm,
                    plan.rod_channel_um / 1000,
                    target / 1000,
                ),
            )
        )
        under = (target - spec.board_thickness_um) / 1000
        if under > 0:
            carved.append((fret, neck_facets(at.width_mm, under, FULLNESS[plan.neck_shape], plan.facet_rounds)))
    return {
        "carved": carved,
        "advice": advise_radius(spec, layout, shown.fine_mm, _radius_mm(shown)),
        "cut_otherwise": over_mm(spec, plan) != 0,
        "arch": arch(spec, layout, over_mm(spec, plan)),
        "saddle": saddle,
        "humps": found,
        "hump": max(found, key=lambda hump: hump.hump_mm),
        "sharing": cone,
        "cone": cone_of(spec),
        "passes": thickness_passes(
            plan.blank_thickness_um / 1000, spec.board_thickness_um / 1000, plan.per_pass_um / 1000
        ),
        "sections": sections,
        "measured": _measured(asked, shown),
    }


def _measured(asked: Asked, shown: Display) -> dict[str, Any]:
    """A radius from a sagitta read over a span; what cannot be meant comes back in words."""
    values = {"sagitta": asked.get("sagitta", "")[:60], "span": asked.get("span", "")[:60]}
    found: dict[str, Any] = {**values, "radius_mm": None, "problem": ""}
    if not any(text.strip() for text in values.values()):
        return found
    try:
        sagitta, span = (parse_length(values[name], shown.system) / 1000 for name in ("sagitta", "span"))
        if not 0 < sagitta <= span / 2:
            raise ValueError(
                f"The sagitta must be more than zero and at most half the span; typed were {sagitta:g} and {span:g} mm."
            )
        found["radius_mm"] = radius_of(sagitta, span)
    except LengthError as error:
        found["problem"] = str(error)
    except ValueError as error:
        found["problem"] = str(error)
    return found


def strings_page(board: Board, asked: Asked, shown: Display, turned: bool) -> dict[str, Any]:
    """Both schools of nut spacing, room to the edges, and the paths to the posts."""
    spec, plan = board.spec, board.plan
    gauges = [gauge / 1000 for gauge in plan.gauges_um]
    width = spec.nut_width_um / 1000
    margin = (spec.nut_width_um - spec.spread_nut_um) / 2000
    edges = margin - gauges[-1] / 2, margin - gauges[0] / 2
    schools: dict[str, NutSpacing | None] = {}
    for code in SPACINGS:
        try:
            schools[code] = nut_spacing(width, *edges, gauges, code) if spec.strings > 1 else None
        except ValueError:
            schools[code] = None
    room = edge_room(board.view.layout, gauges)
    paths, problem = None, ""
    if plan.posts_um:
        try:
            paths = head_paths(
                board.view.layout, [(x / 1000, y / 1000) for x, y in plan.posts_um], plan.post_um / 1000, gauges
            )
        except ValueError as error:
            problem = f"{str(error)[:1].upper()}{str(error)[1:]}."
    return {
        "nut": draw_nut(spec, gauges, schools),
        "spacings": schools,
        "edges": edges,
        "gauges": gauges,
        "room": room,
        "least_room": min(room, key=lambda at: min(at.bass_mm, at.treble_mm)),
        "room_drawing": draw_edge_room(room, LEAST_EDGE_MM, shown),
        "least_edge": LEAST_EDGE_MM,
        "paths": paths,
        "path_problem": problem,
        "steepest": max(paths, key=lambda path: abs(path.angle_deg)) if paths else None,
        "fouled": (
            min(paths, key=lambda path: 99 if path.clearance_mm is None else path.clearance_mm) if paths else None
        ),
        "most_angle": SIDE_ANGLE_DEG,
        "headstock": draw_head(spec, board.view.layout, paths, plan.post_um / 1000) if paths else None,
    }


def files_page(board: Board, asked: Asked, shown: Display, turned: bool) -> dict[str, Any]:
    """What stands in the way of the slotting program, and the inlay list."""
    return {
        "machine": machine_problems(board.spec, board.plan, board.view),
        "inlays": board.view.inlays,
        "strip": strip_needed(board.view.inlays, board.plan.kerf_um / 1000),
        "checks": board.checks(shown),
    }


PAGES: dict[str, Callable[[Board, Asked, Display, bool], dict[str, Any]]] = {
    "plan": plan_page,
    "marking": marking_page,
    "radius": radius_page,
    "strings": strings_page,
    "files": files_page,
}


def _whole(text: str, low: int, high: int) -> int | None:
    return int(text) if text.isascii() and text.isdigit() and len(text) < 4 and low <= int(text) <= high else None
