"""The user's own rule: its graduations, where they are finer, and how a mark on it is read out."""

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


def rule_of(step: str, fine: str = "", fine_to_mm: float = 0.0) -> tuple[RuleStep, ...]:
    """The rule's graduations; with `fine` the first `fine_to_mm` are finer. Raises KeyError for a step that is none."""
    coarse = RuleStep(LONGEST_MM, float(STEPS_MM[step]))
    if not fine or fine_to_mm <= 0:
        return (coarse,)
    return RuleStep(min(fine_to_mm, LONGEST_MM - 1), float(STEPS_MM[fine])), coarse


def read_share(read: str) -> float:
    """The share of a step that the user reads to."""
    return float(Fraction(read))


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
