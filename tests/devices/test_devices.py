"""Devices: lines are read as they are written, a figure stands still once a place, and what a device says is told."""

import random
import socket
import time
from collections.abc import Iterator
from datetime import timedelta
from decimal import Decimal
from itertools import islice
from pathlib import Path
from statistics import stdev
from threading import Thread

import pytest
from hypothesis import given
from hypothesis import strategies as st

from deft_bench.cli import main
from deft_bench.core.climate import KEPT_AFTER, Entry, out_of_limits, worth_keeping
from deft_bench.core.evidence.kinds import without_rounding
from deft_bench.core.strings.played import Stream
from deft_bench.devices.connections import GoneError, SerialConnection, TcpConnection
from deft_bench.devices.drift import DriftError, without_drift
from deft_bench.devices.hub import ASK_SECONDS, Device, Heard, Hub
from deft_bench.devices.line_format import PRESETS, GarbledError, LineFormat, compiled, escaped, read_line
from deft_bench.devices.spread import spread_mm
from deft_bench.devices.stand_in import Gauge, GaugeInHand, on_terminal, over_tcp
from deft_bench.devices.still import Still
from deft_bench.formats.recording import read_recording
from harness import NOW

FORM = LineFormat(PRESETS["figure_unit"][1])


@pytest.mark.parametrize(
    ("preset", "line", "value", "unit"),
    [
        ("figure", "+0.12\r\n", 0.12, "mm"),
        ("figure", "  -,05", -0.05, "mm"),
        ("figure_unit", "+0.0050 in", 0.127, "mm"),
        ("figure_unit", "12 µm", 0.012, "mm"),
        ("figure_unit", "43.5 %RH", 43.5, "%"),
        ("figure_unit", "21,5°C", 21.5, "°C"),
        ("named", "A1 = + 0.31 mm", 0.31, "mm"),
        ("listed", "14:02;3;0.12", 0.12, "mm"),
        ("climate", "RH 45.2 %, T 21.3 °C", 45.2, "%"),
    ],
)
def test_lines_are_read_as_devices_write_them(preset: str, line: str, value: float, unit: str) -> None:
    found = read_line(line, LineFormat(PRESETS[preset][1]))
    assert found.value == pytest.approx(value)
    assert found.unit == unit


@given(
    st.sampled_from(sorted(PRESETS.keys() - {"climate"})),
    st.decimals(-20, 20, places=4),
    st.sampled_from(["", "mm", "in", "µm"]),
)
def test_what_a_device_writes_is_read_back(preset: str, value: Decimal, unit: str) -> None:
    before = {"named": "A1 ", "listed": "14:02;7;"}.get(preset, "")
    said = "" if preset == "figure" else unit
    found = read_line(f"{before}{value:+f} {said}\r\n", LineFormat(PRESETS[preset][1]))
    assert found.value == pytest.approx(float(value) * {"in": 25.4, "µm": 0.001}.get(said, 1.0))


@given(st.text(max_size=200))
def test_what_is_no_figure_is_garbled_in_words(line: str) -> None:
    with pytest.raises(GarbledError, match="holds no figure of this format"):
        read_line(f"{line}?!", FORM)


def test_a_pattern_whose_figure_is_not_on_the_line_finds_none() -> None:
    with pytest.raises(GarbledError, match="holds no figure of this format"):
        read_line("", LineFormat(r"(?P<figure>\d+)mm|"))


@pytest.mark.parametrize(
    ("pattern", "why"),
    [("(", "not understood"), ("x{" + "9" * 30 + "}", "not understood"), (r"\d+", "names no figure")],
)
def test_a_pattern_that_cannot_be_meant_is_refused(pattern: str, why: str) -> None:
    with pytest.raises(ValueError, match=why):
        compiled(pattern)


@given(st.lists(st.floats(-1, 1), min_size=1, max_size=12), st.integers(0, 99))
def test_a_figure_stands_still_once_at_each_place(places: list[float], seed: int) -> None:
    still, at, told = Still(0.01, 0.6), 0.0, []
    for line in Gauge(places, hold_seconds=1.0, lift_seconds=0.3, seed=seed, noise_mm=0.001).lines(lambda _: None):
        at += 0.05
        mm = read_line(line, FORM).value
        if still.feed(mm, at):
            told.append(mm)
    assert told == pytest.approx(places, abs=0.012)


def test_what_a_gauge_reads_in_the_air_is_no_reading() -> None:
    still, at, told = Still(0.01, 0.6, air_mm=5.0), 0.0, []
    for line in Gauge([0.1, 0.1, 0.3], hold_seconds=1.0, lift_seconds=2.0, noise_mm=0.001).lines(lambda _: None):
        at += 0.05
        if still.feed(mm := read_line(line, FORM).value, at):
            told.append(mm)
    assert told == pytest.approx([0.1, 0.1, 0.3], abs=0.012)


def test_what_moves_within_its_time_does_not_stand_still() -> None:
    still = Still(0.01, 0.6)
    assert not any(still.feed(0.02 * (k % 3), k * 0.05) for k in range(60))


