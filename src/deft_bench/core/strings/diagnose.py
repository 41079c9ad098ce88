"""What buzzes and why, by likelihood: how well each single cause explains every note heard, buzzing or clean.

A note buzzes with probability Φ(−m/σ), m its least room and σ what ear and model leave open of it. Beside each cause
all that was read may be off by its own spread; the likeliest errors are found together with the cause's size, and
Laplace's approximation says how much of what was possible beforehand fits as well. The causes share out the whole. The
cure to try is the one with the greatest chance for its cost: of things tried one after another until one helps, that
order costs least on average (W. E. Smith, Various optimizers for single-stage production, 1956, the ratio rule).

Derived in docs/methods/diagnose.md.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from deft_bench.core.strings.buzz_causes import (
    NOT_UNDONE_MINUTES,
    SHARES,
    UNDOING,
    ReadSd,
    Suspect,
    by_tops,
    cost_action_mm,
    metal_mm,
    suspects,
)
from deft_bench.core.strings.clearance import OverString, Strung, clearance, geometry
from deft_bench.core.strings.frame import Array, StringFrame
from deft_bench.core.strings.stroke import MEDIUM_STROKE, Stroke

WIDE = (8.0, 4.0, 2.0, 1.0)
"""The spread of every note against its own while the likeliest size is sought: first so wide that every note has a say
in which way to go.
"""
ROUNDS = 5
"""Newton's steps at each of them."""
LEAST_SIZE_MM = 0.015
LEAST_CAUSE_MM = 0.02
"""A cause that is likeliest when it is hardly there explains nothing: it is not listed."""
ODD = 0.01
"""How many notes are marked wrongly, or buzz for a reason of their own."""
HEARD_MM = 0.02
"""How far into or over a fret a string must come before a buzz is heard or not: what the ear and the model leave open.
"""
STIFF_MM = 0.03
"""How much further than the ideal string a stiff one reaches, one string against another."""
STROKE_SHARE, FINGER_SHARE = 0.15, 0.08
"""How evenly one hand plucks, as a share of its force: one string stroke by stroke, and string against string."""
UNLIKELY = 0.2
"""A note whose outcome a cause gives less than this is not explained by it."""
WORTH_TRYING = 0.15
"""A cure is tried first only where its cause has at least this chance."""
LEADING = 40
"""Causes that are asked which note would tell most: the others have no weight."""
WORTH_HEARING = 0.02
"""Another note is asked for where it adds so much to the leading chance."""


@dataclass(frozen=True, slots=True)
class Heard:
    """One played note: string and the fret it was fretted at (0 open), and whether it buzzed."""

    string: int
    fret: int
    buzz: bool


@dataclass(frozen=True, slots=True)
class Cause:
    """One explanation. `kind` hand|relief|saddle|nut|fret|rise|run; `string` None for all, `fret` (to `to_fret`) where
    it is; `size` in mm, up and forward positive; of a hand, its force against the one taken.

    `chance` of all causes' 1; `unexplained` notes (string, fret); `metal_mm` is what its cure takes off,
    `cost_action_mm` what the cure adds to the action, `evens_mm` the rise of the action that clears every heard buzz.
    """

    kind: str
    size: float
    chance: float
    unexplained: tuple[tuple[int, int], ...]
    metal_mm: float
    cost_action_mm: float
    evens_mm: float
    hand: float = 1.0
    string: int | None = None
    fret: int | None = None
    to_fret: int | None = None

    @property
    def code(self) -> str:
        """A short name: `fret_proud`, `relief_low`, …"""
        if self.kind == "hand":
            return "hand"
        ends = {"fret": ("proud", "low"), "rise": ("up", "up")}.get(self.kind, ("high", "low"))
        return f"{self.kind}_{ends[self.size < 0]}"

    @property
    def minutes(self) -> int:
        """About how long its cure takes."""
        return UNDOING[self.code].minutes

    @property
    def reversible(self) -> bool:
        """Whether its cure can be taken back."""
        return UNDOING[self.code].reversible

    @property
    def cost(self) -> float:
        """Minutes that its cure counts as."""
        return self.minutes + (0 if self.reversible else NOT_UNDONE_MINUTES)


