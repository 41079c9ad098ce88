"""Operations as data: every route under any schools keeps every rule, every rule matters, and a bad entry is named
and left out.
"""

import itertools
import random
import re
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from deft_bench.core.work.catalogue import Rule
from deft_bench.core.work.extent import whole
from deft_bench.core.work.job_sheet import Event, SheetPlan, job_sheet
from deft_bench.core.work.run_sheet import RunSheetError, rules_among, run_sheet, too_early
from deft_bench.formats.calc import RequestError, calculate
from deft_bench.formats.operations_toml import extend, shipped

BOOK = shipped()
HEAD = 'format = "deft-bench-operations"\nversion = 1\n'
PLAIN = {"bound": "no", "nibs": "no", "fanned": "no"}


def any_schools(chance: random.Random) -> dict[str, str]:
    return {code: chance.choice(sorted(school.choices)) for code, school in BOOK.schools.items()}


@settings(max_examples=120)
@given(st.sampled_from(sorted(BOOK.routes)), st.integers(0, 10**6))
def test_any_route_under_any_schools_breaks_no_rule(route: str, seed: int) -> None:
    chance = random.Random(seed)
    facts = {name: chance.choice(["yes", "no"]) for name in PLAIN}
    sheet = run_sheet(BOOK, route, facts, any_schools(chance))
    place = {code: i for i, code in enumerate(sheet.codes)}
    assert len(place) == len(sheet.steps)
    assert all(place[rule.before] < place[rule.after] for rule in sheet.rules)
    assert sheet.broken == ()
    # part of it is done, in the order of the sheet; then the shop changes its mind about everything
    done = sheet.codes[: chance.randint(0, len(sheet.codes))]
    other = run_sheet(BOOK, route, facts, any_schools(chance), done=done)
    assert other.codes[: len(done)] == done
    left = {code: i for i, code in enumerate(other.codes) if code not in done}
    assert all(
        left[rule.before] < left[rule.after] for rule in other.rules if rule.before in left and rule.after in left
    )
    # a shuffled order names just the rules that it breaks
    shuffled = chance.sample(sheet.codes, len(sheet.codes))
    tried = run_sheet(BOOK, route, facts, {code: sheet.facts[code] for code in BOOK.schools}, order=shuffled)
    at = {code: i for i, code in enumerate(shuffled)}

    assert [rule for rule in sheet.rules if at[rule.before] > at[rule.after]] == list(tried.broken)


@pytest.mark.parametrize("route", sorted(BOOK.routes))
def test_strings_come_off_before_frets_and_only_where_there_are_some(route: str) -> None:
    codes = run_sheet(BOOK, route, PLAIN, any_schools(random.Random(route))).codes
    if "pull_frets" in codes:
        assert codes.index("strings_off") < codes.index("pull_frets")
    assert route != "new_board" or "strings_off" not in codes


def test_every_rule_is_broken_by_some_order() -> None:
    unused = list(BOOK.rules)
    choices = [
        dict(zip(BOOK.schools, values, strict=True))
        for values in itertools.islice(
            itertools.product(*(sorted(school.choices) for school in BOOK.schools.values())), 0, None, 37
        )
    ]
    for route, facts, schools in itertools.product(BOOK.routes, ({**PLAIN, "bound": "yes", "fanned": "yes"},), choices):
        if not unused:
            break
        sheet = run_sheet(BOOK, route, facts, schools)
        for rule in [rule for rule in unused if rule in sheet.rules]:
            codes = [code for code in sheet.codes if code != rule.before]
            moved = [*codes, rule.before]
            assert rule in run_sheet(BOOK, route, facts, schools, order=moved).broken
            assert rule in too_early(sheet, rule.after, [])
            unused.remove(rule)
    assert unused == []