def heard(hub: Hub, device: Device, enough: str, most: int = 400) -> Heard:
    """What a device says once its status is this."""
    for one in islice(hub.follow(device, 0.2), most):
        if one.status == enough:
            return one
    raise AssertionError(f"never {enough}")


def device_at(port: int, **more: object) -> Device:
    return Device("1", "tcp", f"127.0.0.1:{port}", FORM, **more)  # type: ignore[arg-type]


def next_place(following: Iterator[Heard], since: int) -> Heard:
    """The next place that a gauge stands still on; what it says in the air is none."""
    return next(one for one in following if one.still > since and one.value is not None and one.value < 1)


def test_a_gauge_over_the_network_is_followed_by_two_and_tells_each_place_once() -> None:
    held = GaugeInHand()
    listener, port = over_tcp(held)
    hub, device = Hub(), device_at(port, still_seconds=0.2)
    one, other = hub.follow(device), hub.follow(device)
    assert next(one) is not None
    assert next(other) is not None
    assert len(hub.listening) == 1
    still = 0
    for place in (0.10, 0.12, 0.09):
        held.touch(place)
        told = next_place(one, still)
        assert told.value == pytest.approx(place, abs=0.006)
        # it goes on lying there, and is told no second time
        assert {next(one).still for _ in range(20)} == {told.still}
        held.lift()
        still = next(heard for heard in one if heard.value is not None and heard.value > 1).still
    listener.close()


def test_a_gauge_that_is_asked_is_asked_at_its_pace() -> None:
    listener = socket.create_server(("127.0.0.1", 0))
    asked = []

    def answer() -> None:
        theirs, _ = listener.accept()
        while sent := theirs.recv(64):
            asked.append((time.monotonic(), sent))
            theirs.sendall(b"+0.20\n")

    Thread(target=answer, daemon=True).start()
    form = LineFormat(PRESETS["figure"][1], "mm", escaped(r"?\r"))
    following = Hub().follow(Device("1", "tcp", f"127.0.0.1:{listener.getsockname()[1]}", form))
    assert next(one for one in following if one.count == 6).value == pytest.approx(0.20)
    assert {sent for _, sent in asked} == {b"?\r"}
    assert asked[5][0] - asked[0][0] >= 5 * ASK_SECONDS
    listener.close()


def test_a_pedal_presses_and_a_gauge_with_a_button_gives_each_line() -> None:
    listener = socket.create_server(("127.0.0.1", 0))
    port = listener.getsockname()[1]
    for more, lines in (({"presses": True}, b"down\nup\n"), ({"by_line": True}, b"+0.10 mm\n+0.10 mm\n")):
        following = Hub().follow(device_at(port, **more), 0.2)
        assert next(following).status == "opening"
        theirs, _ = listener.accept()
        theirs.sendall(lines)
        assert next(one for one in islice(following, 50) if one.still == 2).status == "live"
        theirs.close()
    listener.close()


@given(
    st.lists(st.floats(-0.3, 0.3), min_size=1, max_size=24),
    st.floats(-0.099, 0.099),
    st.lists(st.floats(0.5, 20), min_size=25, max_size=25),
)
def test_an_even_drift_is_taken_out_of_a_lane(places: list[float], drift: float, waits: list[float]) -> None:
    at = [sum(waits[:k]) for k in range(len(places) + 1)]
    heights = [0.0, *places[1:]]
    read = [(t, 3.1 + mm + drift * t / at[-1]) for t, mm in zip(at, heights, strict=False)]
    found = without_drift(read, (at[-1], 3.1 + drift), 0.01)
    if abs(drift) <= 0.02:
        assert found is None
    else:
        assert found == pytest.approx(heights, abs=1e-9)


def test_a_drift_past_ten_steps_is_refused() -> None:
    with pytest.raises(DriftError, match=r"drifted by 0\.150 mm"):
        without_drift([(0, 1.0), (4, 1.2)], (9, 1.15), 0.01)


@given(st.lists(st.tuples(st.floats(-0.6, 0.6), st.floats(-0.3, 0.3)), min_size=50, max_size=400))
def test_a_hygrometer_is_thinned_and_nothing_of_its_way_is_lost(moves: list[tuple[float, float]]) -> None:
    at, humidity, celsius, kept = NOW, 45.0, 20.0, list[Entry]()
    for by_rh, by_c in moves:
        at, humidity, celsius = at + timedelta(minutes=2), humidity + by_rh, celsius + by_c
        if worth_keeping(kept[-1] if kept else None, at, celsius, humidity):
            kept.append((at, celsius, humidity))
        assert at - kept[-1][0] < KEPT_AFTER
        assert abs(humidity - kept[-1][2]) < 1
        assert abs(celsius - kept[-1][1]) < 0.5


