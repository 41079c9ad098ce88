"""Where a board's geometry fails or comes near it, each in one sentence with its number."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from deft_bench.core.board.arch import ArchAt, arch
from deft_bench.core.board.blank import blank_need
from deft_bench.core.board.marking import cents_of
from deft_bench.core.board.plan import BoardPlan
from deft_bench.core.board.plan_view import PlanView, over_mm
from deft_bench.core.board.positions import nearest_mark
from deft_bench.core.board.rules import Rule
from deft_bench.core.board.section import slot
from deft_bench.core.board.strings_on_board import LEAST_EDGE_MM, edge_room
from deft_bench.core.calls import Length, frets_named, in_mm
from deft_bench.core.frets.wire import wire_call
from deft_bench.core.instrument import Spec
from deft_bench.core.limits import LEAST_APART_MM, THIN_EDGE_MM

RULE_CENTS = 2.0
"""Half a graduation may cost this much before the rule is called too coarse: the intonation that is asked for."""
PIN_HIDDEN_MM = 0.4
"""A crown must cover a pin by this much in all, or its edge shows beside the fret."""
LEAST_WALL_MM = 0.5


@dataclass(frozen=True, slots=True)
class Check:
    """One finding: `fails` spoils the board, `mind` wants a look. `frets` are those it concerns."""

    code: str
    level: Literal["fails", "mind"]
    say: str
    frets: tuple[int, ...] = ()


def board_checks(spec: Spec, plan: BoardPlan, view: PlanView, rule: Rule, length: Length = in_mm) -> list[Check]:
    """Every finding, the failing ones first. The specification and plan must be sound."""
    checks = [
        *_slots(spec, plan, view, length),
        *_inlays(plan, view, length),
        *_edges(spec, plan, view, length),
        *_blank(spec, plan, view, length),
        *_pins(spec, plan, view, length),
        *_rule(spec, rule, length),
        *_unusual(spec, length),
    ]
    return sorted(checks, key=lambda check: check.level != "fails")


def _blank(spec: Spec, plan: BoardPlan, view: PlanView, length: Length) -> list[Check]:
    """A blank that is too short or too narrow for the board as it is cut."""
    need = blank_need(spec, plan, view)
    found = []
    for what, have, wanted in (
        ("short", plan.blank_length_um, need.length_mm),
        ("narrow", plan.blank_width_um, need.width_mm),
    ):
        if have is not None and have / 1000 < wanted - 1e-6:
            say = f"The blank is too {what}: {length(have / 1000)}, and {length(wanted)} is needed."
            found.append(Check("blank", "fails", say))
    return found


def _slots(spec: Spec, plan: BoardPlan, view: PlanView, length: Length) -> list[Check]:
    try:
        sections = arch(spec, view.layout, over_mm(spec, plan))
    except ValueError as error:
        return [Check("arch", "fails", f"The radius does not fit the board: {error}.")]
    return [*_cuts(spec, plan, sections[1:], length), *_thin_edges(sections, length), *_kerf(spec, plan, length)]


def _cuts(spec: Spec, plan: BoardPlan, sections: Sequence[ArchAt], length: Length) -> list[Check]:
    """Slots that come through, leave too little wood, or leave a hollow under the wire."""
    checks: list[Check] = []
    through, thin, hollow = [], [], []
    least = float("inf")
    warnings = ""
    for at in sections:
        try:
            cut = slot(
                spec.tang_depth_um / 1000,
                plan.under_tang_gap_um / 1000,
                at.radius_mm,
                at.width_mm,
                spec.board_thickness_um / 1000,
                plan.school,
                plan.guide_um / 1000,
            )
        except ValueError:
            through.append(at.fret)
            continue
        least = min(least, cut.wood_under_slot_mm)
        if any("wood" in warning for warning in cut.warnings):
            thin.append(at.fret)
        if any("hollow" in warning for warning in cut.warnings):
            hollow.append(at.fret)
            warnings = length(cut.void_at_centre_mm)
    if through:
        checks.append(
            Check(
                "slot_through",
                "fails",
                f"The slot comes through the board at {frets_named(through)}: a thicker board, less gap, or the slot"
                " along the curve.",
                tuple(through),
            )
        )
    if thin:
        checks.append(
            Check(
                "wood_left",
                "mind",
                f"As little as {length(least)} of wood is left under the slot at {frets_named(thin)}.",
                tuple(thin),
            )
        )
    if hollow:
        checks.append(
            Check(
                "hollow",
                "mind",
                f"The guide cut leaves up to {warnings} hollow under the wire at {frets_named(hollow)}.",
                tuple(hollow),
            )
        )
    return checks


def _thin_edges(sections: Sequence[ArchAt], length: Length) -> list[Check]:
    edges = [at for at in sections if at.bench_edge_mm < THIN_EDGE_MM]
    if not edges:
        return []
    worst = min(edges, key=lambda at: at.bench_edge_mm)
    level: Literal["fails", "mind"] = "fails" if worst.bench_edge_mm <= 0 else "mind"
    where = "the nut" if worst.fret == 0 else f"fret {worst.fret}"
    trimmed = f" ({length(worst.edge_mm)} when trimmed)" if worst.bench_width_mm > worst.width_mm else ""
    return [
        Check(
            "thin_edge",
            level,
            f"The board's edge is {length(worst.bench_edge_mm)} thick at {where}{trimmed};"
            f" {length(THIN_EDGE_MM)} is the least that stands handling.",
            tuple(at.fret for at in edges),
        )
    ]


def _kerf(spec: Spec, plan: BoardPlan, length: Length) -> list[Check]:
    """How the wire holds in the slot, in the words of the refret's page: one judgement of one slot."""
    fit, call = wire_call(plan.kerf_um / 1000, plan.tang_width_um / 1000, spec.barb_width_um / 1000, 1.0, None, length)
    if fit.tang_clearance_mm < 0:
        say = f"The tang is {length(-fit.tang_clearance_mm)} wider than the slot: it will not go in."
        return [Check("kerf", "fails", say)]
    bite = f"The barbs bite {length(fit.barb_bite_mm)}." if fit.fit == "tight" else ""
    return [] if fit.fit == "press" else [Check("fit", "mind", f"{call.say} {bite}".strip())]


