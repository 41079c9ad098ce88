"""The setup as read, as tried and solved; what leads from the one to the other; and accepting it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime

from deft_bench.bench.setup.buzz import heard_in, read_sd
from deft_bench.bench.setup.in_order import ToDo, to_do
from deft_bench.bench.setup.readings import SetupSurveys, assembled, latest_read, setup_facts, setup_reach
from deft_bench.bench.survey_results import questioned
from deft_bench.core.calls import Call
from deft_bench.core.described import to_fields
from deft_bench.core.doubts import doubted_call
from deft_bench.core.instrument import Spec
from deft_bench.core.shop_settings import ShopSettings
from deft_bench.core.strings.assembled import (
    Assembled,
    Trial,
    as_set,
    fret_first,
    solve,
    target_of,
    target_record,
    usual_action,
)
from deft_bench.core.strings.clearance import Strung
from deft_bench.core.strings.cured import cured_target, raised_target, within_custom
from deft_bench.core.strings.customary import string_kind, usual_range
from deft_bench.core.strings.diagnose import Diagnosis, diagnose
from deft_bench.core.strings.presets import Preset
from deft_bench.core.strings.setup_call import setup_call
from deft_bench.core.strings.setup_check import checked, checked_words
from deft_bench.core.strings.setup_job import SetupTarget
from deft_bench.core.strings.setup_plan import SetupPlan, string_names
from deft_bench.core.strings.setup_solve import Solved
from deft_bench.core.strings.string_set import SETS, TUNINGS, made_of, notes_of, twelve
from deft_bench.core.survey_kinds import SURVEY_KINDS
from deft_bench.core.times import stamp
from deft_bench.store import instruments, jobs, presets, setups, surveys
from deft_bench.store.database import Connection, transaction

RELIEF_TRIED_UM, NUT_TRIED_UM = (-1_000, 2_000), (-2_000, 2_000)
"""Between what relief, and the height of the nut against the slots as read, may be tried."""


class NothingReadError(ValueError):
    """A setup cannot be accepted where nothing at all was read; the words say what to read."""


@dataclass(frozen=True, slots=True)
class SetupFindings:
    """The strings as read and as tried, and the lowest setup without buzz; the call, and what is to be done for it."""

    read: SetupSurveys
    now: Assembled
    tried: Assembled
    solved: Solved
    present: Sequence[Strung]
    strung: Sequence[Strung]
    call: Call
    todo: list[ToDo]
    preset: SetupTarget
    preset_of: Preset
    preset_says: str
    usual: Sequence[tuple[float, float]]

    @property
    def offered(self) -> bool:
        """Whether the solved setup is offered as a target."""
        return self.call.do != "preset"


def setup_findings(
    db: Connection,
    settings: ShopSettings,
    instrument: instruments.Instrument,
    plan: SetupPlan,
    trial: Trial | None = None,
    preset_id: int = 0,
) -> SetupFindings:
    """The whole of the Setup screen; without a trial, what is tried is what was read. `preset_id` 0 is the shop's."""
    spec, names, shown = instrument.spec, string_names(plan), settings.display
    read = latest_read(db, settings, instrument)
    now = assembled(db, instrument, plan, read)
    tried = assembled(db, instrument, plan, read, trial) if trial else now
    solved, present = solve(plan, spec, now), now.strung()
    first = fret_first(plan, spec, now, solved, settings.rock_mm)
    customary = [usual_action(spec, one.string) for one in solved.strung]
    call = setup_call(
        solved,
        plan.margin_um / 1000,
        present if len(read.found.action_mm) == spec.strings else (),
        now.frame.relief_mm,
        names,
        shown.fine_mm,
        now.unread,
        first,
        customary,
        spec.rod == "none",
    )
    chosen = preset_chosen(db, settings, plan, spec, preset_id)
    preset = preset_target(chosen, plan, spec, now)
    check = checked(as_set(plan, spec, now, preset.relief_mm, preset.action_mm, chosen.force), now.frame, now.stroke)
    hung_on = [survey for kind, survey in read.of.items() if kind != "intonation"]
    odd = [doubt for survey in hung_on for doubt in questioned(db, settings, survey)]
    call = doubted_call(call, odd) if odd else call
    job = jobs.open_of(db, [instrument.id]).get(instrument.id)
    accepted = setups.last_accepted(db, job.id) if job else None
    toward = accepted.target if accepted else _as_target(plan, solved)
    reach = setup_reach(db, settings, instrument, read, toward)
    todo = to_do(spec, plan, now, read.found, toward, reach, names, shown)
    return SetupFindings(
        read,
        now,
        tried,
        solved,
        present,
        tried.strung(),
        call,
        todo,
        preset,
        chosen,
        checked_words(check, names, shown.fine_mm),
        [usual_range(mm) for mm in customary],
    )