@pytest.mark.parametrize(
    ("read", "words"),
    [
        ([(60, 45), (50, 38), (25, 39), (1, 38)], "38 % RH for 2 days: nothing with a board on it gets its ends filed"),
        ([(20, 45), (14, 66), (1, 65)], "65 % RH for 14 hours: boards have swollen"),
        ([(50, 38), (13, 42), (1, 38)], ""),
        ([(5, 38), (1, 38)], ""),
        ([(70, 38), (60, 38)], ""),
        ([], ""),
    ],
)
def test_the_alarm_says_how_long_and_what_it_asks(read: list[tuple[int, float]], words: str) -> None:
    found = out_of_limits([(NOW - timedelta(hours=ago), 20.0, rh) for ago, rh in read], NOW, 40, 60)
    assert (found.words if found else "").startswith(words)
    assert bool(found) == bool(words)


def test_what_was_changed_is_not_heard_as_it_was() -> None:
    listener, port = over_tcp(Gauge([0.1] * 50))
    hub = Hub()
    following = hub.follow(device_at(port), 0.2)
    assert next(one for one in following if one.status == "live").value is not None
    hub.forget("1")
    told = next(one for one in following if one.status == "gone")
    assert told.value is None
    assert "open this page again" in told.words
    assert [next(following).status for _ in range(3)] == ["gone"] * 3
    listener.close()


def test_the_spread_of_repeated_readings() -> None:
    assert spread_mm([0.10, 0.12] * 5) == pytest.approx(0.01 * (10 / 9) ** 0.5)
    for wrong in ([0.1] * 9, [0.1] * 9 + [51.0]):
        with pytest.raises(ValueError, match="it takes 10 readings"):
            spread_mm(wrong)


@given(st.floats(0.002, 0.02), st.sampled_from([0.01, 0.02]), st.integers(0, 99))
def test_a_gauges_own_spread_is_told_from_its_rounding(own: float, resolution: float, seed: int) -> None:
    chance = random.Random(seed)
    read = [round(chance.gauss(0.137, own) / resolution) * resolution for _ in range(4000)]
    found = without_rounding(stdev(read), resolution)
    assert found == pytest.approx(own, rel=0.15, abs=resolution / 6)


def test_a_gauge_on_a_serial_port_is_read() -> None:
    _, name = on_terminal(Gauge([0.25], hold_seconds=2.0))
    connection = SerialConnection(name)
    assert read_line(connection.line(2.0) or "", FORM).value == pytest.approx(0.25)
    connection.close()
    with pytest.raises(GoneError, match="cannot be opened"):
        SerialConnection("/dev/no-such-port")


def test_silence_garbage_a_switched_unit_and_a_broken_line_are_told_in_words() -> None:
    listener = socket.create_server(("127.0.0.1", 0))
    port = listener.getsockname()[1]
    hub, device = Hub(), device_at(port)
    following = hub.follow(device, 0.2)
    assert next(following).status == "opening"
    theirs, _ = listener.accept()

    def until(status: str) -> Heard:
        return next(one for one in islice(following, 100) if one.status == status)

    theirs.sendall(b"+0.10 mm\n")
    assert until("live").value == pytest.approx(0.10)
    theirs.sendall(b"#?!\n" * 3)
    assert "holds no figure" in until("garbled").words
    theirs.sendall(b"+0.0039 in\n")
    assert until("switched").words == "It says in now, and said mm before: look at its unit."
    assert "switched on" in until("silent").words
    theirs.close()
    assert "closed the line" in until("gone").words
    listener.close()


def test_a_line_without_an_end_is_let_go_and_nothing_listens_for_nobody(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("deft_bench.devices.hub.LEAVE_SECONDS", 0.05)
    listener = socket.create_server(("127.0.0.1", 0))
    connection = TcpConnection(f"127.0.0.1:{listener.getsockname()[1]}")
    theirs, _ = listener.accept()
    theirs.sendall(b"9" * 10_000 + b"\n+0.2 mm\n")
    lines = [line for _ in range(12) if (line := connection.line(0.1)) is not None]
    assert lines[-1] == "+0.2 mm"
    connection.close()
    hub = Hub()
    following = hub.follow(device_at(listener.getsockname()[1]), 0.1)
    next(following)
    following.close()  # type: ignore[attr-defined]
    for _ in range(100):
        if not hub.listening:
            break
        time.sleep(0.05)
    assert not hub.listening
    listener.close()


def test_strings_that_stand_in_write_a_pass(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    wav = tmp_path / "pass.wav"
    assert main(["stand-in", "strings", "--wav", str(wav), "--at-frets", "12", "--wrong", "1"]) == 0
    assert "proud under string" in capsys.readouterr().out
    samples, rate = read_recording(wav)
    stream = Stream(rate)
    assert len(stream.feed(samples) + stream.end()) == 6 * 3 + 1
    for wrong in (["--at-frets", "40"], ["--at-frets", "x"]):
        assert main(["stand-in", "strings", "--wav", str(wav), *wrong]) == 1
    assert main(["stand-in", "strings"]) == 1
    assert main(["stand-in", "strings", "--wav", str(tmp_path / "none" / "pass.wav"), "--at-frets", "12"]) == 1
    assert "cannot be written" in capsys.readouterr().err