def _inlays(plan: BoardPlan, view: PlanView, length: Length) -> list[Check]:
    checks: list[Check] = []
    broken = [piece for piece in view.inlays if piece.clearance_mm <= 0]
    near = [piece for piece in view.inlays if 0 < piece.clearance_mm < max(LEAST_WALL_MM, plan.inlay_depth_um / 1000)]
    if broken:
        frets = sorted({piece.fret for piece in broken})
        worst = min(piece.clearance_mm for piece in broken)
        checks.append(
            Check(
                "inlay_in_slot",
                "fails",
                f"The inlay before {frets_named(frets)} breaks into the slot by {length(-worst)}.",
                tuple(frets),
            )
        )
    if near:
        frets = sorted({piece.fret for piece in near})
        worst = min(piece.clearance_mm for piece in near)
        checks.append(
            Check(
                "inlay_near_slot",
                "mind",
                f"Only {length(worst)} of wood between inlay and slot before {frets_named(frets)}, less than the inlay"
                " is deep: cut the slots first, or the wall breaks out under the saw.",
                tuple(frets),
            )
        )
    return checks


def _edges(spec: Spec, plan: BoardPlan, view: PlanView, length: Length) -> list[Check]:
    checks: list[Check] = []
    room = edge_room(view.layout, [gauge / 1000 for gauge in plan.gauges_um])
    for side in ("bass", "treble"):
        clear = {at.fret: getattr(at, f"{side}_mm") for at in room}
        worst = min(clear, key=lambda fret: clear[fret])
        where = "the nut" if worst == 0 else f"fret {worst}"
        if clear[worst] < 0:
            off = tuple(fret for fret, mm in clear.items() if mm < 0)
            checks.append(
                Check(
                    "string_off",
                    "fails",
                    f"The outer {side} string runs off the board by {length(-clear[worst])} at {where}.",
                    off,
                )
            )
        elif clear[worst] < LEAST_EDGE_MM:
            near = tuple(fret for fret, mm in clear.items() if mm < LEAST_EDGE_MM)
            checks.append(
                Check(
                    "string_near_edge",
                    "mind",
                    f"The outer {side} string lies {length(clear[worst])} from the edge at {where}: pulled, it slips"
                    " over the bevelled fret end.",
                    near,
                )
            )
    overhang, half = plan.end_overhang_um / 1000, spec.crown_width_um / 2000
    if overhang < half:
        checks.append(
            Check(
                "fret_past_end",
                "fails",
                f"The crown of fret {spec.frets} stands {length(half - overhang)} past the end of the board.",
                (spec.frets,),
            )
        )
    return checks


