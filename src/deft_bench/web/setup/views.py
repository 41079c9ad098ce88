"""Setup: what is read, what is tried, the lowest setup and what to do for it; strings, buzz, nut, saddle and
intonation.
"""

from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

from flask import Blueprint, flash, jsonify, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response

from deft_bench.bench.setup_readings import SetupSurveys, assembled, latest_read, setup_facts
from deft_bench.core.strings.assembled import Trial, solve, target_from, target_of, target_record
from deft_bench.core.strings.diagnose import learned_hand
from deft_bench.core.strings.notes import cents_between
from deft_bench.core.strings.pitch import PitchError, pitch
from deft_bench.core.strings.setup_plan import SetupPlan, string_names, to_fields
from deft_bench.core.strings.setup_solve import Solved
from deft_bench.core.strings.string_set import SETS, TUNINGS, made_of, notes_of, twelve
from deft_bench.core.survey_kinds import PER_CENT, SURVEY_KINDS
from deft_bench.formats.nut_template import write_template
from deft_bench.formats.wav import WavError, read_wav
from deft_bench.store import instruments, jobs, setups, shop, surveys
from deft_bench.store.surveys import Sounded
from deft_bench.web.drawing.string_side import NEAR_MM, margin_map, string_side
from deft_bench.web.errors import wants_json
from deft_bench.web.places import linked_steps
from deft_bench.web.setup import pages
from deft_bench.web.setup.form import SetupForm, lengths_listed, read, values_of
from deft_bench.web.support import Form, db, display, or_404, settings, stamp

screen = Blueprint(
    "setup", __name__, template_folder="templates", static_folder="static", static_url_path="/setup/static"
)

PAGES = {
    "show": "Setup",
    "strings": "Strings",
    "nut": "Nut",
    "saddle": "Saddle",
    "intonation": "Intonation",
    "buzz": "Buzz",
}
SHOWN_FRET = 3
MOST_SOUND = 24 * 1024 * 1024


def _of(instrument_id: int) -> tuple[instruments.Instrument, SetupPlan]:
    with or_404():
        instrument = instruments.get(db(), instrument_id)
    return instrument, setups.plan_of(db(), instrument_id, instrument.spec)


def _common(instrument: instruments.Instrument, plan: SetupPlan, page: str) -> dict[str, Any]:
    """What every page of the setup shows: its tape, the open job and the names of the strings."""
    job = jobs.open_of(db(), [instrument.id]).get(instrument.id)
    at = {"show": "solve"}.get(page, page)
    facts = setup_facts(db(), settings(), job, instrument) if job and job.kind == "setup" else None
    return {
        "section": "instruments",
        "instrument": instrument,
        "spec": instrument.spec,
        "plan": plan,
        "job": job,
        "pages": PAGES,
        "page": page,
        "facts": facts,
        "steps": linked_steps(job, instrument) if facts else [],
        "tape_at": at,
        "names": string_names(plan),
        "playable": instrument.spec.frets >= 12,
    }


def _trial(form: Form, instrument: instruments.Instrument, plan: SetupPlan) -> Trial | None:
    """The boxes of what is tried; None, with what is wrong in `form.errors`, where one cannot be meant."""
    count = instrument.spec.strings
    relief = form.length("relief")
    nut = form.length("nut")
    hand = form.number("hand", 20, 300)
    actions = {number: form.length(f"action_{number}") for number in range(1, count + 1)}
    for number, um in actions.items():
        problem = None if um is None else SURVEY_KINDS["strings"].problem(um, 12)
        if problem:
            form.errors[f"action_{number}"] = problem
    if relief is not None and not -1_000 <= relief <= 2_000:
        form.errors["relief"] = f"Accepted: {display().fine(-1_000)} to {display().fine(2_000)}."
    if nut is not None and not -2_000 <= nut <= 2_000:
        form.errors["nut"] = f"Accepted: {display().fine(-2_000)} to {display().fine(2_000)} against the slots as read."
    if form.errors or relief is None or nut is None or hand is None:
        return None
    tried = Trial(relief / 1000, {number: (um or 0) / 1000 for number, um in actions.items()}, nut / 1000, hand / 100)
    for one in assembled(db(), instrument, plan, latest_read(db(), settings(), instrument), tried).strung():
        place = one.lies_on()
        if place:
            field = "relief" if tried.relief_mm < 0 else f"action_{one.string}"
            form.errors[field] = (
                f"So string {one.string} would lie on fret {place[0]}, which stands {display().fine_mm(place[1])} above"
                " it at rest."
            )
            return None
    return tried


