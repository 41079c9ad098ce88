"""The boxes and sliders of what is tried on the Setup screen, and the pictures that follow them."""

from collections.abc import Mapping
from typing import Any

from deft_bench.bench.setup.solving import SetupFindings, lies_on_a_fret, setup_findings, trial_problems
from deft_bench.core.instrument import Spec
from deft_bench.core.strings.assembled import Trial, solve
from deft_bench.core.strings.capo import capo_heights, with_capo
from deft_bench.core.strings.setup_plan import SetupPlan, string_names
from deft_bench.store import instruments
from deft_bench.web.drawing.string_side import NEAR_MM, margin_map, string_side
from deft_bench.web.support import Form, db, display, settings

SHOWN_FRET = 3
"""Where a string with room everywhere is shown: low on the neck, where its swing is seen."""


def read_trial(form: Form, instrument: instruments.Instrument, plan: SetupPlan) -> Trial | None:
    """The boxes of what is tried; None, with what is wrong in `form.errors`, where one cannot be meant."""
    strings = range(1, instrument.spec.strings + 1)
    lengths = {name: form.length(name) for name in ("relief", "nut", *(f"action_{number}" for number in strings))}
    hand = form.number("hand", 20, 300)
    form.errors |= trial_problems(db(), settings(), instrument, plan, lengths)
    if form.errors or hand is None:
        return None
    mm = {name: (um or 0) / 1000 for name, um in lengths.items()}
    tried = Trial(mm["relief"], {number: mm[f"action_{number}"] for number in strings}, mm["nut"], hand / 100)
    form.errors |= lies_on_a_fret(db(), settings(), instrument, plan, tried)
    return None if form.errors else tried


def boxes(instrument: instruments.Instrument) -> list[str]:
    """Every box of what is tried."""
    return ["relief", "nut", "hand", *(f"action_{number}" for number in range(1, instrument.spec.strings + 1))]


def trial_values(findings: SetupFindings) -> dict[str, str]:
    """Every box as it starts: the setup as it is."""
    shown, now = display(), findings.tried
    values = {"relief": shown.entry(round(now.frame.relief_mm * 1000, -1)), "nut": shown.entry(0), "hand": "100"}
    return values | {
        f"action_{string.string}": shown.entry(round((string.action_12_mm or 0) * 1000)) for string in now.strings
    }


def live(
    instrument: instruments.Instrument, plan: SetupPlan, trial: Trial | None, asked: Mapping[str, str]
) -> dict[str, Any]:
    """The string from the side, the map of room, and the solved setup beside the present one. `asked` says which
    string is drawn, fretted where.
    """
    shown = display()
    findings, spec = setup_findings(db(), settings(), instrument, plan, trial, preset_asked(asked)), instrument.spec
    capo = _whole(asked.get("capo", ""), 0, most_capo(spec)) or 0
    strung = [with_capo(string, capo) for string in findings.strung]
    tightest = min(strung, key=lambda string: string.worst().margin_mm).string
    which = _whole(asked.get("string", ""), 1, len(strung))
    drawn = strung[(tightest if which is None else which) - 1]
    at_fret = _whole(asked.get("fretted", ""), 0, spec.frets - 1)
    if at_fret is None:
        worst = drawn.worst()
        at_fret = worst.fretted if worst.margin_mm <= NEAR_MM else SHOWN_FRET
    at_fret = max(capo, at_fret)
    rows = margin_map(strung, string_names(plan), shown)
    mirrored = spec.left_handed != settings().turned
    return {
        "findings": findings,
        "now": findings.now,
        "trial": trial,
        "present": findings.present,
        "side": string_side(findings.tried, drawn, at_fret, shown, mirrored),
        "map": rows,
        "which": drawn.string,
        "fretted": at_fret,
        "solved": findings.solved,
        "call": findings.call,
        "todo": findings.todo,
        "capo": capo,
        "preset_id": preset_asked(asked) if findings.preset_of.own else 0,
        "with_capo": _with_capo(spec, plan, findings, capo) if capo else None,
        "touching": sum(cell.kind == "touches" for _, row in rows for cell in row),
    }


def preset_asked(asked: Mapping[str, str]) -> int:
    """The id of the preset that was chosen; 0 is the shop's."""
    return _whole(asked.get("preset", ""), 0, 999) or 0


def most_capo(spec: Spec) -> int:
    """The last fret that a capo goes on."""
    return min(spec.joint_fret, spec.frets) - 1


def _with_capo(spec: Spec, plan: SetupPlan, findings: SetupFindings, capo: int) -> dict[str, Any]:
    """How the strings lie over a capo, and how low they could if they were only ever played from it."""
    return {
        "lie": capo_heights(findings.strung, spec.mean_scale_mm, spec.frets, capo),
        "solved": solve(plan, spec, findings.now, capo),
    }


def _whole(typed: str, least: int, most: int) -> int | None:
    """A whole number within a range, or None."""
    if not typed.isascii() or not typed.isdigit() or len(typed) > 3:
        return None
    return int(typed) if least <= int(typed) <= most else None