@dataclass(frozen=True, slots=True)
class Diagnosis:
    """What was heard against the model: whether it fits, each string's hand, causes by chance, and what would tell
    most.

    `hand` is (floor, ceiling) in N by string, an end None where nothing bounds it, and None where they contradict each
    other. `wrong` counts notes that the setup as read says otherwise of; `action_raise_mm` by string clears every buzz
    heard under the leading cause. `as_read` is the chance that none of them is there: that readings which are off by
    their spread are all that is wrong; `as_read_unexplained` notes (string, fret) are then
    likelier to be marked wrongly.
    """

    strung: tuple[Strung, ...]
    predicted: dict[tuple[int, int], bool]
    fits: bool
    wrong: int
    hand: dict[int, tuple[float | None, float | None] | None]
    causes: tuple[Cause, ...]
    as_read: float
    as_read_unexplained: tuple[tuple[int, int], ...]
    next_test: tuple[int, int] | None
    action_raise_mm: dict[int, float]

    @property
    def cure(self) -> Cause | None:
        """The cause whose cure is tried first; None without any, and where it is likelier that there is none."""
        if self.causes and self.as_read > self.causes[0].chance:
            return None
        worth = [one for one in self.causes if one.chance >= WORTH_TRYING] or list(self.causes[:1])
        return max(worth, key=lambda one: one.chance / one.cost, default=None)


@dataclass(frozen=True, slots=True)
class _Notes:
    """Notes of the neck, [notes][over N]: static room (infinite where the string is held down), swing of the hand as
    taken, what a mm of relief, of action and of height where the string starts would add, and σ of the least room,
    [notes]; `starts` is the fret that each is held at, 0 open.
    """

    places: Sequence[tuple[int, int]]
    room: Array
    swing: Array
    by_relief: Array
    by_action: Array
    by_start: Array
    spread: Array
    starts: NDArray[np.intp]

    def only(self, which: Sequence[int]) -> "_Notes":
        """Some of them."""
        at = list(which)
        return _Notes(
            [self.places[i] for i in at],
            self.room[at],
            self.swing[at],
            self.by_relief[at],
            self.by_action[at],
            self.by_start[at],
            self.spread[at],
            self.starts[at],
        )


@dataclass(frozen=True, slots=True)
class _Weighed:
    """A cause (None: the hand alone) with its weight, at its likeliest size; `room` is every note's room over every
    fret then, [notes][over N], with hand, relief and action as likely read, and `hand` the force against the one taken.
    """

    suspect: Suspect | None
    size: float
    hand: float
    weight: float
    room: Array


def diagnose(
    frame: StringFrame,
    strings: Sequence[OverString],
    heard: Sequence[Heard],
    stroke: Stroke = MEDIUM_STROKE,
    read_sd: ReadSd | None = None,
) -> Diagnosis:
    """Explain what was heard. Raises ValueError for a note that is not on this neck, or one heard both ways."""
    by_number = {string.string: string for string in strings}
    answers: dict[tuple[int, int], bool] = {}
    for note in heard:
        if note.string not in by_number or not 0 <= note.fret < frame.frets:
            raise ValueError(f"string {note.string} at fret {note.fret} is not on this neck")
        if answers.setdefault((note.string, note.fret), note.buzz) != note.buzz:
            raise ValueError(f"string {note.string} at fret {note.fret} is marked both ways")
    strung = clearance(frame, strings, stroke)
    predicted = {
        (string.string, f): bool(np.nanmin(string.margin[f]) < 0) for string in strung for f in range(frame.frets)
    }
    wrong = sum(predicted[note] != buzz for note, buzz in answers.items())
    every = _notes(frame, strings, strung, stroke, read_sd or ReadSd())
    weighed, nothing = _weigh(frame, strings, every, answers, stroke, read_sd or ReadSd()) if wrong else ([], [])
    total = sum(one.weight for one in (*weighed, *nothing)) or 1.0
    causes = [_cause(frame, one, every, answers, one.weight / total, stroke) for one in weighed]
    return Diagnosis(
        tuple(strung),
        predicted,
        wrong == 0,
        wrong,
        _hands(strung, answers),
        tuple(causes),
        sum(one.weight for one in nothing) / total,
        _unexplained(nothing[0], every, answers, ODD) if nothing else (),
        _next_test(weighed, total, every, answers),
        _raises(frame, _likeliest_room(weighed, nothing, every), every, answers, stroke),
    )


