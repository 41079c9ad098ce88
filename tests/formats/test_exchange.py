"""Records out and in losing nothing, hostile files refused whole, sheets named line by line, photographs cleaned."""

import copy
import io
import json
import re
from contextlib import closing
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from deft_bench.formats.photograph import PhotographError, reencode
from deft_bench.formats.readings_csv import inert, read_sheet, write_sheet
from deft_bench.formats.record import AlreadyHereError, export_record, import_record
from deft_bench.formats.stock_csv import read_stock
from deft_bench.formats.strict_json import RequestError
from deft_bench.store import instruments, notes
from deft_bench.store.database import Connection, open_database, verify

AT = "2026-08-24T09:30:00.000Z"


def picture(size: tuple[int, int] = (90, 60), kind: str = "JPEG", **extra: Any) -> bytes:
    out = io.BytesIO()
    Image.linear_gradient("L").resize(size).convert("RGB").save(out, kind, **extra)
    return out.getvalue()


def whole(db: Connection) -> int:
    """Heron with everything that a record can hold: an edit, a photograph, a settled pin, plans, corrections."""
    heron = instruments.find(db, "heron")[0]
    spec = heron.spec
    instruments.edit(
        db, heron.id, spec.__class__(**{**{f: getattr(spec, f) for f in spec.__dataclass_fields__}, "note": "new"}), AT
    )
    notes.add(db, heron.id, None, 9, "bass", "chip", notes.Photo(*reencode(picture())), AT)
    notes.settle(db, notes.add(db, heron.id, None, 0, "treble", "nut crack", None, AT), AT)
    return heron.id


def test_every_record_comes_back_the_same(demo: Connection, tmp_path: Path) -> None:
    whole(demo)
    with closing(open_database(tmp_path / "other.sqlite3")) as other:
        for one in instruments.page(demo, limit=50):
            record = export_record(demo, one.id)
            there = import_record(other, json.dumps(record).encode())
            assert export_record(other, there) == record
        assert len(instruments.find(other, "heron")) == 1
    read = "SELECT count(*) FROM reading r JOIN survey s ON s.id = r.survey_id WHERE s.instrument_id NOT IN"
    real = demo.execute(f"{read} (SELECT instrument_id FROM practice_neck)").fetchone()[0]
    assert verify(tmp_path / "other.sqlite3")["readings"] == real


def test_what_is_here_already_comes_in_only_as_a_copy(demo: Connection) -> None:
    heron = whole(demo)
    raw = json.dumps(export_record(demo, heron)).encode()
    with pytest.raises(AlreadyHereError):
        import_record(demo, raw)
    made = import_record(demo, raw, as_copy=True)
    assert instruments.get(demo, made).spec.name == "Heron No. 4 (copy)"
    before, after = export_record(demo, heron), export_record(demo, made)
    assert [len(s["readings"]) for s in before["surveys"]] == [len(s["readings"]) for s in after["surveys"]]
    assert not {s["uid"] for s in before["surveys"]} & {s["uid"] for s in after["surveys"]}
    stolen = export_record(demo, heron) | {"uid": "f" * 32}
    with pytest.raises(RequestError, match="belongs to another instrument"):
        import_record(demo, json.dumps(stolen).encode())


def spoil(record: dict[str, Any], path: str, value: object) -> bytes:
    """A record with one thing changed; the path's last part is set (`-` deletes it)."""
    spoilt = copy.deepcopy(record)
    at: Any = spoilt
    *parts, last = [int(part) if part.isdigit() else part for part in path.split(".")]
    for part in parts:
        at = at[part]
    if value == "-":
        del at[last]
    else:
        at[last] = value
    return json.dumps(spoilt).encode()


