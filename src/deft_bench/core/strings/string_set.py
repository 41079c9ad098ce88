"""Strings by construction: unit weight, tension, and the usual sets and tunings as data.

Plain: μ = ρπd²/4. Wound: μ = ρ_core·πd_c²/4 + ρ_wrap·F·π(d² − d_c²)/4, F the share of its annulus that the wrap fills:
π/4 for round wire laid turn by turn (a circle in its square), taken as 0.88 for half-round and 0.95 for flat wire. T =
μ(2Lf)² (Mersenne).

Tension by Mersenne's law, T = μ(2Lf)² (N. H. Fletcher, T. D. Rossing, The Physics of Musical Instruments, 2nd ed.,
ch. 2, the vibrating string); unit weights: docs/methods/string-set.md.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from deft_bench.core.strings.notes import A4_HZ, note_hz
from deft_bench.core.units import MM_PER_INCH

Wrap = Literal["nickel_steel", "pure_nickel", "stainless", "phosphor_bronze", "bronze", "silver_copper"]

CONSTRUCTIONS: dict[str, str] = {
    "plain": "plain steel",
    "round_wound": "round wound",
    "half_round": "half-round wound",
    "flat_wound": "flat wound",
    "nylon": "plain nylon",
    "nylon_wound": "wound on nylon filament",
}
WRAPS: dict[str, str] = {
    "nickel_steel": "nickel-plated steel",
    "pure_nickel": "pure nickel",
    "stainless": "stainless steel",
    "phosphor_bronze": "phosphor bronze",
    "bronze": "bronze",
    "silver_copper": "silvered copper",
}
STEEL, NYLON = 7850.0, 1070.0
E_STEEL, E_NYLON, E_FILAMENT = 200_000.0, 5_000.0, 3_000.0
"""Young's moduli in N/mm²: steel, solid nylon, and the nylon filament of wound nylon strings."""
WRAP_DENSITY: dict[str, float] = {
    "nickel_steel": 7850.0,
    "pure_nickel": 8900.0,
    "stainless": 7900.0,
    "phosphor_bronze": 8800.0,
    "bronze": 8700.0,
    "silver_copper": 9000.0,
}
FILL: dict[str, float] = {
    "round_wound": math.pi / 4,
    "half_round": 0.88,
    "flat_wound": 0.95,
    "nylon_wound": math.pi / 4,
}
CORE_SHARE = 0.40
WOUND = frozenset(FILL)


@dataclass(frozen=True, slots=True)
class StringMake:
    """One string: its note, gauge and how it is made. Lengths mm; `unit_weight` (kg/m), where the packet gives it,
    overrides.
    """

    note: str
    gauge_mm: float
    construction: str = "plain"
    wrap: str = "nickel_steel"
    core_mm: float | None = None
    unit_weight: float | None = None
    hz: float | None = None

    @property
    def wound(self) -> bool:
        """Whether it has a wrap."""
        return self.construction in WOUND

    @property
    def nylon(self) -> bool:
        """Whether its core is nylon."""
        return self.construction in ("nylon", "nylon_wound")

    @property
    def core(self) -> float:
        """Core diameter, mm: the gauge of a plain string, and 0.40 of the gauge of a wound one that names none."""
        if not self.wound:
            return self.gauge_mm
        return CORE_SHARE * self.gauge_mm if self.core_mm is None else self.core_mm

    @property
    def modulus(self) -> float:
        """Young's modulus of what carries the pull, N/mm²."""
        return {"nylon": E_NYLON, "nylon_wound": E_FILAMENT}.get(self.construction, E_STEEL)

    @property
    def bending_n_mm2(self) -> float:
        """Bending stiffness EI of the core, I = πd⁴/64 (a wrap slides on it), N·mm²."""
        return self.modulus * math.pi * self.core**4 / 64

    def pitch_hz(self, a4_hz: float = A4_HZ) -> float:
        """Frequency at pitch; raises ValueError for a note that is none."""
        return self.hz if self.hz is not None else note_hz(self.note, a4_hz)

    def mass(self) -> float:
        """Mass per length, kg/m."""
        if self.unit_weight is not None:
            return self.unit_weight
        core_density = NYLON if self.nylon else STEEL
        core = core_density * math.pi * (self.core / 1000) ** 2 / 4
        if not self.wound:
            return core
        around = math.pi * ((self.gauge_mm / 1000) ** 2 - (self.core / 1000) ** 2) / 4
        return core + WRAP_DENSITY[self.wrap] * FILL[self.construction] * around


