"""Files of a board, opened by something that is not ours: a DXF auditor, a PDF reader, an XML parser, a plain G-code
interpreter.
"""

import csv
import io
import math
import re
from collections import defaultdict
from dataclasses import replace
from pathlib import Path
from xml.etree import ElementTree

import pdfplumber
import pytest
from ezdxf.filemanagement import readfile

from deft_bench.cli import main
from deft_bench.core.board.arch import arch
from deft_bench.core.board.fret_lines import FretLine
from deft_bench.core.board.plan import starting_plan
from deft_bench.core.board.rules import Rule
from deft_bench.core.board.slotting import MachineError
from deft_bench.core.instrument import STARTING
from deft_bench.core.units import Display
from deft_bench.formats.board import EXPORTS, Sheet, exports_of, file_name, sheet_of, write_board

MM = 72 / 25.4
SEVEN = replace(STARTING["seven_string"], name="Sandpiper No. 14 (trial) & Söhne")
BASS = replace(STARTING["long_bass"], name="Ruff", left_handed=True, bound=True)


def sheet(spec=SEVEN, **changed: object) -> Sheet:  # type: ignore[no-untyped-def]
    plan = replace(starting_plan(spec), **{"inlay_style": "blocks", "bit_reach_um": 9_000, **changed})  # type: ignore[arg-type]
    return sheet_of(spec, plan, "2026-08-24", Rule())


def replay(text: str) -> list[tuple[tuple[float, float, float], tuple[float, float, float], bool]]:
    """A plain interpreter: (from, to, cutting) of every move, in millimetres. Anything it does not know stops it."""
    at = {"X": 0.0, "Y": 0.0, "Z": 50.0}
    per, moves, spinning, mode = 0.0, [], False, ""
    for line in text.splitlines():
        bare = re.sub(r"\([^()]*\)", "", line).strip()
        words = re.findall(r"([A-Z])(-?\d+(?:\.\d+)?)", bare)
        assert "".join(letter + number for letter, number in words) == bare.replace(" ", ""), line
        target = dict(at)
        for letter, number in words:
            code = f"{letter}{number}"
            if code in ("G20", "G21"):
                per = 25.4 if code == "G20" else 1.0
            elif code in ("M3", "M5"):
                spinning = code == "M3"
            elif code in ("G0", "G1"):
                mode = code
            elif letter in at:
                assert per, "a move before the units are set"
                target[letter] = float(number) * per
            else:
                assert code in ("G90", "G17", "G94", "M2", "G4") or letter in "FSP", code
        if target != at:
            if mode == "G1":
                assert spinning
            moves.append((tuple(at.values()), tuple(target.values()), mode == "G1"))
            at = target
    return moves  # type: ignore[return-value]


@pytest.mark.parametrize("spec", [SEVEN, BASS], ids=["fanned", "left-handed bound"])
@pytest.mark.parametrize(("units", "follow"), [("mm", "radius"), ("in", "flat")])
def test_the_program_cuts_every_slot_where_the_layout_puts_it(spec, units: str, follow: str) -> None:  # type: ignore[no-untyped-def]
    school = {"radius": "follow_radius", "flat": "flat_before_radius"}[follow]
    made = sheet(spec, school=school, machine_units=units, bit_um=500, kerf_um=600, datum="fret_12")
    text = write_board("slots-gcode", made).decode("ascii")
    assert text.index("RUN IT ABOVE THE WORK FIRST") < text.index("G0 Z")
    lines = made.view.lines
    datum = lines[12].centre_x_mm
    depth = (spec.tang_depth_um + made.plan.under_tang_gap_um) / 1000
    sections = {at.fret: at for at in arch(spec, made.view.layout)}
    reached: dict[int, list[tuple[float, float]]] = defaultdict(list)
    deepest: dict[int, float] = defaultdict(float)
    nut, walls, rises = 0, set[float](), 0
    for start, end, cutting in replay(text):
        if not cutting:
            # a rapid move crosses the board only above it, and the mill rises once a slot
            rises += end[2] > start[2] and start[2] < 0
            assert min(start[2], end[2]) >= 0.9 or start[:2] == end[:2]
            continue
        for x, y, z in (start, end):
            if z > 0:
                continue
            point = x + datum, -y if spec.left_handed else y
            fret = min(range(1, spec.frets + 1), key=lambda n: _off(point, lines[n]))
            # the two walls of a slot 0.1 mm wider than the mill, within 0.01 mm
            if point[0] < lines[1].centre_x_mm / 2:
                nut += 1
                continue
            across = _off(point, lines[fret])
            assert across <= 0.06
            walls.add(round(across, 2))
            reached[fret].append(point)
            deepest[fret] = min(deepest[fret], z)
            radius = sections[fret].radius_mm
            assert radius is not None
            surface = -(radius - math.sqrt(radius**2 - y**2)) if follow == "radius" else -sections[fret].fall_mm
            assert z >= surface - depth - 0.01
    assert set(reached) == set(range(1, spec.frets + 1))
    assert nut > 2
    assert walls == {0.05}
    assert rises == spec.frets + 1
    assert "G4 P3" in text
    assert ("in." if units == "in" else " mm") in text.split("G2")[0]
    for fret, points in reached.items():
        ends = made.view.slots[fret - 1]
        along = sorted(math.dist(point, ends.bass_end) for point in points)
        run = -0.25 if spec.bound else 0.25
        assert along[-1] == pytest.approx(ends.length_mm + run, abs=0.02)
        assert -deepest[fret] == pytest.approx(
            depth + _fall(made, fret, run) if follow == "radius" else depth + sections[fret].fall_mm, abs=0.01
        )