def _live(
    instrument: instruments.Instrument, plan: SetupPlan, trial: Trial | None, asked: Mapping[str, str]
) -> dict[str, Any]:
    """The string from the side, the map of room, and the solved setup beside the present one."""
    shown = display()
    found = latest_read(db(), settings(), instrument)
    now = assembled(db(), instrument, plan, found)
    tried = assembled(db(), instrument, plan, found, trial) if trial else now
    strung = tried.strung()
    names = string_names(plan)
    string = asked.get("string", "")
    fretted = asked.get("fretted", "")
    worst = min(strung, key=lambda one: one.worst().margin_mm)
    which = (
        int(string) if string.isascii() and string.isdigit() and 1 <= int(string[:3]) <= len(strung) else worst.string
    )
    at_fret = (
        int(fretted) if fretted.isascii() and fretted.isdigit() and int(fretted[:3]) < instrument.spec.frets else None
    )
    if at_fret is None:
        # where it is tightest; a string with room everywhere is shown low on the neck, where its swing is seen
        tightest = strung[which - 1].worst()
        at_fret = tightest.fretted if tightest.margin_mm <= NEAR_MM else SHOWN_FRET
    mirrored = instrument.spec.left_handed != (settings().turned)
    solved = solve(plan, instrument.spec, now)
    present = now.strung()
    rows = margin_map(strung, names, shown)
    return {
        "read": found,
        "now": now,
        "tried": tried,
        "trial": trial,
        "strung": strung,
        "present": present,
        "side": string_side(tried, strung[which - 1], at_fret, shown, mirrored),
        "map": rows,
        "which": which,
        "fretted": at_fret,
        "solved": solved,
        "call": pages.call_of(instrument, plan, now, present, solved, names, shown.fine_mm),
        "todo": pages.to_do(instrument, plan, found.found, solved, names, shown),
        "touching": sum(cell.kind == "touches" for _, row in rows for cell in row),
    }


def _trial_values(live: Mapping[str, Any]) -> dict[str, str]:
    shown = display()
    now = live["tried"]
    values = {"relief": shown.entry(round(now.frame.relief_mm * 1000, -1)), "nut": shown.entry(0), "hand": "100"}
    return values | {f"action_{one.string}": shown.entry(round((one.action_12_mm or 0) * 1000)) for one in now.strings}


@screen.get("/instruments/<int:instrument_id>/setup")
def show(instrument_id: int) -> str:
    """The Setup screen. `?string=&fretted=` chooses what is drawn."""
    instrument, plan = _of(instrument_id)
    common = _common(instrument, plan, "show")
    if not common["playable"]:
        return render_template("setup/short.html", **common)
    live = _live(instrument, plan, None, request.args)
    return render_template(
        "setup/show.html",
        **common,
        **live,
        values=_trial_values(live) | values_of(plan),
        errors={},
        targets=_targets(common["job"]),
    )


def _targets(job: jobs.Job | None) -> Any:
    """The job's accepted setup, or None."""
    found = setups.accepted(db(), job.id) if job else []
    return target_from(found[-1].target) if found else None


@screen.post("/instruments/<int:instrument_id>/setup/preview")
def preview(instrument_id: int) -> Response:
    """The picture with the numbers as they stand in the boxes; nothing is saved."""
    instrument, plan = _of(instrument_id)
    common = _common(instrument, plan, "show")
    if not common["playable"]:
        return make_response("", 204)
    form = Form()
    trial = _trial(form, instrument, plan)
    words = {
        name: form.errors.get(name, "")
        for name in ("relief", "nut", "hand", *(f"action_{i}" for i in range(1, instrument.spec.strings + 1)))
    }
    said = render_template(
        "shared/words.html", words=words, elsewhere=[], state="refused" if form.errors else "tried", what="setup"
    )
    if trial is None:
        answer = make_response(said)
        answer.headers["HX-Reswap"] = "none"
        return answer
    live = _live(instrument, plan, trial, request.form)
    return make_response(
        render_template("setup/live.html", **common, **live, targets=_targets(common["job"]), swapped=True) + said
    )


