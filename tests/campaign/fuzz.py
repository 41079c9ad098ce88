"""Rubbish for every parser: what is in the corpus, mutated. An error that is not the parser's own is a fault."""

import json
import random
from collections.abc import Callable, Mapping
from contextlib import closing
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory

from campaign.trials import NOW, Seeds
from deft_bench.core.times import read_day, read_moment
from deft_bench.core.units import LengthError, parse_length
from deft_bench.core.work.schedule.hours import read_days
from deft_bench.devices.line_format import GarbledError, LineFormat, compiled, read_line
from deft_bench.formats import calc
from deft_bench.formats.archive import ArchiveError, bring_in
from deft_bench.formats.challenge import read_challenge
from deft_bench.formats.operations_toml import extend
from deft_bench.formats.operations_toml import shipped as operations
from deft_bench.formats.photograph import PhotographError, reencode
from deft_bench.formats.readings_csv import read_sheet
from deft_bench.formats.record import import_record
from deft_bench.formats.recording import RecordingError, read_recording
from deft_bench.formats.stock_csv import read_stock
from deft_bench.formats.strict_json import RequestError, read_json
from deft_bench.store.database import Connection, StoreError, scratch

CORPUS = Path(__file__).parent / "corpus"
TODAY = NOW.date()
SHORT_BYTES = 3_000
"""Inputs up to this size are fed in full; longer ones as many times fewer as they are longer."""
WORDS: tuple[bytes, ...] = (
    b"\0",
    b"\xff\xfe",
    b"\r",
    b"\n\n",
    b'"',
    b"[" * 300,
    b"1e999",
    b"-0",
    b"NaN",
    b"9" * 400,
    b"5e-324",
    b"\xe2\x80\xae",
)
WORDS += (
    b"null",
    b"{}",
    b"[]",
    b"true",
    b"-1",
    b"1e300",
    b"\xed\xa0\x80",
    b"../",
    b"=1+1",
    b"%41",
    "٣".encode(),
    b"2026-00-00",
)
LINE = LineFormat(r"(?P<figure>[-+]?[\d .,]+)\s*(?P<unit>mm|in|um)?", "mm")


@dataclass(frozen=True, slots=True)
class Parser:
    """What reads an input, and the errors by which it may refuse one."""

    read: Callable[[bytes], object]
    refuses: tuple[type[Exception], ...] = ()


def _text(read: Callable[[str], object]) -> Callable[[bytes], object]:
    return lambda raw: read(raw.decode("utf-8", "replace"))


def _calculation(raw: bytes) -> object:
    asked = read_json(raw)
    name = asked.get("calc") if isinstance(asked, dict) else None
    if not isinstance(name, str) or name not in calc.CALCULATIONS:
        raise RequestError(["calc: unknown"])
    return calc.calculate(name, asked.get("request"))


@cache
def _empty() -> Connection:
    return scratch()


def _record(raw: bytes) -> object:
    db = _empty()
    db.execute("BEGIN")
    try:
        return import_record(db, raw)
    finally:
        db.execute("ROLLBACK")


def _archive(raw: bytes) -> object:
    with TemporaryDirectory(prefix="campaign-") as folder, closing(scratch()) as db:
        sent = Path(folder) / "sent.zip"
        sent.write_bytes(raw)
        return bring_in(db, sent)


def _line(text: str) -> object:
    pattern, _, line = text.partition("\n")
    return read_line(line, LineFormat(compiled(pattern).pattern, "mm")), read_line(line, LINE)


PARSERS: Mapping[str, Parser] = {
    "calculations": Parser(_calculation, (RequestError,)),
    "records": Parser(_record, (RequestError,)),
    "archives": Parser(_archive, (ArchiveError, RequestError, StoreError)),
    "challenges": Parser(read_challenge, (RequestError,)),
    "operations": Parser(_text(lambda text: extend(operations(), text))),
    "readings": Parser(_text(lambda text: read_sheet(text, "fret_heights", 22, "mm"))),
    "stock": Parser(_text(read_stock)),
    "lengths": Parser(_text(parse_length), (LengthError,)),
    "days": Parser(_text(lambda text: (read_day(text, TODAY), read_days(text, TODAY))), (ValueError,)),
    "moments": Parser(_text(lambda text: read_moment(text, TODAY)), (ValueError,)),
    "gauge lines": Parser(_text(_line), (GarbledError, ValueError)),
    "photographs": Parser(reencode, (PhotographError,)),
    "recordings": Parser(read_recording, (RecordingError,)),
}


def corpus(name: str, seeds: Seeds) -> list[bytes]:
    """What inputs of a kind are made from."""
    made = {"records": seeds.short_record, "archives": seeds.short_archive}
    return (
        [made[name].read_bytes()]
        if name in made
        else [one.read_bytes() for one in sorted((CORPUS / name.replace(" ", "_")).glob("*"))]
    )


def shares(inputs: int, seeds: Seeds) -> dict[str, int]:
    """How many inputs each parser gets of so many: fewer where one takes long to take in."""
    mean = {name: sum(map(len, found)) / len(found) for name in PARSERS if (found := corpus(name, seeds))}
    weight = {name: min(1.0, SHORT_BYTES / size) for name, size in mean.items()}
    return {name: max(1, round(inputs * one / sum(weight.values()))) for name, one in weight.items()}


def feed(name: str, many: int, seed: int, seeds: Seeds) -> list[str]:
    """Faults that so many inputs found, in words."""
    chance = random.Random(f"{seed} {name}")
    parser, begun, faults = PARSERS[name], corpus(name, seeds), []
    for _ in range(many):
        raw = mutated(chance.choice(begun), chance)
        try:
            parser.read(raw)
        except parser.refuses:
            continue
        except Exception as error:
            faults.append(f"{type(error).__name__}: {error} from {raw[:120]!r}")
    return faults


def mutated(raw: bytes, chance: random.Random) -> bytes:
    """Some of its bytes changed, cut out, doubled, or replaced by words that have done harm."""
    if chance.random() < 0.3:
        with_json = _mutated_json(raw, chance)
        if with_json is not None:
            return with_json
    made = bytearray(raw)
    for _ in range(chance.choice([1, 1, 2, 5])):
        at = chance.randrange(len(made) + 1)
        upto = min(len(made), at + chance.choice([0, 1, 4, 40]))
        what = chance.randrange(4)
        if what == 0 and at < len(made):
            made[at] ^= 1 << chance.randrange(8)
        elif what == 1:
            del made[at:upto]
        elif what == 2:
            made[at:at] = made[at:upto]
        else:
            made[at:upto] = chance.choice(WORDS)
    return bytes(made)


def _mutated_json(raw: bytes, chance: random.Random) -> bytes | None:
    """A JSON value with one of its own put for another; None for what is no JSON."""
    try:
        value = json.loads(raw)
    except ValueError:
        return None
    places: list[tuple[dict[str, object] | list[object], str | int]] = []
    rest: list[object] = [value]
    while rest:
        one = rest.pop()
        found = one.items() if isinstance(one, dict) else enumerate(one) if isinstance(one, list) else ()
        for key, item in found:
            places.append((one, key))  # type: ignore[arg-type]
            rest.append(item)
    if not places:
        return None
    for _ in range(chance.choice([1, 1, 3])):
        where, key = chance.choice(places)
        odd: list[object] = [
            None,
            -1,
            0,
            1,
            1e300,
            5e-324,
            "",
            "x" * 99,
            [],
            {},
            True,
            "\u202e",
            10**18,
            22.0,
            "2026-00-00",
        ]
        where[key] = chance.choice(odd)  # type: ignore[index]
    return json.dumps(value).encode()
