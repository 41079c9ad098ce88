"""A survey's heading as a form: what it starts with, and what was typed into it."""

from typing import Any

from deft_bench.bench.surveying import UsualHead
from deft_bench.core.instrument import Spec
from deft_bench.core.survey import MOST_REACH, MOST_STROKES, SurveyHead, head_problems
from deft_bench.core.survey_kinds import PER_CENT, SurveyKind
from deft_bench.core.units import Display, LengthError, parse_length
from deft_bench.web.support import Form, display


def values_of(head: UsualHead, kind: SurveyKind, shown: Display) -> dict[str, Any]:
    """Every box with what it starts with."""
    cents = kind.unit == "cents"
    return {
        "when": head.when,
        "method": head.method,
        "surface": head.surface,
        "tool": head.tool,
        "resolution_um": f"{head.resolution / PER_CENT:g}" if cents else shown.entry(head.resolution),
        "string_state": head.string_state,
        "at_frets": ", ".join(map(str, head.at_frets)),
        "order": head.order,
        "temperature_c": "" if head.temperature_c is None else f"{head.temperature_c:g}",
        "humidity": "" if head.humidity is None else f"{head.humidity:g}",
        "note": "",
        "strokes": head.strokes,
        "reach": head.reach,
        "blades_um": "; ".join(shown.entry(um) for um in head.blades_um),
    }


def read_head(form: Form, kind: SurveyKind, spec: Spec) -> SurveyHead | None:
    """The heading that was sent; None with what is wrong in `form.errors`."""
    resolution = _resolution(form, kind)
    temperature = form.number("temperature_c", -20, 60, optional=True)
    humidity = form.number("humidity", 0, 100, optional=True)
    at_frets = form.frets("at_frets", spec.frets) if kind.named_frets in ("must", "span") else ()
    if kind.asks_strokes and at_frets:
        at_frets = tuple(range(at_frets[0], at_frets[-1] + 1))
    strokes = form.count("strokes", 1, MOST_STROKES) if kind.asks_strokes else 0
    reach = _reach(form, kind)
    blades = _blades(form) if kind.asks_blades else ()
    if kind.named_frets == "must" and not at_frets:
        form.errors.setdefault(
            "at_frets", "Name at least one fret: 12 alone is enough, 1, 3, 5, 7 and 12 tell nut from saddle."
        )
    if form.errors or resolution is None or strokes is None or reach is None:
        return None
    head = SurveyHead(
        kind=kind.code,
        when=form.text("when"),
        method=form.text("method") if len(kind.methods) > 1 and "method" in form.sent else kind.methods[0],
        surface=form.text("surface", kind.surfaces[0]) if asks_surface(kind) else kind.surfaces[0],
        tool=form.text("tool"),
        resolution_um=resolution,
        string_state="tuned" if kind.per_string else form.text("string_state"),
        temperature_c=temperature,
        humidity=humidity,
        order="fret_by_fret" if form.text("order") == "fret_by_fret" else "lane_by_lane",
        note=form.text("note")[:400],
        strings=spec.strings if kind.per_string else 0,
        at_frets=at_frets,
        strokes=strokes,
        blades_um=blades,
        reach=reach,
    )
    form.errors |= head_problems(head)
    return None if form.errors else head


def asks_surface(kind: SurveyKind) -> bool:
    """Whether the form asks on which surface it is read: only where the wood and the tops are both usual."""
    return len(kind.surfaces) > 1 and len(kind.lanes) == 1


def _blades(form: Form) -> tuple[int, ...]:
    """The blades of a set, thinnest first."""
    found: set[int] = set()
    for word in form.text("blades_um").replace("·", ";").split(";"):
        try:
            found |= {parse_length(word, display().system)} if word.strip() else set()
        except LengthError as error:
            form.errors["blades_um"] = f"{error}; with semicolons between the blades."
    if not found:
        form.errors.setdefault("blades_um", "Name the blades of the set, with semicolons between.")
    return tuple(sorted(found))


def _reach(form: Form, kind: SurveyKind) -> int | None:
    return form.count("reach", 1, MOST_REACH) if kind.asks_reach and "reach" in form.sent else 1


def _resolution(form: Form, kind: SurveyKind) -> int | None:
    if not kind.asks_resolution:
        return 1
    if kind.unit == "cents":
        cents = form.number("resolution_um", 0.01, 5)
        return None if cents is None else max(1, round(cents * PER_CENT))
    return form.length("resolution_um")
