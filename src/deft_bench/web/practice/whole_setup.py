"""A whole setup: its stage with rod, slots, screws and ears, and its debrief."""

import io
from collections.abc import Callable, Mapping
from typing import Any

from flask import Response as Sent
from flask import render_template, request, send_file

from deft_bench.bench.practice.attempts import PracticeError
from deft_bench.bench.practice.moments import moments
from deft_bench.bench.practice.whole import open_job, read_on_the_stage, work
from deft_bench.bench.practice.whole_setup import GAP_FRET, SetupJob, known
from deft_bench.core.neck.rod_call import turn_words
from deft_bench.core.practice.drills import WHOLE_SETUP
from deft_bench.core.practice.set_up import FILED_MM
from deft_bench.core.practice.six_strings import STRINGS
from deft_bench.core.practice.whole_neck import CROWN_MM, SIXTEENTHS
from deft_bench.core.practice.whole_setup import (
    ALONG_MM,
    BENCH_HUMIDITY,
    CENTS_SHARE,
    FRETS,
    HIGHER_MM,
    LEVELS,
    QUARTERS,
    SLOT_SHARE,
    SOUND_SHARE,
    TRUE_CENTS,
    Deed,
    What,
    wanted_gaps_mm,
)
from deft_bench.core.practice.whole_setup import AT_STRING as STRING_ACTS
from deft_bench.core.strings.ear.room import ROOM_RATE
from deft_bench.core.survey_kinds import ACTION_FRET, PER_CENT, Place
from deft_bench.devices.practice_strings import PracticeStrings
from deft_bench.formats.recording import wav_of
from deft_bench.store import practice_necks, surveys
from deft_bench.web.drawing.buzz_map import STRING, TOP
from deft_bench.web.practice.screen import screen
from deft_bench.web.practice.set_up import drawn_of, places_words
from deft_bench.web.practice.whole_page import FEELS, WholePage, moment_shown, words_of
from deft_bench.web.support import Form, NotFoundError, db, display, now, or_404, settings

STOP_MOST_UM = 3000
READS: Mapping[str, tuple[str, tuple[int, ...], bool]] = {
    "relief": ("straightness", (GAP_FRET,), False),
    "gaps": ("strings", (1,), False),
    "actions": ("strings", (ACTION_FRET,), False),
    "cents": ("intonation", (ACTION_FRET,), False),
    "play": ("buzz", (), True),
    "play_all": ("buzz", (), False),
}
"""What a tool reads: the survey, over which frets, and whether of the chosen string only."""
ACTS: Mapping[str, tuple[What, dict[str, Any]]] = {
    **{f"turn {n}": ("turn", {"sixteenths": n}) for n in SIXTEENTHS},
    **{what: (what, {}) for what in ("wait", "rest", "air", "file", "touch")},
    **{f"{what} {n}": (what, {"quarters": n}) for what in ("screw", "along") for n in QUARTERS},
}
"""What each button does."""
AT_STRING = ("play", *(did for did, (what, _) in ACTS.items() if what in STRING_ACTS))
"""What is done to the string that is chosen."""


def _done(kept: practice_necks.Kept, form: Form) -> tuple[SetupJob | None, str]:
    did = form.text("did")
    string = form.one_of("lane", [str(n) for n in range(1, STRINGS + 1)]) if did in AT_STRING else "1"
    if did in READS:
        return None, _read(kept.id, did, int(string)) if string else ""
    if did not in ACTS:
        raise PracticeError(f"Choose one of: {', '.join([*READS, *ACTS])}.")
    what, how = ACTS[did]
    if what in FILED_MM:
        how = {"stop_mm": _stop_mm(form)}
    if string is None or form.errors:
        return None, ""
    after = work(db(), now(), kept.id, what, int(string), **how)
    return after, deed_words(after.steps[-1].deed)


def _stop_mm(form: Form) -> float | None:
    """How high over the frets the blades lie that stop the file, as they are stacked on the board; None without any, an
    error in the form for more than there are.
    """
    stop = form.length("stop", optional=True)
    if stop is not None and not 0 <= stop <= STOP_MOST_UM:
        form.errors["stop"] = f"Blades stack to {display().fine_mm(STOP_MOST_UM / 1000)} at most; empty is none."
    return None if stop is None else stop / 1000 - CROWN_MM


def _read(neck_id: int, did: str, string: int) -> str:
    """Read with a tool on the stage; what it said, in words."""
    kind, frets, of_string = READS[did]
    survey = read_on_the_stage(db(), settings(), now(), neck_id, kind, frets, [str(string)] if of_string else [])
    values = {place: um for place, um in surveys.values(db(), survey.id).items() if um is not None}
    if did == "relief":
        return f"Relief {display().fine_mm(values['middle', GAP_FRET] / 1000)}, capo on fret 1, the last fret pressed"
    if kind == "buzz":
        return _heard(values, string if of_string else None)
    read = [um for (_, fret), um in values.items() if fret == frets[0]]
    if did == "cents":
        ends = (f"{cents / PER_CENT:+.1f}".replace("-", "−") for cents in (min(read), max(read)))
        return f"Fret {ACTION_FRET} against the open string: {' to '.join(ends)} cents"
    least, most = (display().fine_mm(um / 1000) for um in (min(read), max(read)))
    return f"{'First-fret gaps' if did == 'gaps' else 'Action over fret 12'}: {least} to {most}"


