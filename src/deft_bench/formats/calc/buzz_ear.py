"""`buzz-ear`: the chance that each recorded note of one string buzzes."""

from typing import Any

import numpy as np

from deft_bench.core.strings.ear.features import features
from deft_bench.core.strings.ear.hearing import Learned, learned_from
from deft_bench.core.strings.notes import A4_HZ
from deft_bench.core.strings.pitch import PitchError, pitch
from deft_bench.formats.buzz_ear import buzz_ear
from deft_bench.formats.calc.fields import listed, request
from deft_bench.formats.calc.strings_fields import A4
from deft_bench.formats.recording import RecordingError, read_recording
from deft_bench.formats.strict_json import RequestError

ABOUT = "The chance that each recorded note of one string buzzes, by an ear that was taught on simulated strings only"

_CONFIRMED = {
    "type": "object",
    "properties": {"log_odds": {"type": "number", "minimum": -100, "maximum": 100}, "buzzes": {"type": "boolean"}},
    "required": ["log_odds", "buzzes"],
    "additionalProperties": False,
}

SCHEMA = request(
    {
        "wavs": listed({"type": "string", "minLength": 1, "maxLength": 4096}, least=1, most=60),
        "confirmed": listed(_CONFIRMED, most=10_000),
        "a4_hz": A4,
    },
    ["wavs"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; `wavs` are notes of the same string in the same place, one a file, and each is heard beside
    the others. A recording that is refused is a bad item of `wavs`.
    """
    wrong, heard, pitches = [], [], []
    for i, path in enumerate(asked["wavs"]):
        try:
            samples, rate = read_recording(path)
            hz = pitch(samples, rate, None, asked.get("a4_hz", A4_HZ)).hz
        except (RecordingError, PitchError) as error:
            wrong.append(f"wavs[{i}]: {error}")
            continue
        found = features(samples, rate, hz)
        if found is None:
            wrong.append(
                f"wavs[{i}]: too short, or sampled too seldom, to hear a buzz in: 0.3 s at 18.5 kHz is the least"
            )
        else:
            heard.append(np.round(found, 2))
            pitches.append(hz)
    if wrong:
        raise RequestError(wrong)
    learned: Learned = learned_from([(one["log_odds"], one["buzzes"]) for one in asked.get("confirmed", [])])
    odds = buzz_ear().log_odds(heard)
    return {
        "notes": [
            {"hz": hz, "chance": learned.chance(float(one)), "log_odds": float(one)}
            for hz, one in zip(pitches, odds, strict=True)
        ],
        "learned": {"scale": learned.scale, "shift": learned.shift, "confirmed": learned.confirmed},
    }