def _likeliest_room(weighed: Sequence[_Weighed], nothing: Sequence[_Weighed], every: _Notes) -> Array:
    """Every note's room under the leading cause, or with readings off by their spread where that is likelier."""
    hardly, led = sum(one.weight for one in nothing), weighed[0].weight if weighed else 0.0
    leads = nothing if hardly > led else weighed
    return leads[0].room if leads else np.asarray(every.room - every.swing, dtype=float)


def _notes(
    frame: StringFrame, strings: Sequence[OverString], strung: Sequence[Strung], stroke: Stroke, read_sd: ReadSd
) -> _Notes:
    share, _ = geometry(frame.scale_mm, frame.frets, stroke)
    down = np.isnan(share)
    along, by_relief = np.where(down, 0.0, share), np.nan_to_num(by_tops(share, frame.unit_bow()))
    places, rooms, swings, spreads = [], [], [], []
    for one, found in zip(strings, strung, strict=True):
        swing = np.where(down, 0.0, one.pluck_n * found.per_newton)
        # the slot's height counts where the string is open; a fret's is sought beside every cause
        variance = HEARD_MM**2 + (STROKE_SHARE * swing) ** 2
        variance[0] += (2 * read_sd.nut_mm * (1 - along[0])) ** 2
        places += [(one.string, f) for f in range(frame.frets)]
        rooms.append(np.where(down, np.inf, found.static))
        swings.append(swing)
        spreads.append(np.sqrt(variance[np.arange(frame.frets), np.nanargmin(found.margin, axis=1)]))
    many = (len(strings), 1)
    # the action is half of what the saddle rises
    return _Notes(
        places,
        np.vstack(rooms),
        np.vstack(swings),
        np.tile(by_relief, many),
        np.tile(2 * along, many),
        np.tile(np.where(down, 0.0, 1 - along), many),
        np.concatenate(spreads),
        np.tile(np.arange(frame.frets), len(strings)),
    )


def _slopes(notes: _Notes, one: Suspect | None) -> Array:
    """A cause's slopes at each note, [notes][over N]; 0 where the string is held down, and for the hand alone."""
    if one is None:
        return np.zeros_like(notes.swing)
    return np.asarray(np.nan_to_num(np.array([one.slopes[number][f] for number, f in notes.places])), dtype=float)


def _weigh(
    frame: StringFrame,
    strings: Sequence[OverString],
    every: _Notes,
    answers: Mapping[tuple[int, int], bool],
    stroke: Stroke,
    read_sd: ReadSd,
) -> tuple[list[_Weighed], list[_Weighed]]:
    """Every cause with its weight, the heaviest first; and apart, where the hand is no heavier than taken, that
    readings which are off by their spread are all that is wrong.
    """
    tried: list[Suspect | None] = [None, *suspects(frame, strings, stroke, read_sd)]
    slopes = np.array([_slopes(every, one) for one in tried])
    fit = _Fit(every, answers, slopes, tried, read_sd)
    evidence = fit.evidence()
    weights = np.exp(evidence - evidence.max())
    there, nothing = list[_Weighed](), list[_Weighed]()
    for i in np.argsort(-weights, kind="stable"):
        suspect, hand = tried[i], float(np.exp(fit.log_hand[i]))
        one = _Weighed(suspect, float(fit.size[i]), hand, float(weights[i]), fit.room_under(int(i), every))
        if fit.at[i, 0] > LEAST_CAUSE_MM if suspect is not None else hand > 1:
            there.append(one)
        elif suspect is None:
            nothing.append(one)
    return there, nothing


