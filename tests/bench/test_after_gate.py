"""The gate after a level: by heights with a gauge that can tell, or by the rocker over every three frets."""

from dataclasses import replace

import pytest

from deft_bench.bench.level_acceptance import accept_level, carried_out, fingerprint
from deft_bench.bench.level_in_hand import level_in_hand
from deft_bench.bench.level_planning import Choices, make_plan
from deft_bench.bench.survey_results import facts_of, height_surveys, survey_results
from deft_bench.core.level_job import level_now
from deft_bench.core.survey import SurveyHead, places
from deft_bench.core.survey_kinds import FLAT_UM, GONE_UM, LEFT_UM, ROCKS_UM, Place
from deft_bench.store import instruments, jobs, shop, surveys
from deft_bench.store.database import Connection
from harness import Bench, words

HERON, AVOCET = 1, 5
ACCEPTED, DONE, READ = (f"2026-08-24T10:{minute}:00.000Z" for minute in ("00", "20", "40"))
HEIGHTS = SurveyHead("fret_heights", "after", "gap", "fret_tops", "straightedge", 20, "off", None, None, "lane_by_lane")
ROCKER = replace(HEIGHTS, kind="rocker", method="three_frets", tool="fret rocker")
INK = replace(HEIGHTS, kind="ink", method="ink_left", tool="levelling beam", strokes=1)
CALLED, EVERY_FRET = Choices(), Choices(lift=())
"""As it is called, or a level of all frets as it stands."""


def accepted(db: Connection, choices: Choices = CALLED) -> tuple[jobs.Job, instruments.Instrument]:
    job, instrument, settings = jobs.open_of(db, [AVOCET])[AVOCET], instruments.get(db, AVOCET), shop.settings(db)
    base = survey_results(db, settings, height_surveys(db, job)[-1], instrument)
    shown = fingerprint(make_plan(db, settings, job, instrument, base, choices))
    assert accept_level(db, settings, job.id, choices, "out", shown, ACCEPTED) == ""
    return job, instrument


def levelled(db: Connection, choices: Choices = CALLED) -> tuple[jobs.Job, instruments.Instrument]:
    job, instrument = accepted(db, choices)
    plan = jobs.last_plan(db, job.id)
    assert plan
    assert jobs.mark_done(db, plan, AVOCET, DONE)
    return job, instrument


def test_the_headline_follows_the_option_and_the_plan_its_readings(bench: Bench, demo: Connection) -> None:
    heron = jobs.open_of(demo, [HERON])[HERON]
    page = f"/jobs/{heron.id}/level"
    assert "Lift fret 9 before you level." in words(bench.get(page))
    as_it_stands = words(bench.get(f"{page}?lift=none"))
    assert "Level all: 0.22 mm at the most" in as_it_stands
    assert "off the worst fret" in as_it_stands
    assert "Marked frets only" not in as_it_stands  # a low fret would stay low
    marked = words(bench.get(f"/jobs/{jobs.open_of(demo, [AVOCET])[AVOCET].id}/level"))
    assert "Marked frets only" in marked
    # what comes off is on the bench page, and a correction makes the plan stale
    job, _ = accepted(demo)
    plan = jobs.last_plan(demo, job.id)
    assert plan
    page = f"/jobs/{job.id}/level"
    shown = bench.get(page)
    assert "ink goes first where it is most" in words(shown)
    worst = max(um for off in plan.level.removal_um.values() for um in off if um)
    assert f'class="num most">{round(worst / 10)}<' in shown
    assert "Corrected since" not in shown
    surveys.add_many(demo, plan.survey_id, [(("middle", 4), 90, "0.09")], READ)
    assert "Corrected since it was accepted: fret 4 middle. Plan again" in words(bench.get(page))


def read(db: Connection, job: jobs.Job, head: SurveyHead, frets: int, value: int, but: dict[Place, int | None]) -> None:
    survey = surveys.start(db, AVOCET, job.id, frets, head, READ)
    rows = [(place, but.get(place, value), "") for place in places(head, frets)]
    surveys.add_many(db, survey, [(place, um, typed) for place, um, typed in rows if um is not None], READ)


def test_a_rocker_over_every_three_frets_passes_the_gate(demo: Connection) -> None:
    job, instrument = levelled(demo)
    settings, frets = shop.settings(demo), instrument.spec.frets
    assert level_now(facts_of(demo, settings, job, instrument))[0] == "after"
    some = dict.fromkeys(places(ROCKER, frets)[5:])
    read(demo, job, ROCKER, frets, FLAT_UM, dict(some))
    assert carried_out(demo, settings, job, instrument) is None  # not every test was made
    read(demo, job, ROCKER, frets, FLAT_UM, {("middle", 7): ROCKS_UM})
    found = carried_out(demo, settings, job, instrument)
    assert found
    assert not found[1].passes
    read(demo, job, ROCKER, frets, FLAT_UM, {})
    assert level_now(facts_of(demo, settings, job, instrument)) == ("close", "The gate has passed: close the job.")
    in_hand = level_in_hand(demo, settings, job, instrument, {})
    assert in_hand.gate
    assert in_hand.gate.by_rocker


@pytest.mark.parametrize("stays", [False, True])
def test_ink_that_goes_everywhere_passes_the_gate(bench: Bench, demo: Connection, stays: bool) -> None:
    job, instrument = levelled(demo, EVERY_FRET)
    settings, frets = shop.settings(demo), instrument.spec.frets
    kept: dict[Place, int | None] = dict.fromkeys([("bass", 4), ("bass", 5), ("bass", 6)], LEFT_UM) if stays else {}
    read(demo, job, replace(INK, strokes=6 if stays else 1), frets, GONE_UM, kept)
    found = carried_out(demo, settings, job, instrument)
    assert found
    assert found[1].chance is not None
    assert found[1].passes is not stays
    said = words(bench.get(f"/jobs/{job.id}/level"))
    assert ("The gate passes: nothing rocks in " in said) is not stays


def test_a_gauge_that_cannot_tell_the_gate_says_so_and_the_rocker_settles_it(bench: Bench, demo: Connection) -> None:
    job, instrument = levelled(demo)
    settings, frets = shop.settings(demo), instrument.spec.frets
    read(demo, job, replace(HEIGHTS, resolution_um=50), frets, 0, {})
    found = carried_out(demo, settings, job, instrument)
    assert found
    assert (found[1].passes, found[1].misses, found[1].coarse_mm) == (False, (), 0.05)
    page = words(bench.get(f"/jobs/{job.id}/level"))
    assert "This gauge reads to 0.05 mm: it cannot tell the 0.02 mm that the gate asks" in page
    read(demo, job, ROCKER, frets, FLAT_UM, {})
    assert "The gate passes: nothing rocks, in three lanes." in words(bench.get(f"/jobs/{job.id}/level"))
    assert "nothing rocks over any three frets" in words(bench.get(f"/jobs/{job.id}/record"))
    # heights read later with a gauge that can tell count again
    read(demo, job, HEIGHTS, frets, 0, {("middle", 9): 200})
    again = carried_out(demo, settings, job, instrument)
    assert again
    assert [(miss.lane, miss.fret) for miss in again[1].misses] == [("middle", 9)]