def _off(point: tuple[float, float], line: FretLine) -> float:
    (x1, y1), (x2, y2) = line.bass_edge, line.treble_edge
    return abs((x2 - x1) * (y1 - point[1]) - (x1 - point[0]) * (y2 - y1)) / line.length_mm


def _fall(made: Sheet, fret: int, run: float) -> float:
    """How far the arch has fallen where the mill's middle turns, the deepest place of a pass along the radius."""
    radius = arch(made.spec, made.view.layout)[fret].radius_mm
    shape = made.view.slots[fret - 1]
    reach = (
        max(abs(shape.bass_end[1]), abs(shape.treble_end[1]))
        + run * abs(shape.treble_end[1] - shape.bass_end[1]) / shape.length_mm
    )
    assert radius is not None
    return radius - math.sqrt(radius**2 - reach**2)


@pytest.mark.parametrize(
    ("changed", "field"),
    [
        ({"bit_um": 700}, "bit_um"),
        ({"under_tang_gap_um": 2_000}, "under_tang_gap_um"),
        ({"bit_reach_um": 3_000}, "bit_reach_um"),
    ],
)
def test_no_program_for_what_must_not_be_tried(changed: dict[str, object], field: str) -> None:
    with pytest.raises(MachineError) as refused:
        write_board("slots-gcode", sheet(**changed))
    assert list(refused.value.problems) == [field]


def test_a_flat_board_is_the_same_face_to_every_school() -> None:
    made = sheet(replace(STARTING["classical"], name="Flat"), school="two_stage", bit_reach_um=9_000)
    assert replay(write_board("slots-gcode", made).decode("ascii"))
    assert "deepen-gcode" not in exports_of(made.spec, made.plan, made.view)
    with pytest.raises(MachineError, match="no such program"):
        write_board("deepen-gcode", made)


def test_two_stages_are_two_programs_each_named_by_its_step() -> None:
    made = sheet(school="two_stage")
    labels = {kind: export.label for kind, export in exports_of(made.spec, made.plan, made.view).items()}
    assert "guide cuts on the flat face" in labels["slots-gcode"]
    assert "deepening on the radiused face" in labels["deepen-gcode"]
    assert file_name("slots-gcode", made).endswith("slots-guide.ngc")
    assert file_name("deepen-gcode", made).endswith("slots-deepen.ngc")
    guide, deepen = (write_board(kind, made).decode("ascii") for kind in ("slots-gcode", "deepen-gcode"))
    assert "program 1 of 2" in guide
    assert "starts on the flat face" in guide
    assert "program 2 of 2" in deepen
    assert "starts on the radiused face" in deepen
    # the guide is level, the deepening follows the arch
    assert all(start[2] == end[2] or start[:2] == end[:2] for start, end, cutting in replay(guide) if cutting)
    assert any(start[2] != end[2] and start[:2] != end[:2] for start, end, cutting in replay(deepen) if cutting)
    table = list(csv.DictReader(io.StringIO(write_board("slot-depths-csv", made).decode())))
    assert len(table) == made.spec.frets
    assert all(float(row["first_cut_from_flat_mm"]) <= float(row["one_stop_mm"]) for row in table)
    with pdfplumber.open(io.BytesIO(write_board("slot-depths-pdf", made))) as read:
        assert f"One stop of {float(table[0]['one_stop_mm']):.2f}" in (read.pages[0].extract_text() or "")


