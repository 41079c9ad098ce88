"""One hidden fault, heard on the simulated string, with readings a little off: how often the diagnosis names it."""

import random
from dataclasses import dataclass, replace

import numpy as np

from deft_bench.core.strings.buzz_call import buzz_call
from deft_bench.core.strings.clearance import OverString, clearance
from deft_bench.core.strings.customary import CUSTOMS, StringKind, customary_pluck
from deft_bench.core.strings.diagnose import Cause, Diagnosis, Heard, diagnose
from deft_bench.core.strings.frame import StringFrame, across_lanes
from deft_bench.core.strings.setup_solve import setup_solve
from deft_bench.core.strings.simulated_string import AUDIBLE_DB, loudest_buzz_db, ringing
from deft_bench.core.strings.string_set import SETS, TUNINGS, StringMake, made_of, notes_of, tensions
from deft_bench.core.strings.stroke import Stroke

INSTRUMENTS: tuple[tuple[StringKind, str, str, float, int], ...] = (
    ("electric", "10–46 nickel-plated steel", "standard", 648, 22),
    ("acoustic", "12–53 phosphor bronze", "standard", 645, 20),
    ("nylon", "normal-tension nylon", "standard", 650, 19),
    ("bass", "45–105 nickel-plated steel", "bass", 864, 20),
)
FAULTS = {"fret_proud": 20, "hand": 16, "relief_low": 14, "one_saddle": 13, "nut_low": 14, "saddle": 9, "rise_up": 5}


@dataclass(frozen=True)
class Truth:
    """An instrument as it is."""

    frame: StringFrame
    strings: list[OverString]
    makes: list[StringMake]
    stroke: Stroke

    def buzzes(self) -> dict[tuple[int, int], bool]:
        """Every note below the last but one fret, as heard; one that stays a tenth clear of everything is clean."""
        places, notes, heard = [], [], dict[tuple[int, int], bool]()
        overs = clearance(self.frame, self.strings, self.stroke)
        for one, make, over in zip(self.strings, self.makes, overs, strict=True):
            heard |= {(one.string, f): False for f in range(self.frame.frets - 1)}
            for f in np.flatnonzero(over.least()[: self.frame.frets - 1] < 0.1).tolist():
                notes.append(ringing(self.frame, over, make, one.tension_n, one.pluck_n, self.stroke, f))
                places.append((one.string, f))
        if not notes:
            return heard
        loud = loudest_buzz_db(notes, self.stroke, 6, 56) > AUDIBLE_DB
        return heard | dict(zip(places, map(bool, loud), strict=True))


def a_clean_one(chance: random.Random) -> tuple[Truth, StringFrame, list[OverString]]:
    """An instrument on which nothing buzzes, and how it was read, within 0.05."""
    kind, string_set, tuning, scale, frets = chance.choice(INSTRUMENTS)
    makes = made_of(SETS[string_set], notes_of(TUNINGS[tuning]))
    count, pulls, stroke = len(makes), tensions(makes, [scale] * len(makes)), Stroke(CUSTOMS[kind].from_saddle_mm)
    frame = StringFrame(scale, frets, 0.2, errors=[chance.gauss(0, 0.008) for _ in range(frets)])
    bare = [
        OverString(i, pulls[i - 1], chance.uniform(0.12, 0.16), customary_pluck(kind, i, count))
        for i in range(1, count + 1)
    ]
    solved = setup_solve(frame, bare, (0.1, 0.3), chance.uniform(0.06, 0.11), stroke=stroke)
    placed = [replace(one, saddle_height_mm=at.saddle_height_mm) for one, at in zip(bare, solved.strung, strict=True)]

    def off() -> float:
        return chance.uniform(-0.05, 0.05)

    read = [
        replace(one, nut_height_mm=one.nut_height_mm + off(), action_12_mm=at.action_12_mm + off())
        for one, at in zip(bare, solved.strung, strict=True)
    ]
    true = replace(frame, relief_mm=solved.relief_mm)
    return Truth(true, placed, makes, stroke), StringFrame(scale, frets, solved.relief_mm + 0.6 * off()), read


def with_fault(true: Truth, fault: str, chance: random.Random) -> tuple[Truth, int | None]:
    """The same instrument with one fault of ordinary size, and which string or fret it is at."""
    frame, strings, frets = true.frame, true.strings, true.frame.frets
    errors = across_lanes(frame.errors, 1, 1, frets)
    string = chance.randint(1, len(strings))

    def lower(by: float, which: int | None, nut: bool = False) -> list[OverString]:
        field = "nut_height_mm" if nut else "saddle_height_mm"
        return [replace(one, **{field: getattr(one, field) - by * (which in (None, one.string))}) for one in strings]

    if fault == "hand":
        harder = chance.uniform(1.3, 1.6)
        return replace(true, strings=[replace(one, pluck_n=one.pluck_n * harder) for one in strings]), None
    if fault == "relief_low":
        return replace(true, frame=replace(frame, relief_mm=frame.relief_mm - chance.uniform(0.12, 0.22))), None
    if fault == "saddle":
        return replace(true, strings=lower(chance.uniform(0.9, 1.6), None)), None
    if fault == "one_saddle":
        return replace(true, strings=lower(chance.uniform(0.9, 1.6), string)), string
    if fault == "nut_low":
        return replace(true, strings=lower(chance.uniform(0.18, 0.35), string, nut=True)), string
    if fault == "fret_proud":
        fret = chance.randint(2, frets - 1)
        errors[fret - 1] += chance.uniform(0.1, 0.2)
        return replace(true, frame=replace(frame, errors=errors.tolist())), fret
    start, x = chance.randint(13, 16), frame.positions()
    rise = chance.uniform(0.2, 0.4) * np.maximum(0, (x - x[start - 1]) / (x[-1] - x[start - 1]))
    return replace(true, frame=replace(frame, errors=(errors + rise).tolist())), None


def is_right(cause: Cause, fault: str, place: int | None) -> bool:
    if fault == "one_saddle":
        return cause.code == "saddle_low" and cause.string == place
    if fault == "saddle":
        return cause.code == "saddle_low" and cause.string is None
    return cause.code == fault and place in (None, cause.string if fault == "nut_low" else cause.fret)


def heard_blind(chance: random.Random) -> tuple[str, int | None, Diagnosis, list[Heard]]:
    fault = chance.choices(list(FAULTS), list(FAULTS.values()))[0]
    while True:
        clean, frame, read = a_clean_one(chance)
        bad, place = with_fault(clean, fault, chance)
        least = 1 if fault == "nut_low" else 3
        expected = sum(int((over.least() < 0).sum()) for over in clearance(bad.frame, bad.strings, bad.stroke))
        if expected < least or sum((buzzes := bad.buzzes()).values()) < least:
            continue
        if not any(clean.buzzes().values()):
            heard = [Heard(string, fret, buzz) for (string, fret), buzz in buzzes.items()]
            return fault, place, diagnose(frame, read, heard, bad.stroke), heard


def test_the_right_cause_comes_first_and_likely_is_right() -> None:
    chance = random.Random(4)
    first, likely, tries = 0, [], 12
    for _ in range(tries):
        fault, place, found, heard = heard_blind(chance)
        right = is_right(found.causes[0], fault, place)
        first += right
        if buzz_call(found, heard, {}).sure == "likely":
            likely.append(right)
    assert first >= 0.75 * tries
    assert likely
    assert sum(likely) >= 0.85 * len(likely)
