"""The one sentence of the Neck screen: the next turn toward what is wanted, or why the rod is left alone."""

from collections.abc import Sequence
from fractions import Fraction

from deft_bench.core.calls import Call, Instead, Length, Sure, in_mm
from deft_bench.core.limits import LONG_BASS_RELIEF_MM, RELIEF_FOR_HAND_MM, RELIEF_WITHIN_MM, STRAIGHT_MM
from deft_bench.core.neck.straightness import Straightness, is_straight
from deft_bench.core.neck.truss_rod import DOUBTFUL, SETTLE, WRONG_WAY, Rod, RodAdvice, Turn


def relief_target(hand: str, kind: str) -> float:
    """Relief wanted for playing, mm (docs/methods/tolerances.md); the solved setup replaces it."""
    return LONG_BASS_RELIEF_MM if kind == "long_bass" else RELIEF_FOR_HAND_MM.get(hand, RELIEF_FOR_HAND_MM["medium"])


def turn_words(turns: float) -> str:
    """`a quarter turn`, `an eighth of a turn`, `3/8 of a turn`."""
    size = Fraction(abs(turns)).limit_denominator(64)
    named = {
        Fraction(1, 4): "a quarter turn",
        Fraction(1, 8): "an eighth of a turn",
        Fraction(1, 2): "half a turn",
        Fraction(1): "a whole turn",
    }
    return named.get(size, f"{size} of a turn")


def next_turn_words(advice: RodAdvice) -> str:
    """What the rod is asked for next, as the Level screen says it beside its own sentence."""
    if advice.turn == "stop":
        return advice.warnings[0]
    if advice.turn == "none":
        return "a touch of the rod, under an eighth of a turn, then settle and read again"
    return f"{advice.turn} {turn_words(advice.next_turn)}, then settle and read again"


def _rod_answers(advice: RodAdvice, turns: int, length: Length) -> list[str]:
    """What is known of this rod's answer to a turn, and how many turns are expected."""
    rate = f"{length(advice.mm_per_turn)} a turn, give or take {length(advice.mm_per_turn_sd)}."
    said = [
        f"{turns} recorded turn{'s' if turns > 1 else ''}: this rod gives {rate}"
        if turns
        else f"No turn of this rod is recorded yet: taken as {rate}"
    ]
    if advice.total_turns is not None and advice.next_turn:
        in_all = turn_words(round(advice.total_turns * 8) / 8 or 0.125).capitalize()
        said.append(f"{in_all} in all is expected; never more than one step at a time.")
    return said


def _no_turn(relief_mm: float, target_mm: float, aim: str, wanted: str, length: Length) -> str:
    off = abs(relief_mm - target_mm)
    if aim == "fretwork" and not is_straight(off):
        return f"A touch more, under an eighth of a turn: {length(off)} is still outside ±{length(STRAIGHT_MM)}."
    if off <= RELIEF_WITHIN_MM + 1e-9:
        return f"Leave the rod: {length(relief_mm)} is within {length(RELIEF_WITHIN_MM)} of {wanted}."
    return f"Leave the rod: less than an eighth of a turn is wanted for {wanted}."


def rod_call(
    found: Straightness,
    target_mm: float,
    aim: str,
    rod: Rod,
    advice: RodAdvice,
    turns: Sequence[Turn],
    length: Length = in_mm,
    *,
    passed_over: str = "",
) -> Call:
    """What to do with the rod. `aim` is `fretwork` (straight) or `playing` (the relief wanted).

    For fretwork the rod is left alone once the straight gate passes, or is `passed_over` with a reason: the same gate
    as on Level.
    """
    surface = "the board" if found.surface == "board" else "the fret tops"
    because = [
        f"{found.readings} readings on {surface}: {length(found.relief_mm)} of bow, greatest at fret {found.at_fret}."
    ]
    wanted = "straight" if aim == "fretwork" else f"{length(target_mm)} of relief"
    because += _rod_answers(advice, len(turns), length)
    figures = {"relief_mm": found.relief_mm, "target_mm": target_mm, "next_turn": advice.next_turn}
    sure: Sure = "likely" if turns or advice.turn == "none" else "unsure"
    neck_work = Instead(
        "Refer for neck work: heat, a compression refret, or planing the board", "frets or board come out"
    )
    if aim == "fretwork" and (passed_over or found.frets_can_be_judged):
        say = (
            f"Leave the rod: the neck is levelled as it lies, “{passed_over}”."
            if passed_over
            else (
                f"Leave the rod: {length(found.relief_mm)} of bow is straight enough for fretwork, within"
                f" ±{length(STRAIGHT_MM)}."
            )
        )
        return Call(say, "none", figures, tuple(because), (), sure, None)
    if found.kind == "s-bend":
        return Call(
            "This neck bends two ways: leave the rod alone.",
            "board_work",
            figures,
            tuple(because),
            (neck_work,),
            "likely",
            None,
        )
    if advice.turn == "stop":
        again = WRONG_WAY in advice.warnings
        other = () if again else (neck_work,)
        settle = "Read the straightness again." if again else None
        say = f"Leave the rod. {advice.warnings[0]}"
        return Call(say, "stop", figures, tuple(because), other, "unsure" if again else "likely", settle)
    if advice.turn == "none":
        say = _no_turn(found.relief_mm, target_mm, aim, wanted, length)
        return Call(say, "none", figures, tuple(because), (), sure, None)
    settle = (
        DOUBTFUL
        if DOUBTFUL in advice.warnings
        else (
            SETTLE
            if found.surface == "fret_tops"
            else "Let it settle, and read again on the wood before the next turn."
        )
    )
    say = f"{advice.turn.capitalize()} {turn_words(advice.next_turn)} toward {wanted}. {settle}"
    return Call(
        say,
        advice.turn,
        figures,
        tuple(because),
        (Instead("Leave it as it is", f"{length(abs(found.relief_mm - target_mm))} from {wanted}"),),
        sure,
        settle,
    )
