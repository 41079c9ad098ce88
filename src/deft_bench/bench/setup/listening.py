"""Intonation from sound: open, harmonic and fretted notes in turn, the pitch of each recording, the cents it makes."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime

from deft_bench.bench.setup.ear import figures_of
from deft_bench.core.strings.notes import cents_between
from deft_bench.core.strings.pitch import Pitch, PitchError, pitch
from deft_bench.core.strings.setup_plan import SetupPlan
from deft_bench.core.survey_kinds import PER_CENT, SURVEY_KINDS, Place
from deft_bench.core.times import stamp
from deft_bench.formats.recording import RecordingError, read_recording
from deft_bench.store import surveys
from deft_bench.store.database import Connection, transaction
from deft_bench.store.surveys import Sounded


class RecordingRefusedError(ValueError):
    """A recording is not taken; the words say why."""


@dataclass(frozen=True, slots=True)
class Note:
    """One note to play: string, what (open, harmonic, fretted) and where."""

    string: int
    what: str
    fret: int

    @property
    def code(self) -> str:
        """How a form names it."""
        return f"{self.string}-{self.what}-{self.fret}"


@dataclass(frozen=True, slots=True)
class NoteHeard:
    """A note with what was heard of it (None: not yet), and its cents against the open string."""

    note: Note
    heard: Sounded | None
    cents: float | None


@dataclass(frozen=True, slots=True)
class Listening:
    """All notes by string, the one to play now, and the pitch that each open string is tuned to, Hz."""

    sounds: Mapping[int, Sequence[NoteHeard]]
    at: Note | None
    aims: Mapping[int, float]

    @property
    def notes(self) -> list[NoteHeard]:
        """All of them in turn."""
        return [heard for notes in self.sounds.values() for heard in notes]

    def pitch_hz(self, note: Note) -> float | None:
        """The pitch that a note should have: against its open string as heard, else as tuned; None where its string has
        no note.
        """
        opened = next((one.heard for one in self.sounds[note.string] if one.note.what == "open" and one.heard), None)
        base = self.aims.get(note.string) if opened is None else opened.hz
        return None if base is None else base * 2 ** (note.fret / 12)

    @property
    def left(self) -> int:
        """How many are still to play."""
        return sum(note.heard is None for note in self.notes)


def notes_to_play(survey: surveys.Survey) -> list[Note]:
    """Open, the harmonic over fret 12, then the fretted notes; string by string, the lowest first."""
    notes = []
    for string in range(survey.head.strings, 0, -1):
        notes += [Note(string, "open", 0), Note(string, "harmonic", 12)]
        notes += [Note(string, "fretted", fret) for fret in sorted(survey.head.at_frets) if fret <= survey.frets]
    return notes


def note_named(survey: surveys.Survey, code: str) -> Note | None:
    """The note of a form's code."""
    return next((note for note in notes_to_play(survey) if note.code == code), None)


def listening(db: Connection, survey: surveys.Survey, plan: SetupPlan, asked: str = "") -> Listening:
    """How far it has come; `asked` is the code of a note to play again."""
    heard = {(sound.string, sound.what, sound.fret): sound for sound in surveys.sounded(db, survey.id)}
    rows: dict[int, list[NoteHeard]] = {}
    for note in notes_to_play(survey):
        sound = heard.get((note.string, note.what, note.fret))
        base = heard.get((note.string, "open", 0))
        cents = None
        if sound and base and note.what != "open":
            cents = cents_between(sound.hz, base.hz * 2 ** (note.fret / 12))
        rows.setdefault(note.string, []).append(NoteHeard(note, sound, cents))
    unheard = next((one.note for notes in rows.values() for one in notes if one.heard is None), None)
    aims = {
        number: string.pitch_hz(plan.a4_hz)
        for number, string in enumerate(plan.strings, start=1)
        if string.note or string.hz
    }
    return Listening(rows, note_named(survey, asked) or unheard, aims)


@dataclass(frozen=True, slots=True)
class Taken:
    """A recording that was taken: its pitch, how far off the note it is, and the string's cents as they are now."""

    pitch: Pitch
    off_cents: float
    cents: Mapping[Place, int]


def take_recording(
    db: Connection, now: datetime, survey: surveys.Survey, plan: SetupPlan, note: Note, wav: bytes
) -> Taken:
    """Find the pitch of a recorded note, and keep it with the cents that it makes. Raises RecordingRefusedError."""
    make = plan.strings[note.string - 1]
    try:
        samples, rate = read_recording(wav)
        expected = make.pitch_hz(plan.a4_hz) * 2 ** (note.fret / 12)
        found = pitch(samples, rate, expected, plan.a4_hz)
    except (RecordingError, PitchError) as error:
        text = str(error)
        raise RecordingRefusedError(f"{text[:1].upper()}{text[1:]}") from error
    except ValueError as error:
        why = f"Give string {note.string} its note on the Strings page first: {error}."
        raise RecordingRefusedError(why) from error
    return keep_note(db, now, survey, note, found, expected, figures_of(samples, rate, found.hz))


def keep_note(
    db: Connection,
    now: datetime,
    survey: surveys.Survey,
    note: Note,
    found: Pitch,
    expected_hz: float,
    ear: Sequence[float] | None,
) -> Taken:
    """Keep a note as it was heard, with the cents that it makes of its string, and what it has of a buzz."""
    with transaction(db):
        sound = Sounded(note.string, note.what, note.fret, found.hz, found.confidence, stamp(now), found.sd_cents, ear)
        surveys.add_sounded(db, survey.id, sound)
        cents = _keep_cents(db, now, survey, note.string)
    return Taken(found, cents_between(found.hz, expected_hz), cents)


def _keep_cents(db: Connection, now: datetime, survey: surveys.Survey, string: int) -> dict[Place, int]:
    """Work the string's cents out of what was heard and keep each as a reading; a new one corrects the one before."""
    heard = {(sound.what, sound.fret): sound.hz for sound in surveys.sounded(db, survey.id) if sound.string == string}
    open_hz = heard.get(("open", 0))
    if open_hz is None:
        return {}
    rows: list[tuple[Place, int, str]] = []
    for (what, fret), hz in heard.items():
        value = round(PER_CENT * cents_between(hz, open_hz * 2 ** (fret / 12)))
        if what == "fretted" and SURVEY_KINDS["intonation"].problem(value, fret) is None:
            rows.append(((str(string), fret), value, f"heard {hz:.3f} Hz, open {open_hz:.3f} Hz"[:60]))
    surveys.add_many(db, survey.id, rows, stamp(now))
    return {place: value for place, value, _ in rows}
