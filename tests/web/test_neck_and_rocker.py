"""The Neck screen and the rocker survey through the pages."""

import re

from deft_bench.formats.record_json import export_record
from deft_bench.store import instruments, rod_turns, shop, surveys
from deft_bench.store.database import Connection
from harness import Bench

HERON, PLOVER, GODWIT = 1, 2, 7


def test_the_rods_answer_and_its_stop_signs(bench: Bench, demo: Connection) -> None:
    text = bench.get(f"/instruments/{PLOVER}/neck?aim=playing")
    assert "2 recorded turns: this rod gives" in text
    assert re.search(r"Tighten (a quarter turn|an eighth of a turn) toward 0\.18\u00a0mm of relief", text)
    assert text.count('class="relief-dot"') == 2
    stop = bench.get(f"/instruments/{GODWIT}/neck?aim=fretwork")
    assert "A single rod that is slack cannot push the neck forward" in stop
    assert "Refer for neck work" in stop
    assert "Turned:" not in stop
    said = bench.post(f"/instruments/{PLOVER}/neck/turned", {"turns": "640", "aim": "playing"}).text
    assert "never more than a whole one" in said
    after = bench.post(f"/instruments/{PLOVER}/neck/turned", {"turns": "16", "aim": "playing"}).text
    assert "Let it settle, retune, and read again." in after
    assert [turn.turns_64 for turn in rod_turns.of_instrument(demo, PLOVER)] == [16, 8, 16]
    assert [turn["turns_64"] for turn in export_record(demo, PLOVER)["rod_turns"]] == [16, 8, 16]
    classical = next(one for one in instruments.page(demo, limit=50) if one.spec.rod == "none")
    assert "There is no rod to turn" in bench.post(f"/instruments/{classical.id}/neck/turned", {"turns": "8"}).text
    assert "This neck has no rod" in bench.get(f"/instruments/{classical.id}/neck")


def test_the_two_gates_are_different(bench: Bench, demo: Connection) -> None:
    shop.change(demo, {"system": "in"})
    fretwork = bench.get(f"/instruments/{HERON}/neck?aim=fretwork")
    playing = bench.get(f"/instruments/{HERON}/neck?aim=playing")
    for text in (fretwork, playing):
        assert "For fretwork" in text
        assert "For playing" in text
        assert not re.search(r"\d mm\b", re.sub(r"<[^>]*>", " ", text))
    assert "side-target" not in fretwork
    assert "side-target" in playing
    # twist is told from heights above one reference only
    assert "needs heights above one reference" in fretwork
    height = next(
        one.id
        for one in instruments.page(demo, limit=50)
        if any(s.head.method == "height" for s in surveys.of_instrument(demo, one.id, "fret_heights"))
    )
    assert "over the scale" in bench.get(f"/instruments/{height}/neck")