def test_done_work_and_repairs_keep_their_places() -> None:
    sheet = run_sheet(BOOK, "refret", {**PLAIN, "bound": "yes"})
    assert "nip_tangs" in sheet.codes
    assert "nip_tangs" not in run_sheet(BOOK, "refret", PLAIN).codes
    assert sheet.codes.index("ends") < sheet.codes.index("mask") < sheet.codes.index("level")
    late = run_sheet(BOOK, "refret", PLAIN, {"mask": "before_crown"})
    assert late.codes.index("level") < late.codes.index("mask") < late.codes.index("crown")
    assert "mask" not in run_sheet(BOOK, "refret", PLAIN, {"mask": "guard"}).codes
    done = sheet.codes[:9]
    repaired = run_sheet(BOOK, "refret", {**PLAIN, "bound": "yes"}, done=done, added=["chip_repair"])
    assert repaired.codes[:10] == [*done, "chip_repair"]
    early = run_sheet(BOOK, "level_and_dress", PLAIN, done=["polish"])
    assert early.codes[0] == "polish"
    assert early.broken == ()
    for where, asked in (
        ("route", {"route": "paint"}),
        ("schools.mask", {"schools": {"mask": "wax"}}),
        ("schools.hat", {"schools": {"hat": "on"}}),
        ("done", {"done": ["dance"]}),
        ("order", {"order": ["level"]}),
    ):
        with pytest.raises(RunSheetError) as refused:
            run_sheet(BOOK, **{"route": "setup", "facts": PLAIN, **asked})  # type: ignore[arg-type]
        assert refused.value.where == where


def test_the_calculation_gives_steps_minutes_and_what_is_spoiled() -> None:
    asked = {"route": "level_and_dress", "instrument": {"frets": 22, "strings": 6}}
    answer = calculate("run-sheet", asked)
    codes = [step["code"] for step in answer["steps"]]
    assert answer["broken"] == []
    assert answer["minutes"] == pytest.approx(sum(step["minutes"] for step in answer["steps"]))
    level = answer["steps"][codes.index("level")]
    assert level["minutes"] == pytest.approx(18 + 0.4 * 22)
    assert {rule["before"] for rule in level["fixed_by"]} >= {"straight", "survey", "reseat", "mask"}
    swapped = [*codes]
    i, k = swapped.index("mask"), swapped.index("oil")
    swapped[i], swapped[k] = swapped[k], swapped[i]
    broken = calculate("run-sheet", {**asked, "order": swapped})["broken"]
    assert any(rule["before"] == "mask" and "tape does not hold" in rule["spoils"] for rule in broken)
    cold = calculate(
        "run-sheet",
        {
            "route": "new_board",
            "instrument": {"frets": 22, "strings": 6, "hardness": "hard"},
            "temperature_c": 10,
            "tool": "worn",
        },
    )
    warm = calculate("run-sheet", {"route": "new_board", "instrument": {"frets": 22, "strings": 6}})
    waits = {step["code"]: step["wait_minutes"] for step in cold["steps"]}
    assert waits["glue_board"] == pytest.approx(2880)
    assert cold["minutes"] > warm["minutes"]
    for bad, line in (
        ({"route": "paint"}, "route: “paint” is no route"),
        ({"schools": {"mask": "wax"}}, "schools.mask"),
        ({"done": ["dance"]}, "done: “dance”"),
        ({"instrument": {"frets": 0, "strings": 6}}, "instrument.frets"),
    ):
        with pytest.raises(RequestError) as refused:
            calculate("run-sheet", {**asked, **bad})
        assert any(found.startswith(line) for found in refused.value.lines), refused.value.lines