def _pins(spec: Spec, plan: BoardPlan, view: PlanView, length: Length) -> list[Check]:
    checks: list[Check] = []
    if not view.pins:
        return checks
    frets = tuple(fret for fret, _ in view.pins)
    pin, crown = plan.pin_um / 1000, spec.crown_width_um / 1000
    if pin > crown:
        checks.append(
            Check(
                "pin_shows",
                "fails",
                f"An index pin of {length(pin)} is wider than the crown of {length(crown)} that must hide it.",
                frets,
            )
        )
    elif pin > crown - PIN_HIDDEN_MM:
        checks.append(
            Check(
                "pin_shows",
                "mind",
                f"An index pin of {length(pin)} leaves {length((crown - pin) / 2)} of crown each side to hide it.",
                frets,
            )
        )
    if plan.pin_inset_um / 1000 < pin / 2 + 1:
        checks.append(
            Check(
                "pin_breaks_out",
                "fails",
                f"Pins {length(plan.pin_inset_um / 1000)} from the edge break out of it.",
                frets,
            )
        )
    return checks


def _unusual(spec: Spec, length: Length) -> list[Check]:
    """What can be built and is hardly ever meant: a cone that opens toward the nut, strings too close for fingers."""
    found = []
    if spec.nut_radius_um and spec.end_radius_um and spec.end_radius_um < spec.nut_radius_um:
        nut, end = (length(um / 1000) for um in (spec.nut_radius_um, spec.end_radius_um))
        say = f"The cone opens toward the nut: {nut} there and {end} at the body. Are they the wrong way round?"
        found.append(Check("cone_reversed", "mind", say))
    courses = spec.strings // 2 if spec.kind == "twelve_string" else spec.strings
    if courses > 1:
        apart = spec.spread_nut_um / 1000 / (courses - 1)
        if apart < LEAST_APART_MM:
            say = f"The strings lie {length(apart)} apart at the nut: fingers want {length(LEAST_APART_MM)} or more."
            found.append(Check("strings_close", "mind", say))
    return found


def _rule(spec: Spec, rule: Rule, length: Length) -> list[Check]:
    scale = min(spec.bass_scale_um, spec.treble_scale_um) / 1000
    coarse = []
    worst = 0.0
    for fret in range(1, spec.frets + 1):
        place = scale * spec.share(fret)
        step = nearest_mark(place, rule.graduations, rule.share)[1]
        cents = cents_of(scale - place, step / 2)
        if cents > RULE_CENTS:
            coarse.append(fret)
            worst = max(worst, cents)
    if not coarse:
        return []
    return [
        Check(
            "rule_coarse",
            "mind",
            f"The rule is too coarse for {frets_named(coarse)}: half a step costs up to {worst:.1f} cents there. A"
            " finer rule, or a scribed template.",
            tuple(coarse),
        )
    ]
