"""`pitch`: the note in a recording."""

from typing import Any

from deft_bench.core.strings.notes import A4_HZ, note_hz
from deft_bench.core.strings.pitch import PitchError, pitch
from deft_bench.formats.calc.fields import request
from deft_bench.formats.calc.strings_fields import A4
from deft_bench.formats.recording import RecordingError, read_recording
from deft_bench.formats.strict_json import RequestError

ABOUT = "The first partial of a recorded note, its nearest note and cents, or why the recording is refused"

SCHEMA = request(
    {
        "wav": {"type": "string", "minLength": 1, "maxLength": 4096},
        "expected": {"type": "string", "maxLength": 8},
        "a4_hz": A4,
    },
    ["wav"],
    ABOUT,
)


def answer(asked: dict[str, Any]) -> dict[str, Any]:
    """Answer one request; a recording that is refused is a bad `wav`."""
    a4 = asked.get("a4_hz", A4_HZ)
    if "expected" in asked:
        try:
            note_hz(asked["expected"], a4)
        except ValueError as error:
            raise RequestError([f"expected: {error}"]) from None
    try:
        samples, rate = read_recording(asked["wav"])
        found = pitch(samples, rate, asked.get("expected"), a4)
    except (RecordingError, PitchError) as error:
        raise RequestError([f"wav: {error}"]) from None
    return {
        "hz": found.hz,
        "note": found.note,
        "cents": found.cents,
        "inharmonicity": found.inharmonicity,
        "confidence": found.confidence,
        "sd_cents": found.sd_cents,
        "vibrato_cents": found.vibrato_cents,
    }
