"""Playing it through: a synthesised pass goes up in pieces; every note at its place, wrong ones told and not kept."""

from collections.abc import Sequence
from typing import Any

import numpy as np
import pytest

from deft_bench.bench.setup.ear import ear_findings
from deft_bench.bench.setup.listening import Note, listening, notes_to_play
from deft_bench.bench.setup.readings import latest_read
from deft_bench.core.strings.ear.room import ROOM_RATE
from deft_bench.core.strings.notes import cents_between
from deft_bench.core.survey_kinds import BUZZES_UM, CLEAN_UM
from deft_bench.devices.stand_in_strings import StandInStrings
from deft_bench.store import ear, instruments, jobs, setups, shop, surveys
from deft_bench.store.database import Connection
from harness import Bench
from wavs import tone
from web.test_setup import KNOT, read_new

RATE, PIECE = 22_050, 4_410


class Pass:
    """A microphone that sends what is played in pieces of a fifth of a second."""

    def __init__(self, bench: Bench, survey: int, order: str = "in_order", rate: float = RATE) -> None:
        self.bench, self.piece, self.told, self.rest = bench, 0, list[dict[str, Any]](), np.zeros(0)
        answer = bench.post(f"/surveys/{survey}/play", {"rate": rate, "order": order}).get_json()
        self.url = answer["href"]

    def send(self, samples: np.ndarray, last: bool = False) -> None:
        heard = np.concatenate([self.rest, samples])
        whole = len(heard) if last else len(heard) // PIECE * PIECE
        self.rest = heard[whole:]
        for at in range(0, whole, PIECE):
            self.post(heard[at : at + PIECE], last=last and at + PIECE >= whole)

    def post(self, samples: np.ndarray, *, last: bool = False, piece: int | None = None) -> Any:
        number = self.piece if piece is None else piece
        url = f"{self.url}/{number}?told={len(self.told)}{'&last=1' if last else ''}"
        body = np.round(np.clip(samples, -1, 1) * 32767).astype("<i2").tobytes()
        answer = self.bench.client.post(url, data=body, headers={"X-CSRFToken": self.bench.token})
        if answer.status_code == 200:
            self.piece += piece is None
            self.told += answer.get_json()["told"]
            self.state = answer.get_json()
        return answer