@pytest.mark.parametrize(
    ("where", "value", "said"),
    [
        ("format", "other", "format: must be one of"),
        ("version", 99, "version: must be one of"),
        ("uid", "x", "uid: "),
        ("spec.frets", "-", "spec.frets: missing"),
        ("spec.frets", 61, "spec.frets: 61 is more"),
        ("spec.spread_nut_um", 90_000, "spec.spread_nut_um: The outer strings"),
        ("spec.colour", "red", "spec.colour: unknown field"),
        ("surveys.1.readings.0.value_um", 1.5, "surveys[1].readings[0].value_um: must be a whole number"),
        ("surveys.1.readings.0.value_um", 10**30, "surveys[1].readings[0].value_um"),
        ("surveys.1.readings.0.lane", "left", "surveys[1].readings[0].lane: must be one of"),
        ("surveys.1.readings.0.fret", 60, "surveys[1].readings[0]: fret 60"),
        ("surveys.1.readings.1.replaces", 0, "surveys[1].readings[1].replaces"),
        ("surveys.1.taken_at", "yesterday", "surveys[1].taken_at"),
        ("surveys.0.job", "0" * 32, "surveys[0].job: names no job"),
        ("surveys.0.uid", None, "surveys[0].uid: must be text"),
        ("jobs.0.promised_on", "soon", "jobs[0].promised_on"),
        ("jobs.0.promised_on", "2026-00-00", 'jobs[0].promised_on: "2026-00-00" is no day of the calendar'),
        ("jobs.0.promised_on", "2026-02-30", "jobs[0].promised_on: "),
        ("jobs.0.promised_on", "9999-12-31", "jobs[0].promised_on: "),
        ("jobs.0.opened_at", "2026-99-99T10:00:00Z", "jobs[0].opened_at: "),
        ("surveys.1.taken_at", "2026-08-01T25:00:00Z", "surveys[1].taken_at: "),
        ("surveys.1.taken_at", "２０２６-08-01T10:00:00Z", "surveys[1].taken_at: "),
        ("surveys.1.taken_at", "2026-08-01T10:00:00Z\n", "surveys[1].taken_at: "),
        ("jobs.0.note", "a\x00b", "jobs[0].note: it holds a control character"),
        ("spec.note", "\ud800", "spec.note: it holds a control character"),
        ("spec.name", "x)\nM3 S20000\nG0 Z-50\n(", "spec.name: It holds a line break"),
        (
            "jobs.0.estimates",
            [{"accepted_at": "2026-08-01T10:00:00Z", "inputs": {}, "outcome": {}}],
            "jobs[0].estimates[0].outcome.total: missing",
        ),
        (
            "jobs.0.setups",
            [
                {
                    "accepted_at": "2026-08-01T10:00:00Z",
                    "inputs": {},
                    "target": {"relief_um": 100, "action_um": {}, "gap_um": {}},
                }
            ],
            "jobs[0].setups[0].inputs.plan: missing",
        ),
        ("pins.0.photo_jpeg", "!!!", "pins[0].photo_jpeg"),
        ("pins.0.photo_jpeg", "AAAA", "pins[0].photo_jpeg: That is not a photograph"),
        ("pins.0.lane", "<script>", "pins[0].lane"),
    ],
)
def test_a_spoilt_record_is_refused_by_its_path_and_nothing_comes_in(
    demo: Connection, where: str, value: object, said: str
) -> None:
    record = export_record(demo, whole(demo))
    counts = [
        demo.execute(f"SELECT count(*) FROM {table}").fetchone()[0]
        for table in ("instrument", "survey", "reading", "job")
    ]
    with pytest.raises(RequestError) as refused:
        import_record(demo, spoil(record, where, value), as_copy=True)
    assert any(said in line for line in refused.value.lines), refused.value.lines[:5]
    assert counts == [
        demo.execute(f"SELECT count(*) FROM {table}").fetchone()[0]
        for table in ("instrument", "survey", "reading", "job")
    ]


@pytest.mark.parametrize(
    ("name", "kind", "value"), [("Curlew", "ink", 3), ("Godwit", "blades", 70), ("Heron", "rocker", 5)]
)
def test_an_answer_or_a_blade_that_there_is_not_is_refused(demo: Connection, name: str, kind: str, value: int) -> None:
    record = export_record(demo, instruments.find(demo, name)[0].id)
    at = next(i for i, survey in enumerate(record["surveys"]) if survey["kind"] == kind)
    assert import_record(demo, json.dumps(record).encode(), as_copy=True)
    record["surveys"][at]["readings"][0]["value_um"] = value
    with pytest.raises(RequestError) as refused:
        import_record(demo, json.dumps(record).encode(), as_copy=True)
    assert refused.value.lines == [
        f"surveys[{at}].readings[0].value_um: is no answer, or no blade, of this survey",
    ]


def test_a_spoilt_plan_is_refused(demo: Connection) -> None:
    record = export_record(demo, whole(demo))
    at = next(i for i, job in enumerate(record["jobs"]) if job["plans"])
    for path, value, said in [
        ("survey", "e" * 32, "survey: names no survey"),
        ("outcome.removed_um", [1], "removed_um: must hold one entry a fret"),
        ("outcome.kind", "burn", "kind: must be one of"),
        ("removed_um", {"77": 1}, "removed_um"),
        ("inputs", {}, "inputs.survey: missing"),
    ]:
        with pytest.raises(RequestError) as refused:
            import_record(demo, spoil(record, f"jobs.{at}.plans.0.{path}", value), as_copy=True)
        assert any(said in line for line in refused.value.lines), (path, refused.value.lines[:3])


@pytest.mark.parametrize(
    "raw", [b"", b"[]", b"\xff\xfe", b"[" * 90_000, b'{"format": NaN}', b"null", b'{"a":1,"a":2}', b"{" + b" " * 100]
)
def test_what_is_no_record_is_refused(db: Connection, raw: bytes) -> None:
    with pytest.raises(RequestError):
        import_record(db, raw)


def test_a_huge_record_is_refused_before_it_is_read(db: Connection) -> None:
    with pytest.raises(RequestError, match="larger than 40 MB"):
        import_record(db, b" " * (40 * 1024 * 1024 + 1))