def test_a_shop_adds_its_own_and_bad_entries_are_named_by_line() -> None:
    page = Path(__file__).parents[2] / "docs" / "formats" / "operations-toml.md"
    example = re.findall(r"```toml\n(.*?)```", page.read_text("utf-8"), re.S)[0]
    book, problems = extend(BOOK, example)
    assert problems == []
    assert run_sheet(book, "wax_only", PLAIN, {"surface": "bare"}).codes == ["clean", "wax_board"]
    assert run_sheet(book, "wax_only", PLAIN).codes == ["clean"]
    assert "wax_board" not in BOOK.operations
    good = '[operation.steam]\ntitle = "Steam"\nstage = "frets"\nminutes = [5, 0, 0]\n'
    for body, line, words in (
        ('[operation.bad]\ntitle = "x"\nstage = "frets"\nminutes = [-5, 0, 0]\n', 3, "minutes must be three numbers"),
        ('[operation.bad]\ntitle = "x"\nstage = "attic"\nminutes = [5, 0, 0]\n', 3, "phase must be one of"),
        (
            '[operation.bad]\ntitle = "x"\nphase = "frets"\nminutes = [5, 0, 0]\nshown_by = { setup = "seating" }\n',
            3,
            "shown_by.setup must be one of: intake",
        ),
        ('[operation.bad]\ntitle = ""\nstage = "frets"\nminutes = [5, 0, 0]\n', 3, "title must be a text"),
        ('[operation.bad]\ntitle = "x"\nstage = "frets"\nminutes = [5, 0, 0]\ncolour = 3\n', 3, "unknown field colour"),
        (
            '[operation.bad]\ntitle = "x"\nstage = "frets"\nminutes = [5, 0, 0]\ncautions = ["bears"]\n',
            3,
            "no caution is called “bears”",
        ),
        ('[operation.bad]\ntitle = "x"\nstage = "frets"\nminutes = [5, 0, 0]\nwait = -1\n', 3, "wait must be a number"),
        (
            '[operation.bad]\ntitle = "x"\nstage = "frets"\nminutes = [5, 0, 0]\ngrits = ["sand 3"]\n',
            3,
            "give abrasives such as",
        ),
        ('rules = [\n { before = "crown", after = "level", spoils = "x" },\n]\n', 4, "makes a circle: "),
        ('rules = [\n { before = "crown", after = "moon", spoils = "x" },\n]\n', 4, "no operation is called “moon”"),
        ('[routes.odd]\ntitle = "Odd"\nsteps = ["@nothing"]\n', 3, "no group is called “nothing”"),
        (
            '[routes.odd]\ntitle = "Odd"\nsteps = ["clean", { step = "oil", when = { surface = ["mud"] } }]\n',
            3,
            "“mud” is none of",
        ),
        ('[schools.mask]\ntitle = "x"\ndefault = "a"\nchoices = { bb = "b" }\n', 3, "default must be one of"),
    ):
        book, problems = extend(BOOK, HEAD + body + good)
        assert [(one.line, words in one.why) for one in problems] == [(line, True)], (body, problems)
        assert "steam" in book.operations
        assert run_sheet(book, "setup", PLAIN).broken == ()
    assert extend(BOOK, "x = [")[1][0].why.startswith("not TOML")
    assert "the first lines must say" in extend(BOOK, "a = 1")[1][0].why
    assert "larger than" in extend(BOOK, "#" * 600_000)[1][0].why


def test_the_shipped_data_hold_together() -> None:
    assert len(BOOK.operations) > 75
    on_routes = {step.code for route in BOOK.routes.values() for step in route.steps}
    assert {code for code, one in BOOK.operations.items() if not one.repair} == on_routes
    assert len(rules_among(BOOK, list(BOOK.operations), {**PLAIN, **BOOK.defaults(), "work": "board"})) > 80
    for one in BOOK.operations.values():
        assert one.active(whole(24, 8)) >= 0
        assert set(one.cautions) <= set(BOOK.cautions)
        assert not re.search(r"\d ?mm", one.title + one.gate), one.code


def test_a_circle_in_the_rules_loses_nothing_that_is_done() -> None:
    circle = (Rule(998, "crown", "level", "x"), Rule(999, "level", "crown", "x"))
    plan = SheetPlan("level_and_dress")
    done = job_sheet(BOOK, plan, PLAIN, ()).codes[:3]
    events = [Event(code, "finished", f"2026-03-01T10:0{i}:00Z") for i, code in enumerate(done)]
    sheet = job_sheet(replace(BOOK, rules=(*BOOK.rules, *circle)), plan, PLAIN, events)
    assert [step.operation.code for step in sheet.steps if step.done] == list(done)
    assert {"level", "crown"} <= set(sheet.codes)