def preset_chosen(db: Connection, settings: ShopSettings, plan: SetupPlan, spec: Spec, preset_id: int) -> Preset:
    """A preset by its id where it is for such strings; else the shop's own for them."""
    kind = string_kind(spec, plan.strings)
    named = presets.named(db, kind).get(preset_id)
    if named is None:
        return settings.preset(kind)
    relief, treble, bass = (um / 1000 for um in (named.relief_um, named.treble_um, named.bass_um))
    gap, pickup = (None if um is None else um / 1000 for um in (named.gap_um, named.pickup_um))
    return Preset(relief, treble, bass, named.name, True, gap, named.force_percent / 100, pickup)


def preset_target(preset: Preset, plan: SetupPlan, spec: Spec, at: Assembled) -> SetupTarget:
    """What is set by a preset on such strings for this player's hand; a neck without a rod keeps its relief."""
    relief = at.frame.relief_mm if spec.rod == "none" else preset.relief_for(spec.hand)
    actions = {n: preset.action_for(n, spec.strings, spec.hand) for n in range(1, spec.strings + 1)}
    target = target_of(plan, relief, actions)
    return replace(target, gap_mm={n: preset.gap_for(*usual) for n, usual in target.gap_mm.items()})


def trial_problems(
    db: Connection,
    settings: ShopSettings,
    instrument: instruments.Instrument,
    plan: SetupPlan,
    lengths_um: Mapping[str, int | None],
) -> dict[str, str]:
    """What cannot be tried, by box: `relief`, `nut`, and `action_1` … by string."""
    shown = settings.display
    wrong: dict[str, str] = {}
    limits = {"relief": (RELIEF_TRIED_UM, ""), "nut": (NUT_TRIED_UM, " against the slots as read")}
    for name, um in lengths_um.items():
        if um is None:
            continue
        if name not in limits:
            problem = SURVEY_KINDS["strings"].problem(um, 12)
        else:
            (least, most), against = limits[name]
            accepted = f"Accepted: {shown.fine(least)} to {shown.fine(most)}{against}."
            problem = None if least <= um <= most else accepted
        if problem:
            wrong[name] = problem
    return wrong


def lies_on_a_fret(
    db: Connection, settings: ShopSettings, instrument: instruments.Instrument, plan: SetupPlan, tried: Trial
) -> dict[str, str]:
    """The box that makes a string of a trial lie on a fret, with the words; empty when none does."""
    read = latest_read(db, settings, instrument)
    for string in assembled(db, instrument, plan, read, tried).strung():
        place = string.lies_on()
        if place:
            high = settings.display.fine_mm(place[1])
            why = f"So string {string.string} would lie on fret {place[0]}, which is {high} above it at rest."
            return {"relief" if tried.relief_mm < 0 else f"action_{string.string}": why}
    return {}


def accept_setup(
    db: Connection,
    settings: ShopSettings,
    now: datetime,
    job: jobs.Job,
    instrument: instruments.Instrument,
    plan: SetupPlan,
    trial: Trial | None,
    preset_id: int | None = None,
) -> None:
    """Keep what is tried as the job's target, or a preset (0 the shop's), or the solved setup when nothing is. A
    preset's pickup gap becomes the one that is wanted. Raises NothingReadError.
    """
    read = latest_read(db, settings, instrument)
    if read.found.relief_mm is None and not read.found.action_mm and not read.found.gap_mm:
        raise NothingReadError("Nothing is read yet: read the relief, the action or a first-fret gap before accepting.")
    strings = assembled(db, instrument, plan, read)
    if preset_id is not None:
        preset = preset_chosen(db, settings, plan, instrument.spec, preset_id)
        target = preset_target(preset, plan, instrument.spec, strings)
        if preset.pickup_mm is not None:
            plan = replace(plan, pickup_target_um=round(preset.pickup_mm * 1000))
    elif trial is None:
        target = solved_target(plan, instrument.spec, strings)
    else:
        target = target_of(plan, trial.relief_mm, dict(trial.action_mm))
    with transaction(db):
        if preset_id is not None:
            setups.PLANS.save(db, instrument.id, plan, stamp(now))
        _keep_target(db, now, job, plan, read, strings, target)


