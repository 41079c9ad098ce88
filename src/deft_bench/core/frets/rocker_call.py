"""The judgement on a rocker survey: what explains it, what to do, and the test that would settle it."""

from collections.abc import Mapping, Sequence

from deft_bench.core.calls import Call, Instead, Length, Sure, frets_named, in_mm, listed_words
from deft_bench.core.frets.heights import LANES, Heights, deviations
from deft_bench.core.frets.rocker import Explanation, RockerLane, Triple, triples


def rocker_call(lanes: Mapping[str, RockerLane], taken: Mapping[str, int], frets: int, length: Length = in_mm) -> Call:
    """One sentence on all lanes read; `taken` counts the tests in each. Raises ValueError when nothing was tested."""
    if not lanes:
        raise ValueError("no triple is tested yet")
    every = len(triples(frets))
    because = [
        f"{lane}: {taken[lane]} of {every} triples tested, {len(found.rocking)} rock"
        + (f" (middle frets {', '.join(map(str, found.rocking))})" if 0 < len(found.rocking) <= 8 else "")
        + "."
        for lane, found in lanes.items()
    ]
    retake = [(lane, triple) for lane, found in lanes.items() for triple in found.contradictions]
    if retake:
        where = listed_words([f"{_triple(triple)} {lane}" for lane, triple in retake[:4]])
        return Call(
            f"Test {where} again: both answers are there.",
            "retake",
            {"contradictions": float(len(retake))},
            tuple(because),
            (),
            "unsure",
            where,
        )
    return _not_local(lanes, because) or _local(lanes, taken, frets, every, because, length)


def _not_local(lanes: Mapping[str, RockerLane], because: list[str]) -> Call | None:
    """The call where a lane rocks nearly everywhere: no list of frets explains that."""
    everywhere = [lane for lane, found in lanes.items() if found.kind == "not_local"]
    if not everywhere:
        return None
    return Call(
        f"It rocks nearly everywhere in the {listed_words(everywhere)}: check the seating and the straightness first.",
        "check_seating",
        {"lanes": float(len(everywhere))},
        tuple(because),
        (Instead("Reseat what is loose, straighten, test again", "no metal"),),
        "likely",
        "A feeler under the crowns, and a straightedge along the board.",
    )


def _local(
    lanes: Mapping[str, RockerLane],
    taken: Mapping[str, int],
    frets: int,
    every: int,
    because: list[str],
    length: Length,
) -> Call:
    """The call where a few displaced frets explain every test, or nothing rocks."""
    missing = {lane: every - taken[lane] for lane in lanes if taken[lane] < every}
    # an explanation is never certain by the rocker alone: it tells rocks, not heights
    sure: Sure = "unsure" if missing or len(lanes) < len(LANES) else "likely"
    not_there = _plan_not_there(lanes, because)
    if not_there is not None:
        return not_there
    if not any(found.rocking for found in lanes.values()):
        if missing:
            because.append("Not every triple is tested.")
        return Call(
            "Nothing rocks.", "none", {"rocking": 0.0}, tuple(because), (), sure, _first_missing(lanes, taken, frets)
        )
    for lane, found in lanes.items():
        for explanation in found.explanations[:3]:
            if explanation.signed:
                because.append(f"{lane}: {_said(explanation, length)} would explain every test.")
    if any(len(found.explanations) > 1 for found in lanes.values()):
        sure = "unsure"
    settle = next(
        (f"Test {_triple(found.next_test)} in the {lane} lane." for lane, found in lanes.items() if found.next_test),
        None,
    )
    return _lift_or_seat(lanes, because, sure, settle)