class _Fit:
    """The likeliest errors of all that was read beside each cause, all causes at once: its size, the hand's logarithm,
    relief, and each string's action, [causes, unknowns]; and by Laplace's approximation how well each explains the
    notes.
    """

    def __init__(
        self,
        every: _Notes,
        answers: Mapping[tuple[int, int], bool],
        slopes: Array,
        tried: Sequence[Suspect | None],
        read_sd: ReadSd,
    ) -> None:
        played = [i for i, place in enumerate(every.places) if place in answers]
        self.notes, self.slopes, self.every_slopes = every.only(played), slopes[:, played], slopes
        self.sign = np.where([answers[place] for place in self.notes.places], -1.0, 1.0) / self.notes.spread
        numbers = sorted({number for number, _ in every.places})
        self.numbers = numbers
        sds = [one.sd_mm if one else 1.0 for one in tried]
        self.signs = np.array([one.sign if one else 1 for one in tried], dtype=float)
        self.most = np.array([one.most_mm if one else 1.0 for one in tried])
        self.log_share = np.log([one.share if one else SHARES["hand"] for one in tried])
        frets = every.room.shape[1]
        read = [read_sd.pluck_share, read_sd.relief_mm, *[read_sd.action_mm] * len(numbers)]
        read += [FINGER_SHARE] * len(numbers) + [STIFF_MM] * len(numbers) + [read_sd.fret_mm] * frets
        self.sd = np.column_stack([sds, np.tile(read, (len(tried), 1))])
        self.at = np.zeros_like(self.sd)
        self.at[:, 0] = np.minimum(self.sd[:, 0], self.most / 2)
        self._climb()

    @property
    def size(self) -> Array:
        """Each cause's size, signed, mm."""
        return np.asarray(self.signs * self.at[:, 0], dtype=float)

    @property
    def log_hand(self) -> Array:
        """The hand's logarithm beside each cause."""
        return self.at[:, 1]

    def room_under(self, cause: int, every: _Notes) -> Array:
        """Every note's room under one cause."""
        one = slice(cause, cause + 1)
        return np.asarray(self._room(self.at[one], every, self.every_slopes[one], self.signs[one])[0], dtype=float)

    def _parts(self, at: Array, notes: _Notes) -> tuple[Array, Array, Array, Array]:
        """Of unknowns [causes, unknowns] each note's force against the one taken, its action misread, its string's
        further reach, all [causes, notes], and the frets' heights misread with the nut before them, [causes, N + 1].
        """
        string = [self.numbers.index(number) for number, _ in notes.places]
        many = len(self.numbers)
        actions, fingers, stiff = (at[:, 3 + k * many : 3 + (k + 1) * many][:, string] for k in range(3))
        frets = np.concatenate([np.zeros((len(at), 1)), at[:, 3 + 3 * many :]], axis=1)
        return np.exp(at[:, 1:2] + fingers), actions, stiff, frets

    def _room(self, at: Array, notes: _Notes, slopes: Array, signs: Array) -> Array:
        """Room of notes over every fret, [causes, notes, over N]."""
        force, action, stiff, frets = self._parts(at, notes)
        room = (
            notes.room
            - force[:, :, None] * notes.swing
            + at[:, 2, None, None] * notes.by_relief
            + action[:, :, None] * notes.by_action
            - stiff[:, :, None]
            + frets[:, notes.starts][:, :, None] * notes.by_start
            - frets[:, None, 1:]
            + (signs * at[:, 0])[:, None, None] * slopes
        )
        return np.asarray(room, dtype=float)

    def _state(self, at: Array, wide: float) -> tuple[Array, Array, Array]:
        """The log of prior and likelihood, [causes]; its slope by what is unknown; and its curvature."""
        from scipy.special import ndtr

        notes = self.notes
        room = self._room(at, notes, self.slopes, self.signs)
        over = np.argmin(room, axis=2)
        least = np.take_along_axis(room, over[:, :, None], axis=2)[:, :, 0]
        by = self._by(at, over)
        sign = self.sign / wide
        z = sign * least
        chance = (1 - ODD) * ndtr(z) + ODD
        lift = (1 - ODD) * np.exp(-z * z / 2) / np.sqrt(2 * np.pi) / chance
        weight = np.clip(lift * (lift + z), 1e-6, None) * sign**2
        value = np.log(chance).sum(axis=1) - 0.5 * ((at / self.sd) ** 2).sum(axis=1)
        slope = ((lift * sign)[:, None, :] @ by)[:, 0] - at / self.sd**2
        bent = (by * weight[:, :, None]).transpose(0, 2, 1) @ by + np.eye(at.shape[1]) / self.sd[:, None, :] ** 2
        return value, slope, bent

    def _by(self, at: Array, over: NDArray[np.intp]) -> Array:
        """What a unit of each unknown adds to each note's least room, [causes, notes, unknowns]."""
        notes, (force, *_) = self.notes, self._parts(at, self.notes)
        causes, note = np.arange(len(at))[:, None], np.arange(len(notes.places))[None, :]
        string = np.array([self.numbers.index(number) for number, _ in notes.places])
        many, by = len(self.numbers), np.zeros((*over.shape, at.shape[1]))
        swing = -force * notes.swing[note, over]
        by[:, :, 0] = self.signs[:, None] * self.slopes[causes, note, over]
        by[:, :, 1], by[:, :, 2] = swing, notes.by_relief[note, over]
        by[causes, note, 3 + string] = notes.by_action[note, over]
        by[causes, note, 3 + many + string] = swing
        by[causes, note, 3 + 2 * many + string] = -1.0
        first = 3 + 3 * many
        by[causes, note, first + over] = -1.0
        held = notes.starts > 0
        by[causes, note[:, held], (first + notes.starts - 1)[held]] += notes.by_start[note, over][:, held]
        return by

    def _climb(self) -> None:
        """Newton's steps, halved where they would lead down."""
        for wide in WIDE:
            part = np.ones(len(self.at))
            value, slope, bent = self._state(self.at, wide)
            for _ in range(ROUNDS):
                step = np.linalg.solve(bent, slope[:, :, None])[:, :, 0]
                tried = self.at + part[:, None] * np.clip(step, -0.5, 0.5)
                tried[:, 0] = np.clip(tried[:, 0], LEAST_SIZE_MM, self.most)
                after, tried_slope, tried_bent = self._state(tried, wide)
                better = after > value
                self.at[better], value[better] = tried[better], after[better]
                slope[better], bent[better] = tried_slope[better], tried_bent[better]
                part = np.where(better, np.minimum(1.0, 2 * part), part / 3)
        self.value, self.bent = value, bent

    def evidence(self) -> Array:
        """The logarithm of each cause's weight: its share, its best fit, and how much of what was possible beforehand
        fits as well.
        """
        _, spread = np.linalg.slogdet(self.bent)
        return np.asarray(self.log_share + self.value - np.log(self.sd).sum(axis=1) - spread / 2, dtype=float)


