"""What a shop has chosen: read once from its stored texts, and handed down to whatever needs it."""

from collections.abc import Mapping
from dataclasses import dataclass, fields
from typing import Literal

from deft_bench.core.board.rules import Rule
from deft_bench.core.frets.grit_ladder import Abrasive, read_shelf
from deft_bench.core.frets.levelling import least_height
from deft_bench.core.strings.customary import StringKind
from deft_bench.core.strings.presets import PRESETS, Preset
from deft_bench.core.survey_kinds import Order
from deft_bench.core.units import Display, System
from deft_bench.core.work.estimate import price_list

PRESET_LENGTHS = 3
PRICES = """fret wire 0.45
low-tack tape 0.30
levelling paper 0.80
strings 9.50
P120 paper 2.40
P240 paper 2.40
P600 paper 0.70
P1000 paper 0.70
P2000 paper 0.80
cushioned pad, 4000 1.90
cleaning spirit 0.01
board oil 0.06
wood glue 0.02
thin adhesive 0.30
epoxy 0.15
binding strip 6
binding cement 0.20
lacquer 0.05
sealer 0.04
iron solution 0.02
tannin 0.15
nut blank 4.50
saddle blank 5
side-marker rod 8"""
"""A price for whatever the shipped operations use up, until the shop enters its own."""


def _preset(kind: StringKind) -> tuple[int, ...]:
    """A kind's preset as it is stored: relief, treble and bass action, whole µm."""
    starts = PRESETS[kind]
    return tuple(round(1000 * mm) for mm in (starts.relief_mm, starts.treble_mm, starts.bass_mm))


@dataclass(frozen=True, slots=True)
class ShopSettings:
    """A shop's settings. Lengths are whole micrometres; `inches` is the denominator of fractions, None for decimals.

    `hundredths` says that small readings are typed without a point: 14 is 0.14 mm (or 14 thou). `least_height_um` None
    stands for the usual share of the wire's new height. `rule_fine` is empty on a rule of one graduation. Presets are
    relief, treble and bass action by kind of strings. `lamp` says whether screens are light, dark, or as the device has
    them; `letter_keys` whether single letters act; `keypad` and `hand` when a pad stands under a survey's entry, and
    for which thumb; `tones` and `spoken` what is heard while reading. The week is planned
    for `plan_seconds` at most. A backup is made every `backup_days` (0: none) in
    `backup_folder` (empty: beside the database), and `backups_kept` of them stay. `demo` marks a bench of made-up data,
    which may be replaced by a fresh one.
    """

    system: System = "mm"
    inches: int | None = 64
    nut_side: Literal["left", "right"] = "left"
    reading_order: Order = "lane_by_lane"
    rock_um: int = 20
    least_height_um: int | None = None
    polish_loss_um: int = 10
    rule_step: str = "1/2 mm"
    rule_fine: str = ""
    rule_fine_to_um: int = 150_000
    rule_read: str = "1"
    mask: str = "before_level"
    currency: str = "EUR"
    rate_per_hour: float = 48.0
    tax_percent: float = 0.0
    dry_below: float = 40.0
    damp_above: float = 60.0
    prices: str = PRICES
    nut_files_um: tuple[int, ...] = (250, 330, 430, 560, 660, 810, 910, 1070, 1170, 1420, 1800, 2100, 2500)
    feelers_um: tuple[int, ...] = (50, 80, 100, 150, 200, 250, 300, 400, 500, 600, 800, 1000)
    hundredths: Literal["no", "yes"] = "no"
    learned_from: str = ""
    lamp: Literal["system", "on", "off"] = "system"
    letter_keys: Literal["yes", "no"] = "yes"
    keypad: Literal["touch", "always", "never"] = "touch"
    hand: Literal["right", "left"] = "right"
    tones: Literal["no", "yes"] = "no"
    spoken: Literal["no", "yes"] = "no"
    abrasives: str = (
        "fepa_p 400, fepa_p 600, fepa_p 800, fepa_p 1000, fepa_p 1500, fepa_p 2000, pad 2000, pad 4000, pad 6000,"
        " compound 1"
    )
    preset_electric_um: tuple[int, ...] = _preset("electric")
    preset_acoustic_um: tuple[int, ...] = _preset("acoustic")
    preset_nylon_um: tuple[int, ...] = _preset("nylon")
    preset_bass_um: tuple[int, ...] = _preset("bass")
    plan_seconds: int = 3
    backup_days: int = 1
    backups_kept: int = 30
    backup_folder: str = ""
    demo: bool = False

    @property
    def display(self) -> Display:
        """How lengths are written."""
        return Display(self.system, self.inches)

    @property
    def rock_mm(self) -> float:
        """The least gap that counts as a rock, mm: to the call, the gates and the drawings alike."""
        return self.rock_um / 1000

    @property
    def polish_loss_mm(self) -> float:
        """What polishing takes off a fret, mm."""
        return self.polish_loss_um / 1000

    def least_kept_mm(self, new_height_mm: float) -> float:
        """The least fret height worth keeping, mm: the shop's own, or the usual share of the wire's new height."""
        return least_height(new_height_mm) if self.least_height_um is None else self.least_height_um / 1000

    @property
    def turned(self) -> bool:
        """Whether the nut lies at the right on the mat."""
        return self.nut_side == "right"

    @property
    def rule(self) -> Rule:
        """The shop's own rule, with which a board starts."""
        return Rule(self.rule_step, self.rule_fine, self.rule_fine_to_um, self.rule_read)

    @property
    def price_of(self) -> dict[str, float]:
        """Prices of materials by name."""
        return price_list(self.prices)

    def preset(self, kind: StringKind) -> Preset:
        """What the shop sets by custom for a kind of strings."""
        stored: tuple[int, ...] = getattr(self, f"preset_{kind}_um")
        relief, treble, bass = (um / 1000 for um in (stored if len(stored) == PRESET_LENGTHS else _preset(kind)))
        return Preset(relief, treble, bass)

    def shelf(self) -> list[Abrasive]:
        """The abrasives on hand; raises ValueError naming what cannot be meant."""
        return list(read_shelf(self.abrasives))


NAMES = tuple(field.name for field in fields(ShopSettings))


def to_text(settings: ShopSettings) -> dict[str, str]:
    """Every setting as it is stored, by name."""
    return {name: _text(getattr(settings, name)) for name in NAMES} | {"inches": str(settings.inches or "decimal")}


def from_text(stored: Mapping[str, str]) -> ShopSettings:
    """Settings from stored texts; what is not there, or can no longer be meant, is as a shop begins with."""
    found: dict[str, object] = {}
    start = ShopSettings()
    for name in NAMES:
        if name in stored:
            try:
                found[name] = _read(name, stored[name], getattr(start, name))
            except ValueError:
                continue
    return ShopSettings(**found)  # type: ignore[arg-type]


def _text(value: object) -> str:
    if isinstance(value, bool):
        return "1" if value else ""
    if isinstance(value, tuple):
        return "; ".join(map(str, value))
    return "" if value is None else f"{value:g}" if isinstance(value, float) else str(value)


def _read(name: str, text: str, start: object) -> object:
    if name == "inches":
        return int(text) if text.isdigit() else None
    if name == "least_height_um":
        return int(text) if text else None
    if isinstance(start, bool):
        return bool(text)
    if isinstance(start, tuple):
        return tuple(int(part) for part in text.split(";") if part.strip())
    if isinstance(start, (int, float)):
        return type(start)(text)
    return text