@pytest.mark.parametrize("name", ["x)\nM3 S20000\nG0 Z-50\n(", "x\rG0 Z-9", "a\u2028b", "café {[<;>]} % (trial"])
def test_no_name_puts_a_line_into_the_program(name: str) -> None:
    safe = write_board("slots-gcode", sheet(replace(SEVEN, name="Plain"))).decode("ascii").splitlines()
    text = write_board("slots-gcode", sheet(replace(SEVEN, name=name))).decode("ascii")
    lines = text.split("\n")
    assert [line for line in lines if not line.startswith("(")] == [
        line for line in safe if not line.startswith("(")
    ] + [""]
    comments = [line for line in lines if line.startswith("(")]
    assert len(comments) == sum(line.startswith("(") for line in safe)
    for line in comments:
        assert re.fullmatch(r"\([ -~]*\)", line)
        assert not set(line[1:-1]) & set("()[]{}<>")


def test_the_drawing_in_layers_passes_an_auditor(tmp_path: Path) -> None:
    made = sheet()
    path = tmp_path / "board.dxf"
    path.write_bytes(write_board("dxf", made))
    document = readfile(path)
    assert document.audit().errors == []
    assert document.header["$INSUNITS"] == 4
    by_layer: dict[str, list] = defaultdict(list)  # type: ignore[type-arg]
    for entity in document.modelspace():
        by_layer[entity.dxf.layer].append(entity)
    assert {"OUTLINE", "SLOTS", "CENTRELINE", "INLAYS", "STRINGS"} <= set(by_layer)
    assert (len(by_layer["SLOTS"]), len(by_layer["STRINGS"]), len(by_layer["INLAYS"])) == (24, 7, 10)
    for line, shape in zip(by_layer["SLOT_LINES"], made.view.slots, strict=True):
        assert tuple(line.dxf.start)[:2] == pytest.approx(shape.bass_end, abs=1e-6)
        assert tuple(line.dxf.end)[:2] == pytest.approx(shape.treble_end, abs=1e-6)
    outline = [point[:2] for point in by_layer["OUTLINE"][0].get_points()]
    assert all(math.dist(drawn, meant) < 1e-9 for drawn, meant in zip(outline, made.view.outline, strict=True))
    # a left-handed board is the mirror image on the bench
    path.write_bytes(write_board("dxf", sheet(BASS)))
    bass_string = max(
        (entity for entity in readfile(path).modelspace() if entity.dxf.layer == "STRINGS"),
        key=lambda e: e.dxf.start[1],
    )
    assert bass_string.dxf.start[1] == pytest.approx(BASS.spread_nut_um / 2000)


@pytest.mark.parametrize("paper", ["a4", "letter"])
def test_the_template_measures_what_it_says(paper: str) -> None:
    made = sheet(paper=paper)
    for kind in ("pdf", "pdf-long"):
        with pdfplumber.open(io.BytesIO(write_board(kind, made))) as pdf:
            pages = pdf.pages
            assert (len(pages) > 1) == (kind == "pdf")
            for page in pages:
                level = [line["width"] for line in page.lines if abs(line["height"]) < 0.01]
                for wanted in (100 * MM, 4 * 72):
                    assert min(abs(width - wanted) for width in level) < 0.01
                words = page.extract_text()
                assert "2026-08-24" in words
                assert "Sandpiper No. 14" in words
            slanted = sorted(
                {round(math.dist(line["pts"][0], line["pts"][1]), 2) for page in pages for line in page.lines}
            )
            lengths = [shape.length_mm * MM for shape in made.view.slots]
            assert all(min(abs(drawn - length) for drawn in slanted) < 0.03 for length in lengths)
    with pdfplumber.open(io.BytesIO(write_board("pdf", made))) as pdf:
        first, second = pdf.pages[0], pdf.pages[1]
        crosses = [[c for c in page.curves if abs((c["x1"] - c["x0"]) - 3 * MM) < 0.1] for page in (first, second)]
        assert len(crosses[0]) == 2  # one seam, top and foot
        assert len(crosses[1]) in (2, 4)
        # the same nut-to-fret distance on both sides of a seam: crosses lie on crosses
        room = first.width - 20 * MM - 12 * MM
        assert crosses[0][0]["x0"] - crosses[1][0]["x0"] == pytest.approx(room, abs=0.05)


