"""What buzzes, why, and what to try first, in words."""

from collections.abc import Mapping, Sequence
from itertools import pairwise

from deft_bench.core.calls import Call, Instead, Length, Sure, in_mm, listed_words
from deft_bench.core.strings.diagnose import Cause, Diagnosis, Heard

WORTH_SAYING_MM = 0.01
MOST_RAISE_MM = 0.3
"""No action is raised further for the sake of one fret."""
LIKELY = 0.75
"""A cause is called likely from this chance on, and only while it explains every note heard."""
OTHERS, WORTH_NAMING = 3, 0.02
"""How many other causes the call names, and from which chance on."""


def where_heard(heard: Sequence[Heard], name: Mapping[int, str]) -> str:
    """`1 E at 8, 9 and 12; 6 E at 3`: the notes that buzz, string by string."""
    words = []
    for number in sorted({note.string for note in heard if note.buzz}):
        frets = sorted(note.fret for note in heard if note.buzz and note.string == number)
        runs: list[list[int]] = [frets[:1]]
        for before, after in pairwise(frets):
            runs[-1].append(after) if after == before + 1 else runs.append([after])
        shown = [f"{run[0]}–{run[-1]}" if len(run) > 2 else ", ".join(map(str, run)) for run in runs]
        words.append(f"{name.get(number, str(number))} at {', '.join(shown)}".replace(" at 0", " open"))
    return "; ".join(words)


def cause_words(cause: Cause, length: Length, name: Mapping[int, str], rod: bool = True) -> tuple[str, str]:
    """What is wrong and its cheapest cure, in words; `rod` is whether the neck has one."""
    size = length(abs(cause.size))
    which = "every string" if cause.string is None else f"string {name.get(cause.string, cause.string)}"
    turn = "{} the rod by the next step, retune and read again"
    raise_it = (
        f"raise the action {length(cause.evens_mm) if cause.evens_mm >= WORTH_SAYING_MM else 'by its least step'}"
    )
    heavier = (
        f"heavier than taken, about {cause.size:.1f} times" if cause.size >= 1.1 else "a little heavier than taken"
    )
    return {
        "hand": (
            f"The hand is {heavier}",
            f"{raise_it}, or solve for this hand",
        ),
        "relief_low": (
            f"The neck has {size} less relief than it was read with",
            turn.format("loosen") if rod else f"read the relief again; there is no rod, so {raise_it}",
        ),
        "relief_high": (
            f"The neck has {size} more relief than it was read with",
            turn.format("tighten") if rod else f"read the relief again; there is no rod, so {raise_it}",
        ),
        "saddle_low": (f"The saddle stands {size} too low for {which}", f"raise it {size}"),
        "saddle_high": (f"The saddle stands {size} higher than read for {which}", "read the action again"),
        "nut_low": (f"The nut slot of {which} is {size} too low", "shim or fill the slot, or a new nut"),
        "nut_high": (f"The nut slot of {which} is {size} higher than read", "read the first-fret gap again"),
        "fret_proud": (
            f"Fret {cause.fret} is proud or loose by {size}",
            f"where the rocker ticks there, reseat it or spot-level it by {size}; where it does not, "
            + (raise_it if cause.evens_mm <= MOST_RAISE_MM else "read the heights and the action again"),
        ),
        "fret_low": (f"Fret {cause.fret} is low by {size}", f"lift or replace fret {cause.fret}: level nothing to it"),
        "rise_up": (
            f"The frets rise from {cause.fret} on, {size} at the last",
            "level a fall-away from there, after the neck joint is looked at",
        ),
        "run_high": (
            f"Frets {cause.fret} to {cause.to_fret} are left {size} high in their middle",
            "read them with the rocker, then level that run",
        ),
        "run_low": (
            f"Frets {cause.fret} to {cause.to_fret} are cut {size} too low in their middle",
            "read them with the rocker before anything is levelled to them",
        ),
    }[cause.code]


def undoing_words(cause: Cause, length: Length) -> str:
    """`5 minutes, can be taken back` or `60 minutes, 0.34 mm of metal`."""
    takes = f"{cause.minutes} minutes"
    if cause.reversible:
        return f"{takes}, can be taken back"
    return f"{takes}, {length(cause.metal_mm)} of metal" if cause.metal_mm else f"{takes}, cannot be taken back"


def percent(chance: float) -> str:
    """`34 %`."""
    return f"{round(100 * chance)} %" if chance >= 0.01 else "under 1 %"