@screen.post("/instruments/<int:instrument_id>/setup/accept")
def accept(instrument_id: int) -> Response | tuple[str, int]:
    """Accept the solved setup, or what is tried, as the job's target."""
    instrument, plan = _of(instrument_id)
    common = _common(instrument, plan, "show")
    job = common["job"]
    back = redirect(url_for(".show", instrument_id=instrument_id))
    if job is None or job.kind != "setup" or not common["playable"]:
        flash("Open a setup job first: the accepted setup is part of its record.")
        return back
    found = latest_read(db(), settings(), instrument)
    now = assembled(db(), instrument, plan, found)
    if request.form.get("which") == "tried":
        form = Form()
        trial = _trial(form, instrument, plan)
        if trial is None:
            live = _live(instrument, plan, None, request.args)
            return (
                render_template(
                    "setup/show.html",
                    **common,
                    **live,
                    values=values_of(plan) | dict(request.form),
                    errors=form.errors,
                    targets=_targets(job),
                ),
                422,
            )
        relief, actions = trial.relief_mm, dict(trial.action_mm)
    else:
        solved = solve(plan, instrument.spec, now)
        relief, actions = solved.relief_mm, {one.string: one.action_12_mm for one in solved.strung}
    inputs = {
        "plan": to_fields(plan),
        "relief_um": None if found.found.relief_mm is None else round(found.found.relief_mm * 1000),
        "surveys": {kind: survey.uid for kind, survey in found.of.items()},
        "unread": list(now.unread),
    }
    setups.accept(db(), job.id, stamp(), inputs, target_record(target_of(plan, relief, actions)))
    flash("Accepted. Relief first, then the nut, then the saddles; read again after each.")
    return back


@screen.get("/instruments/<int:instrument_id>/setup/intake")
def intake(instrument_id: int) -> Response:
    """Go to the next reading that the intake wants."""
    instrument, _ = _of(instrument_id)
    job = jobs.open_of(db(), [instrument_id]).get(instrument_id)
    if job is None:
        flash("Open a job first: readings belong to one.")
        return redirect(url_for("instruments.show", instrument_id=instrument_id, _anchor="job"))
    facts = setup_facts(db(), settings(), job, instrument)
    found = {survey.head.kind: survey for survey in surveys.of_job(db(), job.id)}
    if facts.before.relief_mm is None:
        kind = "straightness"
    elif not facts.before.complete(instrument.spec.strings):
        kind = "strings"
    elif not facts.before.cents:
        kind = "intonation"
    else:
        return redirect(url_for(".show", instrument_id=instrument_id))
    if kind in found and found[kind].head.stage == "before":
        return redirect(url_for("surveys.show", survey_id=found[kind].id))
    return redirect(url_for("surveys.new", job_id=job.id, kind=kind))


def _save(instrument: instruments.Instrument, form: SetupForm) -> None:
    assert form.plan is not None
    changed = setups.save(db(), instrument.id, form.plan, stamp())
    flash("Saved; what it was before is kept." if changed else "Nothing was changed.")


def _page(
    instrument_id: int, page: str, build: Callable[[instruments.Instrument, SetupPlan, SetupSurveys], dict[str, Any]]
) -> str | Response | tuple[str, int]:
    """A page with its own boxes: sending them saves them whole, or nothing when one is refused."""
    instrument, plan = _of(instrument_id)
    values, errors, code = values_of(plan), {}, 200
    if request.method == "POST":
        form = read("setup" if page == "show" else page, request.form, plan, instrument.spec)
        if form.plan is not None:
            _save(instrument, form)
            return redirect(url_for(f".{page}", instrument_id=instrument_id))
        values, errors, code = form.values, form.errors, 422
    common = _common(instrument, plan, page)
    if not common["playable"]:
        return render_template("setup/short.html", **common)
    built = build(instrument, plan, latest_read(db(), settings(), instrument))
    html = render_template(f"setup/{page}.html", **common, values=values, errors=errors, **built)
    return (html, code) if code != 200 else html