def test_the_svg_is_the_plan() -> None:
    made = sheet()
    root = ElementTree.fromstring(write_board("svg", made))
    space = "{http://www.w3.org/2000/svg}"
    width, height = (float(root.attrib[name].removesuffix("mm")) for name in ("width", "height"))
    assert [width, height] == pytest.approx([float(v) for v in root.attrib["viewBox"].split()[2:]])
    slots = {
        node.attrib["id"]: node
        for node in root.iter(f"{space}polygon")
        if node.attrib.get("id", "").startswith("slot-")
    }
    assert len(slots) == 24
    for shape in made.view.slots:
        points = [tuple(map(float, pair.split(","))) for pair in slots[f"slot-{shape.fret}"].attrib["points"].split()]
        assert all(math.dist(drawn, (x, -y)) < 1e-3 for drawn, (x, y) in zip(points, shape.kerf, strict=True))
    bar = next(node for node in root.iter(f"{space}line") if node.attrib.get("id") == "bar-100-mm")
    assert float(bar.attrib["x2"]) - float(bar.attrib["x1"]) == pytest.approx(100)
    assert "Söhne" in "".join(node.text or "" for node in root.iter(f"{space}title"))
    groups = [node.attrib.get("id") for node in root.iter(f"{space}g")]
    assert groups.index("slots") != groups.index("inlays")


def test_the_tables() -> None:
    made = sheet()
    rows = list(csv.DictReader(io.StringIO(write_board("marking-csv", made).decode())))
    assert [row["fret"] for row in rows if row["line"] == "bass string"] == [str(n) for n in range(25)]
    eighth = next(row for row in rows if row["line"] == "treble string" and row["fret"] == "8")
    assert float(eighth["from_datum_mm"]) == 0
    inches = replace(made, display=Display("in"))
    told = csv.DictReader(io.StringIO(write_board("marking-csv", inches).decode()))
    for row, mm in zip((row for row in told if row["line"] == "bass string"), rows, strict=False):
        assert float(row["from_datum_in"]) * 25.4 == pytest.approx(float(mm["from_datum_mm"]), abs=0.002)
        assert not any(name.endswith("_mm") for name in row)
    assert f"scale {Display('in').long(made.spec.bass_scale_um)}" in inches.title
    program = write_board("slots-gcode", sheet(machine_units="in")).decode("ascii")
    assert " mm" not in program
    assert "27 1/64 in" in program
    inlays = list(csv.reader(io.StringIO(write_board("inlays-csv", made).decode())))
    assert len(inlays) == 12
    assert inlays[-1][:2] == ["strip", "10 pieces"]
    assert file_name("pdf-long", made) == "sandpiper-no-14-trial-s-hne-pdf-long.pdf"


def test_every_file_from_the_command_line(
    demo_path: Path, tmp_path: Path, capfdbinary: pytest.CaptureFixture[bytes]
) -> None:
    name, where = "Sandpiper No. 14", ["--database", str(demo_path)]
    with pytest.raises(SystemExit):
        main(["export", name, "--as", "deepen-gcode", *where])
    capfdbinary.readouterr()
    for kind in EXPORTS.keys() - {"deepen-gcode"}:
        assert main(["export", name, "--as", kind, *where]) == 0
        printed = capfdbinary.readouterr().out
        assert printed.startswith({"pdf": b"%PDF", "pdf-long": b"%PDF", "svg": b"<svg", "dxf": b"  0"}.get(kind, b""))
        assert printed
    assert main(["export", name, "--as", "all", "--out", str(tmp_path), *where]) == 0
    assert len(list(tmp_path.glob("sandpiper-no-14-*"))) == len(EXPORTS) - 1
    for wrong, said in ((["--as", "stl"], b"as: unknown"), (["--as", "all"], b"out: --as all needs")):
        with pytest.raises(SystemExit) as left:
            main(["export", name, *wrong, *where])
        assert left.value.code == 2
        assert said in capfdbinary.readouterr().err