def tension_n(mass_kg_per_m: float, scale_mm: float, hz: float) -> float:
    """Tension in newtons of a string at pitch: μ(2Lf)²."""
    return mass_kg_per_m * (2 * scale_mm / 1000 * hz) ** 2


def tensions(strings: Sequence[StringMake], scales_mm: Sequence[float], a4_hz: float = A4_HZ) -> list[float]:
    """Tension of each string at pitch, N; raises ValueError for a note that is none."""
    return [tension_n(one.mass(), scale, one.pitch_hz(a4_hz)) for one, scale in zip(strings, scales_mm, strict=True)]


def relief_per_newton(scale_mm: float, frets_length_mm: float, width_mm: float, depth_mm: float = 21.0) -> float:
    """About how many mm of relief one more newton of string pull bends a neck, its rod left alone.

    A beam bent by the pull's moment, δ = eTℓ²/(8EI) (Euler and Bernoulli), with a rounded section (0.8 of bd³/12),
    hardwood along the grain (11 GPa) and the strings 15 mm above its axis. A first guess to half or double; this neck's
    own readings replace it.
    """
    stiffness = 11_000.0 * 0.8 * width_mm * depth_mm**3 / 12
    return 15.0 * frets_length_mm**2 / (8 * stiffness)


def set_problem(make: StringMake) -> tuple[str, str] | None:
    """The field of a string that cannot be (`gauge`, `core`, `weight`), and why; None for one that can."""
    if not 0.1 <= make.gauge_mm <= 5.0:
        return "gauge", f"a gauge of {make.gauge_mm:g} mm is no string: accepted are 0.1 to 5 mm (0.004 to 0.197 in)"
    if make.core_mm is not None and not make.wound:
        return "core", "a plain string has no core of its own: leave the core empty"
    if make.core_mm is not None and not 0.1 <= make.core_mm < make.gauge_mm:
        return "core", f"a core of {make.core_mm:g} mm does not fit in a gauge of {make.gauge_mm:g} mm"
    if make.unit_weight is not None and not 1e-5 <= make.unit_weight <= 0.2:
        return "weight", f"a unit weight of {make.unit_weight * 1000:g} g/m is no string: accepted are 0.01 to 200 g/m"
    return None


@dataclass(frozen=True, slots=True)
class SetData:
    """A usual set: gauges in thousandths of an inch, string 1 first; `plain` of them are unwound. `core_share` is
    the core's share of a wound gauge: about 0.42 for guitars, 0.24 for basses' heavy wraps, 0.66 under the thin
    wrap of nylon strings. `grams_per_m`, where given, is each string's weight at pitch: nylon stretches by about a
    tenth on its way there and is lighter than its packet's gauge.
    """

    thou: tuple[float, ...]
    plain: tuple[int, ...]
    wrap: str
    construction: str = "round_wound"
    core: str = "plain"
    core_share: float = 0.42
    grams_per_m: tuple[float, ...] = ()


def _first(count: int) -> tuple[int, ...]:
    return tuple(range(count))