@screen.route("/instruments/<int:instrument_id>/setup/numbers", methods=["POST"])
def numbers(instrument_id: int) -> Response | tuple[str, int]:
    """Save the hand, the room to keep and the range of relief."""
    instrument, plan = _of(instrument_id)
    form = read("setup", request.form, plan, instrument.spec)
    if form.plan is not None:
        _save(instrument, form)
        return redirect(url_for(".show", instrument_id=instrument_id))
    common = _common(instrument, plan, "show")
    live = _live(instrument, plan, None, request.args)
    return (
        render_template(
            "setup/show.html",
            **common,
            **live,
            values=_trial_values(live) | form.values,
            errors=form.errors,
            targets=_targets(common["job"]),
        ),
        422,
    )


@screen.route("/instruments/<int:instrument_id>/setup/strings", methods=["GET", "POST"])
def strings(instrument_id: int) -> str | Response | tuple[str, int]:
    """String set and tuning: tension of each and all, and what a change would do. `?set=&tuning=` fills the boxes."""

    def build(instrument: instruments.Instrument, plan: SetupPlan, found: SetupSurveys) -> dict[str, Any]:
        tried, why = _picked(plan, instrument)
        return pages.strings_page(instrument, plan, tried) | {
            "values_tried": values_of(tried) if tried != plan else None,
            "mismatch": why,
            "sets": SETS,
            "tunings": TUNINGS,
            "picked_set": request.args.get("set", ""),
            "picked_tuning": request.args.get("tuning", ""),
        }

    return _page(instrument_id, "strings", build)


def _picked(plan: SetupPlan, instrument: instruments.Instrument) -> tuple[SetupPlan, str]:
    """The plan with a set and tuning from the lists; what does not go together is said."""
    data, tuning = SETS.get(request.args.get("set", "")), TUNINGS.get(request.args.get("tuning", ""))
    if data is None and tuning is None:
        return plan, ""
    notes = notes_of(tuning) if tuning else [one.note for one in plan.strings]
    if len(notes) == 6 and instrument.spec.strings == 12:
        notes = twelve(notes)
    if len(notes) != instrument.spec.strings:
        return plan, f"That tuning has {len(notes)} strings and this instrument {instrument.spec.strings}."
    if data is None:
        return (
            replace(
                plan,
                strings=tuple(replace(one, note=note, hz=None) for one, note in zip(plan.strings, notes, strict=True)),
            ),
            "",
        )
    try:
        return replace(plan, strings=tuple(made_of(data, notes))), ""
    except ValueError:
        return plan, f"That set has {len(data.thou)} strings and this instrument {instrument.spec.strings}."


@screen.post("/instruments/<int:instrument_id>/setup/strings/preview")
def strings_preview(instrument_id: int) -> Response:
    """Tension with the boxes as they stand; nothing is saved."""
    instrument, plan = _of(instrument_id)
    form = read("strings", request.form, plan, instrument.spec)
    words = {name: form.errors.get(name, "") for name in request.form if name != "csrf_token"}
    state = "refused" if form.plan is None else "saved" if form.plan == plan else "unsaved"
    said = render_template("shared/words.html", words=words, elsewhere=[], state=state, what="set")
    if form.plan is None:
        answer = make_response(said)
        answer.headers["HX-Reswap"] = "none"
        return answer
    common = _common(instrument, plan, "strings")
    return make_response(
        render_template("setup/strings_panel.html", **common, **pages.strings_page(instrument, plan, form.plan)) + said
    )


@screen.route("/instruments/<int:instrument_id>/setup/nut", methods=["GET", "POST"])
def nut(instrument_id: int) -> str | Response | tuple[str, int]:
    """Nut: how far to file each slot, with which file, when to stop; the blank, and the spacing of a new nut."""
    files, blades = _shelf()
    return _page(
        instrument_id, "nut", lambda instrument, plan, found: pages.nut_page(instrument, plan, found, files, blades)
    )


def _shelf() -> tuple[tuple[int, ...], tuple[int, ...]]:
    return settings().nut_files_um, settings().feelers_um