def note(hz: float, seconds: float = 1.3, seed: int = 0) -> np.ndarray:
    made = tone(hz, rate=RATE, seconds=seconds - 0.1, lead=0.0, noise=0.0, seed=seed)
    return np.concatenate([np.zeros(RATE // 10), made * np.clip(np.arange(len(made))[::-1] / (0.03 * RATE) - 1, 0, 1)])


def survey_of(bench: Bench, demo: Connection, at_frets: Sequence[int]) -> tuple[surveys.Survey, dict[Note, float]]:
    """A new survey, and a pitch for each note, some cents off; the aims are as tuned."""
    job = jobs.open_of(demo, [KNOT])[KNOT]
    made = read_new(bench, job.id, "intonation", at_frets=", ".join(map(str, at_frets)), resolution_um="0.1")
    survey = surveys.get(demo, made)
    aims = listening(demo, survey, setups.plan_of(demo, KNOT, instruments.get(demo, KNOT).spec)).aims
    chance = np.random.default_rng(5)
    opens = {string: hz * 2 ** (chance.uniform(-8, 8) / 1200) for string, hz in aims.items()}
    pitches = {}
    for one in notes_to_play(survey):
        off = 0.0 if one.what == "open" else chance.uniform(-12, 12)
        pitches[one] = opens[one.string] * 2 ** (one.fret / 12 + off / 1200)
    return survey, pitches


def cents_of(demo: Connection, survey: int) -> dict[tuple[str, int], float]:
    return {place: value / 100 for place, value in surveys.values(demo, survey).items() if value is not None}


@pytest.mark.parametrize("order", ["in_order", "any_order"])
def test_a_whole_pass_is_kept_within_a_cent_and_wrong_notes_are_not(bench: Bench, demo: Connection, order: str) -> None:
    survey, pitches = survey_of(bench, demo, range(1, 20) if order == "in_order" else (2, 7, 12))
    mike, notes = Pass(bench, survey.id, order), list(pitches.items())
    for k, (_, hz) in enumerate(notes):
        mike.send(note(hz, seed=k))
        if k in (7, 11):
            mike.send(note(1.37 * max(pitches.values()) if order == "any_order" else hz * 2 ** (3.5 / 12), seed=k))
    mike.send(np.random.default_rng(0).normal(0, 1e-4, RATE), last=True)
    wrong = [one for one in mike.told if not one["kept"]]
    assert len(wrong) == 2
    assert all("is heard" in one["words"] for one in wrong)
    assert [one["code"] for one in mike.told if one["kept"]] == [one.code for one, _ in notes]
    assert mike.state["left"] == 0
    read = cents_of(demo, survey.id)
    for one, hz in notes:
        if one.what == "fretted":
            opened = pitches[Note(one.string, "open", 0)]
            true = cents_between(hz, opened * 2 ** (one.fret / 12))
            assert read[str(one.string), one.fret] == pytest.approx(true, abs=1.0), one


def test_again_replaces_skip_goes_on_and_the_last_notes_can_be_heard(bench: Bench, demo: Connection) -> None:
    survey, pitches = survey_of(bench, demo, (5, 12))
    mike, notes = Pass(bench, survey.id), list(pitches.items())
    for _, hz in notes[:3]:
        mike.send(note(hz, 1.6))
    bench.post(f"{mike.url}/again")
    sharp = notes[2][1] * 2 ** (5 / 1200)
    mike.send(note(sharp, 1.6))
    assert mike.told[-1]["code"] == notes[2][0].code
    kept = cents_of(demo, survey.id)[str(notes[2][0].string), notes[2][0].fret]
    assert kept == pytest.approx(cents_between(sharp, notes[0][1] * 2 ** (notes[2][0].fret / 12)), abs=1.0)
    assert bench.post(f"{mike.url}/skip").get_json()["at"] == notes[4][0].code
    mike.send(note(notes[4][1], 1.6))
    assert (mike.told[-1]["code"], mike.state["at"]) == (notes[4][0].code, notes[5][0].code)
    assert bench.post(f"{mike.url}/skip", {"note": notes[3][0].code}).get_json()["at"] == notes[3][0].code
    sound = bench.client.get(f"{mike.url}/{mike.told[-1]['number']}.wav")
    assert (sound.mimetype, sound.data[:4]) == ("audio/wav", b"RIFF")
    assert bench.client.get(f"{mike.url}/999.wav").status_code == 404


def test_pieces_come_twice_and_in_their_order(bench: Bench, demo: Connection) -> None:
    survey, pitches = survey_of(bench, demo, (12,))
    mike = Pass(bench, survey.id)
    mike.send(note(next(iter(pitches.values())), 1.6))
    before = len(mike.told)
    for piece in range(mike.piece):
        assert mike.post(np.ones(PIECE), piece=piece).status_code == 200
    assert len(mike.told) == before == 1
    assert mike.post(np.zeros(PIECE), piece=mike.piece + 1).status_code == 409
    mike.url = mike.url[:-1] + "!"
    assert "This pass is over" in mike.post(np.zeros(PIECE)).get_json()["error"]
    for fields in ({"rate": "3", "order": "in_order"}, {"rate": "44100", "order": "backwards"}):
        assert bench.post(f"/surveys/{survey.id}/play", fields).status_code == 422


def test_a_note_whose_sound_broke_off_is_asked_for_again(bench: Bench, demo: Connection) -> None:
    survey, pitches = survey_of(bench, demo, (12,))
    mike, (first, hz) = Pass(bench, survey.id), next(iter(pitches.items()))
    whole = note(hz, 1.6)
    mike.send(np.delete(whole, slice(RATE // 2, RATE // 2 + round(0.4 / hz * RATE))))
    assert [one["kept"] for one in mike.told] == [False]
    assert "broke off" in mike.told[0]["words"]
    mike.send(whole)
    assert [one["code"] for one in mike.told if one["kept"]] == [first.code]


def test_two_strings_at_once_are_told_and_not_kept(bench: Bench, demo: Connection) -> None:
    survey, pitches = survey_of(bench, demo, (12,))
    mike, hz = Pass(bench, survey.id), next(iter(pitches.values()))
    mike.send(0.5 * note(hz) + 0.5 * note(hz * 2 ** (4 / 12), seed=3))
    mike.send(np.zeros(RATE), last=True)
    assert [one["kept"] for one in mike.told] == [False]
    assert surveys.sounded(demo, survey.id) == []


def test_the_ear_offers_what_buzzes_and_one_key_confirms_it(bench: Bench, demo: Connection) -> None:
    spec, plan = instruments.get(demo, KNOT).spec, setups.plan_of(demo, KNOT, instruments.get(demo, KNOT).spec)
    strings = StandInStrings(plan.strings, spec.mean_scale_mm, spec.frets, name="Practice", a4_hz=plan.a4_hz)
    proud_string, proud = strings.proud
    job = jobs.open_of(demo, [KNOT])[KNOT]
    frets = (proud - 2, proud - 1, proud + 1, proud + 3, 12)
    made = read_new(bench, job.id, "intonation", at_frets=", ".join(map(str, frets)), resolution_um="0.1")
    survey = surveys.get(demo, made)
    mike = Pass(bench, made, "in_order", ROOM_RATE)
    played = [one for one in notes_to_play(survey) if one.string in (proud_string, proud_string % spec.strings + 1)]
    for one in played:
        bench.post(f"{mike.url}/skip", {"note": one.code})
        mike.send(strings.note(one.string, one.fret, one.what == "harmonic"))
    mike.send(np.zeros(ROOM_RATE // 5), last=True)
    assert [one["words"] for one in mike.told if not one["kept"]] == []
    aloud = {one.fret for one in played if one.what == "fretted" and strings.buzzes(one.string, one.fret)}
    assert proud - 1 in aloud
    knot = instruments.get(demo, KNOT)
    heard = ear_findings(demo, knot, latest_read(demo, shop.settings(demo), knot))
    assert heard is not None
    sure = {(one.note.string, one.note.fret): one.chance for one in (*heard.offered, *heard.clean)}
    assert {place for place, chance in sure.items() if chance > 0.5} == {(proud_string, fret) for fret in aloud}
    page = bench.get(f"/instruments/{KNOT}/setup/buzz")
    assert page.count("data-ear") == 2
    first = heard.offered[0].note
    bench.post(f"/instruments/{KNOT}/setup/buzz/heard", {"buzzes": str(first.id)})
    buzz = surveys.of_instrument(demo, KNOT, "buzz", 1)[0]
    assert surveys.values(demo, buzz.id)[str(first.string), first.fret] == BUZZES_UM
    bench.post(f"/instruments/{KNOT}/setup/buzz/heard", {"clean": [str(one.note.id) for one in heard.clean]})
    assert surveys.of_instrument(demo, KNOT, "buzz", 1)[0].id == buzz.id
    assert list(surveys.values(demo, buzz.id).values()).count(CLEAN_UM) == len(heard.clean)
    # only what was asked about alone teaches
    assert ear.lessons(demo) == [(heard.offered[0].log_odds, True)]
    # a slip is put right, and then counts once
    bench.post(f"/instruments/{KNOT}/setup/buzz/heard", {"clean": str(first.id)})
    assert surveys.values(demo, buzz.id)[str(first.string), first.fret] == CLEAN_UM
    assert ear.lessons(demo) == [(heard.offered[0].log_odds, False)]
    assert "was played again" in bench.post(f"/instruments/{KNOT}/setup/buzz/heard", {"clean": "99999"}).text