SETS: dict[str, SetData] = {
    # the gauges that are usual in the trade; constructions by material only
    "9–42 nickel-plated steel": SetData((9, 11, 16, 24, 32, 42), _first(3), "nickel_steel"),
    "10–46 nickel-plated steel": SetData((10, 13, 17, 26, 36, 46), _first(3), "nickel_steel"),
    "11–49 nickel-plated steel": SetData((11, 14, 18, 28, 38, 49), _first(3), "nickel_steel"),
    "12–52 pure nickel, wound third": SetData((12, 16, 24, 32, 42, 52), _first(2), "pure_nickel"),
    "11–50 flat-wound": SetData((11, 15, 22, 30, 40, 50), _first(2), "stainless", "flat_wound"),
    "13–62 nickel-plated steel": SetData((13, 17, 26, 36, 46, 62), _first(2), "nickel_steel"),
    "10–59 nickel-plated steel": SetData((10, 13, 17, 26, 36, 46, 59), _first(3), "nickel_steel"),
    "11–52 phosphor bronze": SetData((11, 15, 22, 32, 42, 52), _first(2), "phosphor_bronze"),
    "12–53 phosphor bronze": SetData((12, 16, 24, 32, 42, 53), _first(2), "phosphor_bronze"),
    "13–56 bronze": SetData((13, 17, 26, 35, 45, 56), _first(2), "bronze"),
    "10–47 twelve-string phosphor bronze": SetData(
        (10, 10, 14, 14, 8, 23, 12, 30, 18, 39, 27, 47), (0, 1, 2, 3, 4, 6, 8), "phosphor_bronze"
    ),
    "10–32 tenor steel": SetData((10, 14, 22, 32), _first(2), "nickel_steel"),
    "normal-tension nylon": SetData(
        (28, 32.2, 40.3, 29, 35, 43),
        _first(3),
        "silver_copper",
        "nylon_wound",
        "nylon",
        0.66,
        (0.369, 0.524, 0.85, 1.866, 3.28, 5.49),
    ),
    "high-tension nylon": SetData(
        (28.5, 33, 41, 30, 36, 44),
        _first(3),
        "silver_copper",
        "nylon_wound",
        "nylon",
        0.66,
        (0.392, 0.556, 0.9, 1.98, 3.48, 5.82),
    ),
    "45–105 nickel-plated steel": SetData((45, 65, 80, 105), (), "nickel_steel", core_share=0.24),
    "45–100 short-scale flat-wound": SetData((45, 60, 80, 100), (), "stainless", "flat_wound", core_share=0.24),
    "45–130 five-string nickel-plated steel": SetData((45, 65, 80, 105, 130), (), "nickel_steel", core_share=0.24),
}

TUNINGS: dict[str, str] = {
    # as they are read out, the lowest string first
    "standard": "E2 A2 D3 G3 B3 E4",
    "half a step down": "Eb2 Ab2 Db3 Gb3 Bb3 Eb4",
    "a whole step down": "D2 G2 C3 F3 A3 D4",
    "low string dropped": "D2 A2 D3 G3 B3 E4",
    "open G": "D2 G2 D3 G3 B3 D4",
    "open D": "D2 A2 D3 F#3 A3 D4",
    "fourths and a third, tone down each": "D2 A2 D3 G3 A3 D4",
    "baritone in B": "B1 E2 A2 D3 F#3 B3",
    "seven-string": "B1 E2 A2 D3 G3 B3 E4",
    "tenor in fifths": "C3 G3 D4 A4",
    "bass": "E1 A1 D2 G2",
    "bass, low string dropped": "D1 A1 D2 G2",
    "five-string bass": "B0 E1 A1 D2 G2",
    "twelve-string": "E2 E3 A2 A3 D3 D4 G3 G4 B3 B3 E4 E4",
    "twelve-string, a whole step down": "D2 D3 G2 G3 C3 C4 F3 F4 A3 A3 D4 D4",
}


def made_of(data: SetData, notes: Sequence[str]) -> list[StringMake]:
    """A set's strings at the notes of a tuning, string 1 first; raises ValueError when their numbers differ."""
    if len(notes) != len(data.thou):
        raise ValueError(f"this set has {len(data.thou)} strings and this tuning {len(notes)}")
    plain = "nylon" if data.core == "nylon" else "plain"
    makes = []
    for i, (thou, note) in enumerate(zip(data.thou, notes, strict=True)):
        gauge, bare = round(thou * MM_PER_INCH / 1000, 3), i in data.plain
        makes.append(
            StringMake(
                note,
                gauge,
                plain if bare else data.construction,
                data.wrap,
                None if bare else round(gauge * data.core_share, 3),
                data.grams_per_m[i] / 1000 if data.grams_per_m else None,
            )
        )
    return makes


def notes_of(tuning: str) -> list[str]:
    """A tuning's notes, string 1 first: `E2 A2 D3 G3 B3 E4`, the lowest first as it is read out. Raises ValueError for
    a bad note.

    A twelve-string's courses are written with both strings; six notes are doubled by `twelve`.
    """
    notes = tuning.replace(",", " ").split()
    for note in notes:
        note_hz(note)
    return list(reversed(notes))


def twelve(notes: Sequence[str]) -> list[str]:
    """Six notes of a twelve-string as its twelve, string 1 first: the two upper courses in unison, the others with
    the octave.
    """
    found: list[str] = []
    for course, note in enumerate(notes):
        octave = note if course < 2 else f"{note[:-1]}{int(note[-1]) + 1}"
        found += [octave, note]
    return found