def _keep_target(
    db: Connection,
    now: datetime,
    job: jobs.Job,
    plan: SetupPlan,
    read: SetupSurveys,
    strings: Assembled,
    target: SetupTarget,
) -> None:
    inputs = {
        "plan": to_fields(plan),
        "relief_um": None if read.found.relief_mm is None else round(read.found.relief_mm * 1000),
        "surveys": {kind: survey.uid for kind, survey in read.of.items()},
        "unread": list(strings.unread),
    }
    setups.accept(db, job.id, stamp(now), inputs, target_record(target))


def accept_cure(
    db: Connection,
    settings: ShopSettings,
    now: datetime,
    job: jobs.Job,
    instrument: instruments.Instrument,
    plan: SetupPlan,
    *,
    raised: bool,
) -> bool:
    """Keep what cures the buzzes heard as the job's target: the cure to try first, or `raised` action; False where
    there is none.
    """
    read = latest_read(db, settings, instrument)
    strings = assembled(db, instrument, plan, read)
    cure = cures(db, settings, instrument, plan, read, strings, job)
    target = cure.raised if raised else cure.first
    if target is not None:
        _keep_target(db, now, job, plan, read, strings, target)
    return target is not None


@dataclass(frozen=True, slots=True)
class Cures:
    """Targets that cure what buzzes: by the cure to try first, None where that is no matter of the setup; and by
    raising the action, None where nothing buzzes.
    """

    first: SetupTarget | None
    raised: SetupTarget | None


def cures(
    db: Connection,
    settings: ShopSettings,
    instrument: instruments.Instrument,
    plan: SetupPlan,
    read: SetupSurveys,
    now: Assembled,
    job: jobs.Job,
    diagnosis: Diagnosis | None = None,
) -> Cures:
    """What the job's target would become to cure what was heard; `diagnosis` where it is known."""
    heard = heard_in(db, read, instrument.spec.frets)
    if not any(note.buzz for note in heard):
        return Cures(None, None)
    accepted = setups.last_accepted(db, job.id)
    target = accepted.target if accepted else solved_target(plan, instrument.spec, now)
    found = diagnosis or diagnose(now.frame, now.strings, heard, now.stroke, read_sd(plan, read, now))
    rest = (
        target,
        read.found,
        heard,
        found,
        setup_reach(db, settings, instrument, read, target),
        instrument.spec.bridge,
    )
    free = (plan.relief_low_um / 1000, plan.relief_high_um / 1000)
    usual = {n: usual_action(instrument.spec, n) for n in target.action_mm}
    return Cures(within_custom(cured_target(*rest, free), usual), within_custom(raised_target(*rest), usual))


def solved_target(plan: SetupPlan, spec: Spec, strings: Assembled) -> SetupTarget:
    """The lowest setup without buzz as a target."""
    return _as_target(plan, solve(plan, spec, strings))


def _as_target(plan: SetupPlan, solved: Solved) -> SetupTarget:
    return target_of(plan, solved.relief_mm, {string.string: string.action_12_mm for string in solved.strung})


def intake_due(
    db: Connection, settings: ShopSettings, job: jobs.Job, instrument: instruments.Instrument
) -> tuple[str, surveys.Survey | None] | None:
    """The kind of survey that the intake wants next, and the one that is begun; None when all is read."""
    before = setup_facts(db, settings, job, instrument).before
    if before.relief_mm is None:
        kind = "straightness"
    elif not before.complete(instrument.spec.strings):
        kind = "strings"
    elif not before.cents:
        kind = "intonation"
    else:
        return None
    begun = {survey.head.kind: survey for survey in surveys.of_job(db, job.id)}.get(kind)
    return kind, begun if begun and begun.head.when == "before" else None


def with_set(plan: SetupPlan, spec: Spec, string_set: str, tuning: str) -> tuple[SetupPlan, str]:
    """The plan with a set and tuning from the lists (empty: as they are), and what does not go together."""
    data, notes_named = SETS.get(string_set), TUNINGS.get(tuning)
    if data is None and notes_named is None:
        return plan, ""
    notes = notes_of(notes_named) if notes_named else [string.note for string in plan.strings]
    if len(notes) == 6 and spec.strings == 12:
        notes = twelve(notes)
    if len(notes) != spec.strings:
        return plan, f"That tuning has {len(notes)} strings and this instrument {spec.strings}."
    if data is None:
        tuned = [replace(string, note=note, hz=None) for string, note in zip(plan.strings, notes, strict=True)]
        return replace(plan, strings=tuple(tuned)), ""
    try:
        return replace(plan, strings=tuple(made_of(data, notes))), ""
    except ValueError:
        return plan, f"That set has {len(data.thou)} strings and this instrument {spec.strings}."