def test_sheets_in_both_forms_and_any_separator() -> None:
    wide = read_sheet("fret,bass,middle,treble\n1,0.02,,0.03 mm\n2,.01,10 thou,\n", "fret_heights", 21, "mm")
    assert [(line.place, line.value_um) for line in wide] == [
        (("bass", 1), 20),
        (("treble", 1), 30),
        (("bass", 2), 10),
        (("middle", 2), 254),
    ]
    long = read_sheet("\ufefflane;reading;fret\r\nBass;0,02;1\r\n", "fret_heights", 21, "mm")
    assert [(line.place, line.value_um) for line in long] == [(("bass", 1), 20)]
    inches = read_sheet("fret\tmiddle\n5\t.004\n", "straightness", 21, "in")
    assert [(line.place, line.value_um) for line in inches] == [(("middle", 5), 102)]


@pytest.mark.parametrize(
    ("text", "number", "said"),
    [
        ("", 1, "empty"),
        ("a,b\n1,2", 1, "must name the columns"),
        ("fret,bass", 1, "no reading"),
        ("fret,bass\n1,0.1\n22,0.1", 3, "fret “22” is not from 1 to 21"),
        ("fret,bass\n\n٣,0.1", 3, "fret “٣”"),
        ("fret,bass\n1,x", 2, "is not a length"),
        ("fret,bass\n1,9", 2, "outside the range of a fret reading"),
        ("fret,lane,reading\n1,left,0.1", 2, "lane “left”"),
        ("fret,bass\n1,0.1\n1,0.2", 3, "already in line 2"),
        ("fret,bass\n" + "1,0.1\n" * 2001, 1, "more than"),
    ],
)
def test_a_bad_line_is_named(text: str, number: int, said: str) -> None:
    bad = [line for line in read_sheet(text, "fret_heights", 21, "mm") if line.problem]
    assert bad[0].number == number
    assert said in str(bad[0].problem)


def test_a_sheet_written_is_a_sheet_read() -> None:
    rows = [("bass", 1, 20, "0.02", AT), ("middle", 2, -254, "-10 thou", AT), ("treble", 3, 5, "=cmd()", AT)]
    text = write_sheet(rows)
    found = read_sheet(text, "fret_heights", 21, "mm")
    assert [(*line.place, line.value_um) for line in found if line.place] == [row[:3] for row in rows]
    assert "'=cmd()" in text
    assert ",-10 thou," in text


def test_a_photograph_keeps_only_the_picture() -> None:
    exif = Image.Exif()
    exif[0x0112] = 6  # turned
    exif.get_ifd(0x8825)[2] = (52.0, 4.0, 0.0)  # where it was taken
    raw = picture((3000, 2000), exif=exif.tobytes(), comment=b"secret place")
    jpeg, width, height = reencode(raw)
    assert (width, height) == (1067, 1600)
    assert b"Exif" in raw
    assert b"secret place" in raw
    for word in (b"Exif", b"secret", b"GPS"):
        assert word not in jpeg
    with Image.open(io.BytesIO(jpeg)) as clean:
        assert not clean.getexif()
    assert reencode(picture(kind="PNG"))[1:] == (90, 60)


@pytest.mark.parametrize(
    "raw", [b"", b"GIF89a" + b"\0" * 40, picture()[:300], picture(kind="BMP"), b"x" * (20 * 1024 * 1024 + 1)]
)
def test_what_is_no_photograph_is_refused(raw: bytes) -> None:
    with pytest.raises(PhotographError, match=r"JPEG, PNG or WebP"):
        reencode(raw)


@pytest.mark.parametrize("side", [6_400, 20_000])
def test_a_picture_bomb_is_refused(side: int) -> None:
    out = io.BytesIO()
    Image.new("1", (side, side)).save(out, "PNG")
    with pytest.raises(PhotographError):
        reencode(out.getvalue())


@settings(max_examples=300)
@given(st.lists(st.tuples(st.integers(0, 80), st.integers(0, 255)), min_size=1, max_size=4))
def test_damage_in_what_the_camera_wrote_loses_no_photograph(damage: list[tuple[int, int]]) -> None:
    exif = Image.Exif()
    exif[0x0112], exif[0x010F] = 6, "made up"
    written = exif.tobytes()
    raw = bytearray(picture(exif=written))
    first = raw.index(written) + 6
    for at, value in damage:
        raw[first + at % (len(written) - 6)] = value
    assert sorted(reencode(bytes(raw))[1:]) == [60, 90]


@given(st.sampled_from("=+-@\t\r"), st.text("0123456789+-*/().,|!=ABC ", max_size=12))
def test_what_a_spreadsheet_would_work_out_stays_text(first: str, rest: str) -> None:
    text = first + rest
    kept = inert(text)
    # a number with its sign is one to a spreadsheet too; all else is text
    number = re.fullmatch(r"[+-] ?[0-9]*[.,]?[0-9]+( ?[ABC]{1,5})?", text)
    assert kept == (text if number else f"'{text}")


def test_a_stock_sheet_with_a_line_without_end_is_refused() -> None:
    for text in ("name,unit\n" + "a" * 140_000, "name," + "a" * 140_000):
        (line,) = read_stock(text)
        assert "10000 characters" in line.problem