def buzz_call(
    found: Diagnosis, heard: Sequence[Heard], name: Mapping[int, str], length: Length = in_mm, rod: bool = True
) -> Call:
    """The one sentence of the Buzz page."""
    buzzes = [note for note in heard if note.buzz]
    because = [f"Buzzes heard: {where_heard(heard, name)}." if buzzes else "Nothing that was played buzzes."]
    because.append(f"{len(heard)} notes played; the measured setup explains all but {found.wrong} of them.")
    figures = {"wrong": float(found.wrong), "action_raise_mm": max(found.action_raise_mm.values(), default=0.0)}
    lifts = _raise_instead(found, name, length)
    if not buzzes:
        say = "Nothing buzzes in what was played." if found.fits else "Nothing buzzes: this hand is lighter than taken."
        return Call(say, "clean", figures, tuple(because), (), "likely", None)
    if found.fits:
        say = "The setup as measured explains every buzz: it is too low for this hand. Solve it again."
        return Call(say, "solve", figures, tuple(because), lifts, "likely")
    cure = found.cure
    if cure is None:
        return _none_named(found, heard, figures, because, name, length, lifts)
    leading = found.causes[0]
    what, do = cause_words(cure, length, name, rod)
    because.append(f"{what}: {percent(cure.chance)}; {undoing_words(cure, length)}.")
    figures |= {"chance": cure.chance, "metal_mm": cure.metal_mm, "cost_action_mm": cure.cost_action_mm}
    if leading.unexplained:
        many = len(leading.unexplained)
        because.append(f"Even so {many} heard note{'s are' if many > 1 else ' is'} unexplained.")
    say = f"{what}: {do}."
    if cure is not leading:
        other = cause_words(leading, length, name, rod)[0]
        undone = "it can be taken back" if cure.reversible else "it takes less"
        say = f"First {do}: {undone}. If that is not it: {other[:1].lower()}{other[1:]}."
        because.append(f"{other}: {percent(leading.chance)}; {undoing_words(leading, length)}.")
    others = [one for one in found.causes if one is not cure and one.chance >= WORTH_NAMING][:OTHERS]
    instead = [
        Instead(": ".join(cause_words(one, length, name, rod)), f"{percent(one.chance)}; {undoing_words(one, length)}")
        for one in others
    ]
    sure: Sure = "likely" if cure is leading and leading.chance >= LIKELY and not leading.unexplained else "unsure"
    return Call(say, cure.code, figures, tuple(because), (*instead, *lifts), sure, _next_note(found, name))


def _none_named(
    found: Diagnosis,
    heard: Sequence[Heard],
    figures: dict[str, float],
    because: Sequence[str],
    name: Mapping[int, str],
    length: Length,
    lifts: tuple[Instead, ...],
) -> Call:
    """No cause is named: it buzzes by less than what was read may be off, or nothing explains it."""
    if found.as_read_unexplained:
        again = "play the same notes once more with an even hand, and read relief and action again"
        say = "No one cause explains what was heard: two things are wrong, or a note was marked wrongly."
        return Call(say, "unclear", figures, tuple(because), lifts, "unsure", again)
    rise = max(found.action_raise_mm.values(), default=0.0)
    by = "by its least step" if rise < WORTH_SAYING_MM else length(rise)
    strings = sorted({note.string for note in heard if note.buzz})
    which = "on string" + ("s " if len(strings) > 1 else " ") + listed_words([name.get(n, str(n)) for n in strings])
    do = f"raise the action {by} {which}" if rise <= MOST_RAISE_MM else "read the heights and the action again"
    because = (*because, f"Nothing but readings that are off by their spread: {percent(found.as_read)}.")
    settle = _next_note(found, name) or "the same notes once more, and the heights of the frets"
    say = f"Nothing stands out: it buzzes by less than what was read may be off. {do[:1].upper()}{do[1:]}."
    return Call(say, "within_readings", {**figures, "chance": found.as_read}, because, lifts, "unsure", settle)


def _next_note(found: Diagnosis, name: Mapping[int, str]) -> str | None:
    if found.next_test is None:
        return None
    string, fret = found.next_test
    return f"play string {name.get(string, string)} {'open' if fret == 0 else f'at fret {fret}'} and listen"


def _raise_instead(found: Diagnosis, name: Mapping[int, str], length: Length) -> tuple[Instead, ...]:
    """Raising the action until nothing heard buzzes, where that takes something."""
    string, raise_mm = max(found.action_raise_mm.items(), key=lambda one: one[1], default=(1, 0.0))
    if raise_mm < WORTH_SAYING_MM:
        return ()
    cost = f"at least {length(raise_mm)} more over fret 12 on string {name.get(string, string)}"
    return (Instead("Raise the action until nothing heard buzzes", cost),)
