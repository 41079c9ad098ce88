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

from deft_bench.core.instrument import CHOICES
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


def any_instrument(chance: random.Random) -> dict[str, str]:
    flags = {name: chance.choice(["yes", "no"]) for name in (*PLAIN, "pickups", "taller_wire")}
    return flags | {name: chance.choice(sorted(CHOICES[name])) for name in ("joint", "bridge")}


@settings(max_examples=120)
@given(st.sampled_from(sorted(BOOK.routes)), st.integers(0, 10**6))
def test_any_route_under_any_schools_breaks_no_rule(route: str, seed: int) -> None:
    chance = random.Random(seed)
    facts = any_instrument(chance)
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


def in_order(route: str, schools: dict[str, str], *codes: str, **facts: str) -> bool:
    """Whether these steps stand on the sheet in this order."""
    sheet = run_sheet(BOOK, route, {**PLAIN, **facts}, schools).codes
    return [code for code in sheet if code in codes] == list(codes)


@pytest.mark.parametrize(
    ("schools", "order"),
    [
        # colour: tried on an offcut, before glue, binding and frets; nothing sands it afterwards
        (
            {"colour": "iron"},
            ("iron_solution", "colour_trial", "radius_board", "inlay", "colour", "binding", "first_clamp", "seat"),
        ),
        (
            {"colour": "iron", "radius": "after_glue"},
            ("glue_board", "radius_board", "inlay", "colour", "binding", "seat"),
        ),
        # spray: never over the mask, rested, scuffed, rested, rubbed out with the mask off
        (
            {"surface": "sprayed"},
            ("mask", "level", "unmask_for_spray", "spray", "opening_scuff", "rub_out", "mask_again", "crown", "unmask"),
        ),
        (
            {"surface": "sprayed", "mask": "before_crown"},
            ("level", "spray", "opening_scuff", "rub_out", "mask", "crown", "unmask"),
        ),
        # edges before markers, slots cleaned after deepening, parts checked first, the overhang looked at again
        ({}, ("check_parts", "binding", "trim_flush", "side_markers", "slot_depth", "clean_again", "seat")),
        ({"width": "final"}, ("taper", "binding", "side_markers")),
        ({}, ("dry_fit", "first_clamp", "overhang", "glue_board")),
        (
            {"back": "satin", "headstock": "inlaid", "veneer": "laminated"},
            (
                "true_edge",
                "centreline",
                "laminate",
                "thickness",
                "fit_rod",
                "epoxy_trial",
                "headstock_inlay",
                "carve_back",
                "seal_wood",
                "neck_surface",
            ),
        ),
    ],
)
def test_a_new_board_is_made_in_the_order_of_the_craft(schools: dict[str, str], order: tuple[str, ...]) -> None:
    assert in_order("new_board", schools, *order, bound="yes")


def test_steps_follow_the_instrument() -> None:
    acoustic = {"pickups": "no", "bridge": "one_piece", "joint": "dovetail"}
    for route in ("setup", "level_and_dress", "new_board"):
        codes = run_sheet(BOOK, route, {**PLAIN, **acoustic}).codes
        assert {"pickup_height", "cover_pickups", "pocket_depth"}.isdisjoint(codes)
        assert codes.index("nut_depth") < codes.index("saddle_cut") < codes.index("action")
    assert in_order("new_board", {}, "neck_set", "saddle_blank", **acoustic)
    assert in_order("new_board", {}, "pocket_depth", "pickup_height", joint="bolt_on", pickups="yes")
    assert in_order("refret", {}, "seat", "nut_for_wire", "nut_depth", taller_wire="yes")
    assert "nut_for_wire" not in run_sheet(BOOK, "refret", PLAIN).codes
    for name in BOOK.routes:
        codes = run_sheet(BOOK, name, PLAIN).codes
        ordered = [codes.index(code) for code in ("nut_blank", "saddle_blank") if code in codes]
        assert not ordered or codes.index("check_parts") < min(ordered)


def test_the_work_with_more_than_one_classic_mistake_watches_for_more_than_one() -> None:
    for code in (
        "level",
        "crown",
        "polish",
        "seat",
        "spray",
        "rub_out",
        "radius_board",
        "ends",
        "glue_board",
        "colour",
    ):
        assert len(BOOK.operations[code].watch) >= 2, code
    gated = [one for one in BOOK.operations.values() if one.gate and one.phase not in ("intake", "report", "setup")]
    assert [one.code for one in gated if not one.watch] == []


def test_every_rule_is_broken_by_some_order() -> None:
    unused = list(BOOK.rules)
    chance = random.Random(1)
    for route, _ in itertools.product(BOOK.routes, range(60)):
        facts, schools = any_instrument(chance) | {"bound": "yes", "fanned": "yes"}, any_schools(chance)
        repairs = [code for code, one in BOOK.operations.items() if one.repair]
        sheet = run_sheet(BOOK, route, facts, schools, added=repairs)
        for rule in [rule for rule in unused if rule in sheet.rules]:
            codes = [code for code in sheet.codes if code != rule.before]
            moved = [*codes, rule.before]
            assert rule in run_sheet(BOOK, route, facts, schools, added=repairs, order=moved).broken
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
    done = sheet.codes[: sheet.codes.index("pull_frets") + 1]
    repaired = run_sheet(BOOK, "refret", {**PLAIN, "bound": "yes"}, done=done, added=["chip_repair", "relieve"]).codes
    assert repaired[: len(done) + 1] == [*done, "chip_repair"]
    assert repaired.index("overbend_cut") < repaired.index("relieve") < repaired.index("seat")
    # before anything is done it is no step of the intake
    early = run_sheet(BOOK, "refret", PLAIN, added=["relieve"]).codes
    assert early.index("slot_depth") < early.index("relieve") < early.index("seat")
    polished = run_sheet(BOOK, "level_and_dress", PLAIN, done=["polish"])
    assert polished.codes[0] == "polish"
    assert polished.broken == ()
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


@pytest.mark.parametrize("text", ["a = " + "[" * 3000 + "]" * 3000, "a = " + "9" * 5000])
def test_what_no_parser_should_follow_is_refused_in_words(text: str) -> None:
    base = shipped()
    kept, problems = extend(base, text)
    assert kept is base
    assert "not read" in problems[0].why
