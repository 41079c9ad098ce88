"""The drift of a gauge that reads against the first place of a lane: found by reading that again, and taken out."""

from collections.abc import Sequence

NONE_STEPS, MOST_STEPS = 2, 10
"""Up to so many steps of its resolution there is none; past so many the lane is refused."""


class DriftError(ValueError):
    """The gauge drifted too far for its readings to be mended; the message says how far."""


def without_drift(
    read: Sequence[tuple[float, float]], again: tuple[float, float], resolution_mm: float
) -> list[float] | None:
    """A lane's readings without the drift that shows when its first place is read again; None where there is none.

    `read` holds (seconds, mm) in order, the first of them the reference, `again` the same of its first place at the
    end. The drift is taken to have grown evenly with time: a reading at t loses d·(t − t₀)/(t₁ − t₀). Raises
    DriftError where it is past ten steps of the resolution.
    """
    start, reference = read[0]
    drift, lasted = again[1] - reference, again[0] - start
    steps = abs(drift) / resolution_mm
    if steps <= NONE_STEPS + 1e-9:
        return None
    if steps > MOST_STEPS + 1e-9 or lasted <= 0:
        raise DriftError(f"it drifted by {abs(drift):.3f} mm over the lane: look at its foot and its clamp")
    return [mm - reference - drift * (at - start) / lasted for at, mm in read]