def _buzzing(one: _Weighed, notes: _Notes) -> Array:
    """Each note's chance to buzz under a cause, [notes]."""
    from scipy.special import ndtr

    return np.asarray(ndtr(-one.room.min(axis=1) / notes.spread), dtype=float)


def _unexplained(
    one: _Weighed, every: _Notes, answers: Mapping[tuple[int, int], bool], unlikely: float = UNLIKELY
) -> tuple[tuple[int, int], ...]:
    """The heard notes whose outcome has less than this chance under a cause."""
    return tuple(
        place
        for place, share in zip(every.places, _buzzing(one, every), strict=True)
        if place in answers and (share if answers[place] else 1 - share) < unlikely
    )


def _cause(
    frame: StringFrame,
    one: _Weighed,
    every: _Notes,
    answers: Mapping[tuple[int, int], bool],
    chance: float,
    stroke: Stroke,
) -> Cause:
    unexplained = _unexplained(one, every, answers)
    raises = _raises(frame, one.room, every, answers, stroke)
    evens, suspect = max(raises.values(), default=0.0), one.suspect
    if suspect is None:
        return Cause("hand", one.hand, chance, unexplained, 0.0, evens, evens, one.hand)
    fret, to_fret = suspect.fret, suspect.to_fret
    return Cause(
        suspect.kind,
        one.size,
        chance,
        unexplained,
        metal_mm(frame, suspect.kind, one.size, fret, to_fret),
        cost_action_mm(frame, suspect.kind, one.size, fret),
        evens,
        one.hand,
        suspect.string,
        fret,
        to_fret,
    )


