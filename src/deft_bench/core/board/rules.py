"""The user's own rule: its graduations, where they are finer, and how a mark on it is read out."""

from dataclasses import dataclass
from fractions import Fraction

from deft_bench.core.board.positions import RuleStep
from deft_bench.core.units import MM_PER_INCH, UM_PER_INCH, fraction_of_inch

STEPS_MM: dict[str, Fraction] = {
    "1 mm": Fraction(1),
    "1/2 mm": Fraction(1, 2),
    "1/16 in": Fraction(UM_PER_INCH, 16_000),
    "1/32 in": Fraction(UM_PER_INCH, 32_000),
    "1/64 in": Fraction(UM_PER_INCH, 64_000),
    "1/50 in": Fraction(UM_PER_INCH, 50_000),
    "1/100 in": Fraction(UM_PER_INCH, 100_000),
}
READ = {"1": "to the line only", "1/2": "to half a step", "1/5": "to a fifth of a step"}
LONGEST_MM = 2000.0


@dataclass(frozen=True, slots=True)
class Rule:
    """A rule: its `step`, the finer one of its first `fine_to_um` micrometres (empty: none), and how it is read."""

    step: str = "1/2 mm"
    fine: str = ""
    fine_to_um: int = 150_000
    read: str = "1"

    @property
    def graduations(self) -> tuple[RuleStep, ...]:
        """Its graduations from its end on. Raises KeyError for a step that is none."""
        coarse = RuleStep(LONGEST_MM, float(STEPS_MM[self.step]))
        if not self.fine or self.fine_to_um <= 0:
            return (coarse,)
        return RuleStep(min(self.fine_to_um / 1000, LONGEST_MM - 1), float(STEPS_MM[self.fine])), coarse

    @property
    def share(self) -> float:
        """The share of a step that the user reads to."""
        return float(Fraction(self.read))


def mark_words(mark_mm: float, step: str) -> str:
    """A mark as it is found on the rule: in fractions on a binary inch rule, in its own decimals else."""
    size, unit = step.split()
    if unit == "mm":
        return f"{mark_mm:.2f}".rstrip("0").rstrip(".").replace("-", "−") + " mm"
    denominator = Fraction(size).denominator
    if denominator in (16, 32, 64):
        # finer than the rule's own line when it is read between the lines
        return fraction_of_inch(mark_mm * 1000, denominator * 4 if denominator < 64 else 128)
    return f"{mark_mm / MM_PER_INCH:.3f} in".replace("-", "−")
