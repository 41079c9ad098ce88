"""Strings and tuning: tension of each and all, and what a change would do to the neck."""

from collections.abc import Sequence
from dataclasses import dataclass

from deft_bench.core.board.positions import fret_position
from deft_bench.core.instrument import Spec
from deft_bench.core.strings.setup_plan import SetupPlan, pulls, saddle_starts
from deft_bench.core.strings.string_set import relief_per_newton


@dataclass(frozen=True, slots=True)
class StringsFindings:
    """Tensions in N by string, treble first, of the set that is tried and of the one saved; `courses` of a
    twelve-string pair by pair; `relief_change` in mm; `assumed` are wound strings whose core is not known; `starts`
    how far behind its scale each saddle starts, mm.
    """

    tried: SetupPlan
    tensions: Sequence[float]
    tensions_before: Sequence[float]
    relief_change: float
    courses: list[float]
    assumed: list[int]
    starts: list[float | None]

    @property
    def total(self) -> float:
        """The pull of the whole set."""
        return sum(self.tensions)

    @property
    def change(self) -> float:
        """How much more it pulls than the set saved."""
        return self.total - sum(self.tensions_before)


def strings_findings(spec: Spec, plan: SetupPlan, tried: SetupPlan) -> StringsFindings:
    """What a set does on an instrument, beside the set saved."""
    before, after = pulls(plan, spec), pulls(tried, spec)
    reach = fret_position(spec.mean_scale_mm, spec.frets)
    per = relief_per_newton(spec.mean_scale_mm, reach, (spec.nut_width_um + spec.last_fret_width_um) / 2000)
    return StringsFindings(
        tried,
        after,
        before,
        per * (sum(after) - sum(before)),
        [after[i] + after[i + 1] for i in range(0, 12, 2)] if spec.strings == 12 else [],
        [
            number
            for number, string in enumerate(tried.strings, start=1)
            if string.wound and string.core_mm is None and string.unit_weight is None
        ],
        saddle_starts(tried, spec),
    )