def _plan_not_there(lanes: Mapping[str, RockerLane], because: list[str]) -> Call | None:
    """The call where nothing rocks although the planned shape should; beside other rocks it is said in `because`."""
    against = [(lane, triple) for lane, found in lanes.items() for triple in found.against_plan]
    if not against:
        return None
    where = listed_words([f"{_triple(triple)} {lane}" for lane, triple in against[:4]])
    because.append(f"{where} should rock by the planned shape, and sits flat.")
    if any(found.rocking for found in lanes.values()):
        return None
    say = f"The planned fall-away is not there: {where} sits flat where its knee should rock."
    figures = {"against_plan": float(len(against))}
    return Call(say, "read_heights", figures, tuple(because), (), "likely", "Read the heights about the knee.")


def _lift_or_seat(lanes: Mapping[str, RockerLane], because: list[str], sure: Sure, settle: str | None) -> Call:
    """Lift what is low; of what is proud the seating is looked at first."""
    best = {lane: found.explanations[0] for lane, found in lanes.items() if found.explanations}
    low, proud = _by_fret(best, "low"), _by_fret(best, "proud")
    figures = {"low": float(len(low)), "proud": float(len(proud))}
    if low:
        where = listed_words(sorted({lane for lanes_low in low.values() for lane in lanes_low}, key=LANES.index))
        say = f"Lift {frets_named(sorted(low))}: low in the {where}{_worst(best, 'low')}. Leave the neighbours alone."
        if proud:
            say += f" Then check the seating of {frets_named(sorted(proud))}: proud."
        instead = (Instead("Level the frets that rock", "metal off good frets for one that is low"),)
        return Call(say, "lift", figures, tuple(because), instead, sure, settle)
    say = f"Check the seating of {frets_named(sorted(proud))}{_worst(best, 'proud')}, then take only what stands proud."
    return Call(
        say, "spot_level", figures, tuple(because), (Instead("Level the whole board", "more metal"),), sure, settle
    )


def _worst(best: Mapping[str, Explanation], which: str) -> str:
    """Which of several low (or proud) frets is off the most, by the least that the tests ask for; empty in a tie."""
    off: dict[int, float] = {}
    for found in best.values():
        for fret, mm in getattr(found, which).items():
            off[fret] = max(off.get(fret, 0.0), mm)
    ranked = sorted(off, key=lambda fret: -off[fret])
    if len(ranked) < 2 or off[ranked[0]] - off[ranked[1]] < 1e-6:
        return ""
    return f", fret {ranked[0]} the most"


def _by_fret(best: Mapping[str, Explanation], which: str) -> dict[int, list[str]]:
    found: dict[int, list[str]] = {}
    for lane, explanation in best.items():
        for fret in getattr(explanation, which):
            found.setdefault(fret, []).append(lane)
    return found


def _said(explanation: Explanation, length: Length) -> str:
    parts = [f"fret {fret} low by {length(mm)} or more" for fret, mm in sorted(explanation.low.items())]
    parts += [f"fret {fret} proud by {length(mm)} or more" for fret, mm in sorted(explanation.proud.items())]
    return listed_words(parts)


def _triple(triple: Triple) -> str:
    return "–".join(map(str, triple))


def _first_missing(lanes: Mapping[str, RockerLane], taken: Mapping[str, int], frets: int) -> str | None:
    lane = next((lane for lane in lanes if taken[lane] < len(triples(frets))), None)
    if lane is not None:
        return f"The rest of the {lane} lane."
    absent = [lane for lane in LANES if lane not in lanes]
    return f"The {absent[0]} lane." if absent else None


def disagreements(
    lanes: Mapping[str, RockerLane], positions_mm: Sequence[float], heights: Mapping[str, Heights], tolerance_mm: float
) -> list[tuple[str, int, str]]:
    """(lane, fret, words) wherever a height survey of the same neck does not show what the rocker is sure of."""
    found = []
    for lane, seen in lanes.items():
        if lane not in heights:
            continue
        off = deviations(positions_mm, heights[lane])
        for fret, sign in sorted(seen.sure):
            mm = off[fret - 1]
            if mm is not None and mm * sign < tolerance_mm / 2:
                said = "low" if sign < 0 else "proud"
                found.append((lane, fret, f"the rocker says {said}, the heights do not"))
    return found
