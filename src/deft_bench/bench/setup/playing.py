"""Playing it through: notes found in what a microphone sends while they are played, each kept at its place."""

from collections import deque
from dataclasses import dataclass, field
from datetime import datetime
from threading import Lock
from typing import Literal

from deft_bench.bench.setup.ear import chances, figures_of
from deft_bench.bench.setup.listening import Listening, Note, Taken, keep_note, listening
from deft_bench.core.strings.notes import cents_between, nearest_note
from deft_bench.core.strings.pitch import WRONG_NOTE_CENTS, Pitch, PitchError, Samples, pitch
from deft_bench.core.strings.played import WRONG_CENTS, Pluck, Stream, Wanted, place_of
from deft_bench.core.strings.setup_plan import SetupPlan
from deft_bench.store import surveys
from deft_bench.store.database import Connection

Order = Literal["in_order", "any_order"]
ORDERS: dict[Order, str] = {"in_order": "in turn, as asked for", "any_order": "in any order"}
REPLAYED = 12
"""So many of the last notes can be heard again."""


@dataclass(frozen=True, slots=True)
class Told:
    """What became of one pluck: kept at a note's place with its cents, or not, and why; and the chance that it buzzes,
    None where that was not told.
    """

    note: Note | None
    words: str
    taken: Taken | None = None
    buzz: float | None = None


@dataclass(slots=True)
class Playing:
    """One pass: its stream, the note that is asked for, what was told, and the sound of the last notes."""

    survey_id: int
    order: Order
    stream: Stream
    at: Note | None = None
    chunks: int = 0
    told: list[Told] = field(default_factory=list)
    sounds: deque[tuple[int, Samples]] = field(default_factory=lambda: deque(maxlen=REPLAYED))
    lock: Lock = field(default_factory=Lock)

    def hear(
        self, db: Connection, now: datetime, survey: surveys.Survey, plan: SetupPlan, samples: Samples, *, last: bool
    ) -> None:
        """Take samples as they come, the last of them with `last`; what is found is kept and told."""
        plucks = self.stream.feed(samples)
        for pluck in plucks + (self.stream.end() if last else []):
            heard = listening(db, survey, plan)
            told = self._place(db, now, survey, plan, heard, pluck)
            self.sounds.append((len(self.told), pluck.samples))
            self.told.append(told)

    def next_note(self, heard: Listening) -> Note | None:
        """The note that is asked for: one that was named, else the first that is not heard."""
        return self.at or heard.at

    def again(self) -> None:
        """Ask for the last note that was kept once more."""
        self.at = next((one.note for one in reversed(self.told) if one.taken is not None), self.at)

    def skip(self, heard: Listening) -> None:
        """Ask for the note after the one that is asked for."""
        notes, at = [one.note for one in heard.notes], self.next_note(heard)
        self.at = notes[(notes.index(at) + 1) % len(notes)] if at in notes else None

    def _place(
        self,
        db: Connection,
        now: datetime,
        survey: surveys.Survey,
        plan: SetupPlan,
        heard: Listening,
        pluck: Pluck,
    ) -> Told:
        wanted = _wanted(heard)
        asked = self.next_note(heard)
        try:
            if self.order == "in_order":
                note, found = self._in_turn(pluck, wanted, asked, plan.a4_hz)
            else:
                note, found = self._anywhere(pluck, wanted, plan.a4_hz)
        except PitchError as error:
            text = str(error)
            return Told(None, f"Not kept. {text[:1].upper()}{text[1:]}")
        expected = wanted[note].hz
        figures = figures_of(pluck.samples, self.stream.rate, found.hz)
        taken = keep_note(db, now, survey, note, found, expected, figures)
        self.at = None if self.at is None else _after(note, heard)
        off = round(cents_between(found.hz, expected), 1) + 0.0  # no minus before a nought
        buzz = chances(db, survey.id).get((note.string, note.fret)) if note.what != "harmonic" else None
        return Told(note, f"{found.hz:.2f} Hz, {off:+.1f} cents", taken, buzz)

    def _in_turn(
        self, pluck: Pluck, wanted: dict[Note, Wanted], asked: Note | None, a4_hz: float
    ) -> tuple[Note, Pitch]:
        if asked is None:
            raise PitchError("every note is heard: press Again, or name one to play it once more")
        if asked not in wanted:
            raise PitchError(f"give string {asked.string} its note on the Strings page first")
        expected = wanted[asked].hz
        found = pitch(pluck.samples, round(self.stream.rate), expected, a4_hz)
        within = WRONG_NOTE_CENTS if asked.what == "open" else WRONG_CENTS
        if abs(cents_between(found.hz, expected)) > within:
            raise PitchError(f"{found.note} {found.cents:+.0f} cents is heard, and another note was asked for")
        return asked, found

    def _anywhere(self, pluck: Pluck, wanted: dict[Note, Wanted], a4_hz: float) -> tuple[Note, Pitch]:
        found = pitch(pluck.samples, round(self.stream.rate), None, a4_hz)
        kept = [one.note.code for one in self.told if one.note is not None]
        place = place_of(found.hz, list(wanted.values()), kept)
        if place is None:
            name, off = nearest_note(found.hz, a4_hz)
            raise PitchError(f"{name} {off:+.0f} cents is heard, and no note of this survey has that pitch")
        return next(note for note in wanted if note.code == place.code), found


def _wanted(heard: Listening) -> dict[Note, Wanted]:
    """Every note whose pitch is known, with it."""
    return {
        one.note: Wanted(one.note.code, one.note.string, one.note.what, one.note.fret, hz, one.heard is not None)
        for one in heard.notes
        if (hz := heard.pitch_hz(one.note)) is not None
    }


def _after(note: Note, heard: Listening) -> Note | None:
    """The next note after one that is not heard yet; None where there is none."""
    notes = heard.notes
    at = next(k for k, one in enumerate(notes) if one.note == note) + 1
    return next((one.note for one in notes[at:] + notes[: at - 1] if one.heard is None), None)
