"""The specification as a form: what was typed in, a Spec out, or what is wrong at which field."""

from typing import Any

from deft_bench.core.instrument import LENGTHS, STARTING, UNKNOWABLE, Spec, problems, to_fields, usual
from deft_bench.core.units import Display
from deft_bench.web.support import Form


def values_of(spec: Spec, shown: Display) -> dict[str, Any]:
    """Every field as its box shows it."""
    values = to_fields(spec)
    for field in LENGTHS:
        values[field] = "" if field in spec.unknown else shown.entry(values[field])
    if not spec.fanned:
        values["treble_scale_um"] = ""
    if spec.radius_kind != "compound":
        values["end_radius_um"] = ""
    values["perpendicular_fret"] = f"{spec.perpendicular_fret:g}"
    return values


def read_spec(form: Form) -> Spec | None:
    """The specification that was sent, or None with every problem in `form.errors`."""
    radius_kind = form.text("radius_kind")
    fields: dict[str, Any] = {
        field: form.text(field, lines=field == "note")
        for field in (
            "name",
            "kind",
            "radius_kind",
            "rod",
            "rod_end",
            "joint",
            "bridge",
            "string_set",
            "tuning",
            "hand",
            "note",
        )
    }
    fields |= {flag: form.flag(flag) for flag in ("left_handed", "bound", "nibs")}
    kind = fields["kind"] if fields["kind"] in STARTING else "electric"
    unknown: list[str] = []

    def length(field: str) -> int | None:
        """As typed; what is usual for a length that may be unknown and is left empty."""
        if field not in UNKNOWABLE or form.text(field):
            return form.length(field)
        unknown.append(field)
        return usual(kind, field, fields.get("nut_width_um"))

    for field in LENGTHS:
        if field not in ("treble_scale_um", "nut_radius_um", "end_radius_um"):
            fields[field] = length(field)
    fields["treble_scale_um"] = form.length("treble_scale_um", optional=True) or fields["bass_scale_um"]
    fields["nut_radius_um"] = None if radius_kind == "flat" else length("nut_radius_um")
    fields["end_radius_um"] = length("end_radius_um") if radius_kind == "compound" else fields["nut_radius_um"]
    fields["strings"] = form.count("strings", 1, 18)
    fields["frets"] = form.count("frets", 1, 60)
    fields["joint_fret"] = form.count("joint_fret", 1, 60)
    fields["divisions"] = form.count("divisions", 5, 60) if "divisions" in form.sent else 12
    fields["perpendicular_fret"] = form.number("perpendicular_fret", 0, 60, optional=True) or 0.0
    if form.errors:
        return None
    spec = Spec(**fields, unknown=tuple(unknown))
    form.errors |= problems(spec, form.shown)
    return None if form.errors else spec