def _heard(values: Mapping[Place, int], string: int | None) -> str:
    """What was heard of a string, or of all."""
    if string is not None:
        places = sorted(fret for (on, fret), um in values.items() if on == str(string) and um)
        return f"String {string}: {places_words(places)}"
    buzzing = sum(map(bool, values.values()))
    return f"{buzzing} of {len(values)} notes buzz" if buzzing else f"All {len(values)} notes are clean"


def deed_words(one: Deed) -> str:
    """What was done and what it told."""
    return _WORDS[one.what](one)


def _turned(one: Deed) -> str:
    how = "Tightened" if one.sixteenths > 0 else "Loosened"
    return f"{how} {turn_words(one.sixteenths / 16)}: {FEELS[one.feel]}"


def _filed(one: Deed) -> str:
    strokes = "ten strokes" if one.what == "file" else "two strokes"
    blades = "no blades" if one.stop_mm is None else f"blades at {display().fine_mm(one.stop_mm + CROWN_MM)}"
    return f"String {one.string}: {strokes} in its slot, {blades}"


def _screwed(one: Deed) -> str:
    turn = "a whole turn" if abs(one.quarters) == 4 else "a quarter turn"
    ways = ("up", "down") if one.what == "screw" else ("back", "forward")
    return f"String {one.string}: its saddle {turn} {ways[one.quarters < 0]}"


_WORDS: dict[What, Callable[[Deed], str]] = {
    "turn": _turned,
    "wait": lambda one: "Retuned and let it settle",
    "rest": lambda one: "Left in the room’s air for two days",
    "air": lambda one: f"The air in its case: {one.air} %; in the practice room: {BENCH_HUMIDITY} %",
    "file": _filed,
    "touch": _filed,
    "screw": _screwed,
    "along": _screwed,
    "frets": lambda one: "Worked on the frets, by the book",
}


@screen.get("/practice/necks/<int:neck_id>/note/<int:string>/<int:fret>.wav")
def neck_note(neck_id: int, string: int, fret: int) -> Sent:
    """A note of a strung practice neck as it is now."""
    with or_404():
        found = open_job(db(), neck_id)
    if found.kind.drill != WHOLE_SETUP or not (1 <= string <= STRINGS and 0 <= fret < FRETS):
        raise NotFoundError("note")
    sound = PracticeStrings(found.neck, found.kept.seed).note(string, fret)
    return send_file(io.BytesIO(wav_of(sound, ROOM_RATE)), mimetype="audio/wav")


def _stage(found: SetupJob, form: Form, say: str, template: str) -> str:
    told, done = known(db(), found), [step.deed for step in found.steps]
    string = next((one.string for one in reversed(done) if one.string), STRINGS)
    played = int(form.text("lane")) if form.text("did") == "play" and not form.errors else 0
    stop_mm = next((one.stop_mm for one in reversed(done) if one.what in FILED_MM), None)
    return render_template(
        template,
        section="practice",
        found=found,
        part="practice/whole_setup_stage.html",
        levels=LEVELS,
        told=told,
        drawn=drawn_of(told.buzzing, FRETS),
        lanes={str(n): TOP + STRING * (STRINGS - n) for n in range(1, STRINGS + 1)},
        strings=STRINGS,
        wanted=wanted_gaps_mm(),
        places_words=places_words,
        deed_words=deed_words,
        say=say,
        hear=(played, *[*told.buzzing[played], 0][:1]) if played else None,
        values={
            "lane": form.text("lane", str(string)),
            "stop": form.text(
                "stop", "" if stop_mm is None else display().fine_number(round(1000 * (stop_mm + CROWN_MM)))
            ),
        },
        along_mm=ALONG_MM,
        errors=form.errors,
    )


def _debrief(found: SetupJob) -> str:
    told = moments(db(), found)
    shown = moment_shown(told)
    moment = told[shown] if told else None
    part = request.headers.get("HX-Target") == "moment"
    lies = found.neck.settled
    then = moment.neck if moment else found.truth
    return render_template(
        "practice/setup_moment.html" if part else "practice/whole_setup_debrief.html",
        section="practice",
        part=part,
        found=found,
        score=found.score,
        program=found.kept.outcome["program"],
        levels=LEVELS,
        drawn=drawn_of(lies.buzzing(), FRETS),
        lies=lies,
        wanted=wanted_gaps_mm(),
        moments=told,
        shown=shown,
        moment=moment,
        moment_words=words_of(deed_words),
        then=then,
        believed=known(db(), found, moment.at if moment else ""),
        strings=STRINGS,
        places_words=places_words,
        bench_air=BENCH_HUMIDITY,
        shares=(SOUND_SHARE, SLOT_SHARE, CENTS_SHARE),
        higher_mm=HIGHER_MM,
        true_cents=TRUE_CENTS,
    )


PAGE = WholePage(_done, _stage, _debrief)