def _next_test(
    weighed: Sequence[_Weighed], total: float, every: _Notes, answers: Mapping[tuple[int, int], bool]
) -> tuple[int, int] | None:
    """The unheard note after which the leading cause is expected to have the greatest chance; None where none adds to
    it.
    """
    if len(weighed) < 2:
        return None
    shown = weighed[:LEADING]
    weights = np.array([one.weight / total for one in shown])
    buzzing = np.array([_buzzing(one, every) for one in shown])
    led = np.max(weights[:, None] * buzzing, axis=0) + np.max(weights[:, None] * (1 - buzzing), axis=0)
    led[[place in answers for place in every.places]] = 0.0
    best = int(np.argmax(led))
    return every.places[best] if led[best] >= weights[0] + WORTH_HEARING else None


def _hands(
    strung: Sequence[Strung], answers: Mapping[tuple[int, int], bool]
) -> dict[int, tuple[float | None, float | None] | None]:
    """The pluck forces that agree with what was heard: over the largest force that a buzz needs, at most the
    smallest that stayed clean.
    """
    found: dict[int, tuple[float | None, float | None] | None] = {}
    for string in strung:
        touch = np.nanmin(string.static / string.per_newton, axis=1)
        buzzes = [float(touch[f]) for (s, f), buzz in answers.items() if s == string.string and buzz]
        clean = [float(touch[f]) for (s, f), buzz in answers.items() if s == string.string and not buzz]
        floor, ceiling = max(buzzes, default=None), min(clean, default=None)
        found[string.string] = (
            None if floor is not None and ceiling is not None and floor >= ceiling else (floor, ceiling)
        )
    return found


def _raises(
    frame: StringFrame, room: Array, every: _Notes, answers: Mapping[tuple[int, int], bool], stroke: Stroke
) -> dict[int, float]:
    """The least rise of each string's action over fret 12 that clears every buzz heard on it under a cause that leaves
    `room` over every fret, mm.
    """
    share, _ = geometry(frame.scale_mm, frame.frets, stroke)
    found = {number: 0.0 for number, _ in every.places}
    for row, (number, f) in zip(room, every.places, strict=True):
        if answers.get((number, f)):
            found[number] = max(found[number], float(np.nanmax(-row / share[f])) / 2)
    return found


def learned_hand(
    hand: Mapping[int, tuple[float | None, float | None] | None], present: Mapping[int, float]
) -> dict[int, float]:
    """Each string's pluck force as heard: the middle of its range, or the present one moved to the end that it
    contradicts.

    A string that says nothing, or contradicts itself, keeps its present force.
    """
    found = dict(present)
    for number, ends in hand.items():
        if ends is None:
            continue
        floor, ceiling = ends
        if floor is not None and ceiling is not None:
            found[number] = (floor + ceiling) / 2
        elif floor is not None:
            found[number] = max(present[number], floor * 1.02)
        elif ceiling is not None:
            found[number] = min(present[number], ceiling)
    return found