@screen.post("/instruments/<int:instrument_id>/setup/nut/shelf")
def shelf(instrument_id: int) -> Response:
    """The shop's nut files and feeler blades."""
    form = Form()
    files = lengths_listed(form.text("files"), form, "files", 100, 5_000)
    blades = lengths_listed(form.text("blades"), form, "blades", 10, 5_000)
    if form.errors:
        flash("Not saved. " + " ".join(form.errors.values()))
    else:
        shop.change(db(), {"nut_files_um": "; ".join(map(str, files)), "feelers_um": "; ".join(map(str, blades))})
        flash("Saved for the whole shop.")
    return redirect(url_for(".nut", instrument_id=instrument_id))


@screen.get("/instruments/<int:instrument_id>/setup/nut-template.pdf")
def nut_template(instrument_id: int) -> Response:
    """Both spacings at 1:1 with check bars, to cut out and lay on the blank."""
    instrument, plan = _of(instrument_id)
    try:
        raw = write_template(
            instrument.spec.name,
            instrument.spec.nut_width_um / 1000,
            pages.spacings(instrument, plan),
            [one.gauge_mm for one in plan.strings],
        )
    except ValueError as error:
        flash(f"No template: {error}.")
        return redirect(url_for(".nut", instrument_id=instrument_id))
    answer = make_response(raw)
    answer.headers["Content-Type"] = "application/pdf"
    answer.headers["Content-Disposition"] = "inline; filename=nut-spacing.pdf"
    return answer


@screen.route("/instruments/<int:instrument_id>/setup/saddle", methods=["GET", "POST"])
def saddle(instrument_id: int) -> str | Response | tuple[str, int]:
    """Saddles: raise or lower each, what comes off beneath a one-piece saddle, travel, the neck's shim, and the
    pickup's reach.
    """

    def build(instrument: instruments.Instrument, plan: SetupPlan, found: SetupSurveys) -> dict[str, Any]:
        job = jobs.open_of(db(), [instrument.id]).get(instrument.id)
        now = assembled(db(), instrument, plan, found)
        target = _targets(job)
        solved: Solved | None = None
        if target is None:
            solved = solve(plan, instrument.spec, now)
            target = target_of(plan, solved.relief_mm, {one.string: one.action_12_mm for one in solved.strung})
        return pages.saddle_page(instrument, plan, found.found, now, target) | {"accepted": solved is None}

    return _page(instrument_id, "saddle", build)


@screen.route("/instruments/<int:instrument_id>/setup/intonation", methods=["GET", "POST"])
def intonation(instrument_id: int) -> str | Response | tuple[str, int]:
    """Intonation: moves in mm and turns, what no shift removes, and the call for each string."""
    return _page(
        instrument_id, "intonation", lambda instrument, plan, found: pages.intonation_page(instrument, plan, found)
    )


@screen.get("/instruments/<int:instrument_id>/setup/buzz")
def buzz(instrument_id: int) -> str | Response | tuple[str, int]:
    """Buzz: what was heard on the map of the predicted clearance, and what causes it."""
    return _page(
        instrument_id,
        "buzz",
        lambda instrument, plan, found: pages.buzz_page(
            instrument, plan, found, assembled(db(), instrument, plan, found)
        ),
    )


@screen.post("/instruments/<int:instrument_id>/setup/buzz/hand")
def learn(instrument_id: int) -> Response:
    """Take this player's hand, as heard, for the next setup; an empty form goes back to the specification's hand."""
    instrument, plan = _of(instrument_id)
    if "forget" in request.form:
        setups.save(db(), instrument_id, replace(plan, pluck_n=()), stamp())
        flash("Back to the hand of the specification.")
        return redirect(url_for(".buzz", instrument_id=instrument_id))
    found = latest_read(db(), settings(), instrument)
    heard = pages.heard_in(found)
    if not heard or instrument.spec.frets < 12:
        flash("Play and mark some notes first.")
        return redirect(url_for(".buzz", instrument_id=instrument_id))
    now = assembled(db(), instrument, plan, found)
    diagnosis = pages.diagnosed(now, heard)
    force = learned_hand(diagnosis.hand, {one.string: one.pluck_n for one in now.strings})
    setups.save(
        db(),
        instrument_id,
        replace(plan, pluck_n=tuple(round(min(20.0, max(0.05, force[one.string])), 3) for one in now.strings)),
        stamp(),
    )
    flash("This hand is kept for the next setup.")
    return redirect(url_for(".show", instrument_id=instrument_id))


@screen.get("/surveys/<int:survey_id>/listen")
def listen(survey_id: int) -> str:
    """Intonation from sound: open, harmonic and fretted notes in turn, recorded here or uploaded as WAV."""
    survey, instrument, plan = _sounding(survey_id)
    return render_template(
        "setup/listen.html", **_common(instrument, plan, "intonation"), **pages.listen_page(survey, plan, request.args)
    )


def _sounding(survey_id: int) -> tuple[surveys.Survey, instruments.Instrument, SetupPlan]:
    with or_404():
        survey = surveys.get(db(), survey_id)
        if survey.head.kind != "intonation":
            raise KeyError(survey_id)
        instrument = instruments.get(db(), survey.instrument_id)
    return survey, instrument, setups.plan_of(db(), instrument.id, instrument.spec)


@screen.post("/surveys/<int:survey_id>/sound")
def sound(survey_id: int) -> Response | tuple[Response, int]:
    """Take one recorded note: a WAV file, or one that the page has recorded. The pitch is found here, and the cents are
    stored.

    Answers JSON to a script and a redirect to a plain form; 422 with the reason when the recording is refused.
    """
    survey, _, plan = _sounding(survey_id)
    step = pages.step_named(survey, request.form.get("step", ""))
    upload = request.files.get("wav")
    if step is None:
        return _deaf(survey_id, "", "That note is not part of this survey.")
    if upload is None or not upload.filename:
        return _deaf(survey_id, step.code, "No recording came: record the note, or choose a WAV file.")
    make = plan.strings[step.string - 1]
    try:
        samples, rate = read_wav(upload.read(MOST_SOUND + 1))
        expected = make.pitch_hz(plan.a4_hz) * 2 ** (step.fret / 12)
        found = pitch(samples, rate, expected, plan.a4_hz)
    except (WavError, PitchError) as error:
        text = str(error)
        return _deaf(survey_id, step.code, f"{text[:1].upper()}{text[1:]}")
    except ValueError as error:
        return _deaf(survey_id, step.code, f"Give string {step.string} its note on the Strings page first: {error}.")
    surveys.add_sounded(
        db(), survey_id, Sounded(step.string, step.what, step.fret, found.hz, found.confidence, stamp())
    )
    cents = _store_cents(survey, step.string)
    state = pages.listen_page(survey, plan, {})
    if not wants_json():
        return redirect(url_for(".listen", survey_id=survey_id))
    return jsonify(
        hz=f"{found.hz:.2f}",
        note=found.note,
        off=f"{cents_between(found.hz, expected):+.1f}",
        confidence=f"{100 * found.confidence:.0f}",
        cents={
            f"{lane}:{fret}": SURVEY_KINDS["intonation"].words(value, display())
            for (lane, fret), value in cents.items()
        },
        next=state["at"].code if state["at"] else "",
        href=url_for(".listen", survey_id=survey_id),
    )


def _store_cents(survey: surveys.Survey, string: int) -> dict[tuple[str, int], int]:
    """Work the string's cents out of what was heard and keep each as a reading; a new one corrects the one before."""
    heard = {(one.what, one.fret): one.hz for one in surveys.sounded(db(), survey.id) if one.string == string}
    open_hz = heard.get(("open", 0))
    if open_hz is None:
        return {}
    rows, stored = [], {}
    for (what, fret), hz in heard.items():
        value = round(PER_CENT * cents_between(hz, open_hz * 2 ** (fret / 12)))
        if what == "fretted" and SURVEY_KINDS["intonation"].problem(value, fret) is None:
            rows.append(((str(string), fret), value, f"heard {hz:.3f} Hz, open {open_hz:.3f} Hz"[:60]))
            stored[str(string), fret] = value
    surveys.add_many(db(), survey.id, rows, stamp())
    return stored


def _deaf(survey_id: int, step: str, words: str) -> Response | tuple[Response, int]:
    if wants_json():
        return jsonify(error=words), 422
    flash(f"Not taken. {words}")
    return redirect(url_for(".listen", survey_id=survey_id, step=step))
