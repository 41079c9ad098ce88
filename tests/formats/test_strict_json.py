"""What says yes quickly says it only where what finds every fault finds none."""

import json
import random
from pathlib import Path
from typing import Any

import pytest

from campaign.fuzz import CORPUS, mutated
from deft_bench.formats import calc
from deft_bench.formats.record import export_record
from deft_bench.formats.record.schema import SCHEMA as RECORD
from deft_bench.formats.strict_json import RequestError, _faults, accepted, check, draft_7, read_json
from deft_bench.store import instruments
from deft_bench.store.database import Connection

EVERY = sorted((CORPUS / "calculations").glob("*.json"))
MUTATIONS = 60


@pytest.mark.parametrize("path", EVERY, ids=lambda path: path.stem)
def test_what_is_accepted_has_no_fault(path: Path) -> None:
    chance, raw = random.Random(path.stem), path.read_bytes()
    begun = json.loads(raw)
    schema = calc.schema(begun["calc"])
    assert accepted(begun["request"], schema)
    refused = 0
    for _ in range(MUTATIONS):
        try:
            value = read_json(mutated(json.dumps(begun["request"]).encode(), chance))
        except RequestError:
            continue
        faults = list(_faults(value, schema))
        assert accepted(value, schema) == (not faults), (value, faults)
        refused += bool(faults)
    assert refused


def test_a_record_that_is_accepted_has_no_fault(demo: Connection) -> None:
    chance = random.Random(5)
    heron = instruments.find(demo, "heron")[0]
    begun = json.loads(json.dumps(export_record(demo, heron.id)))
    assert accepted(begun, RECORD)
    for _ in range(MUTATIONS):
        try:
            value = read_json(mutated(json.dumps(begun).encode(), chance))
        except RequestError:
            continue
        assert accepted(value, RECORD) == (not list(_faults(value, RECORD)))


@pytest.mark.parametrize(
    ("value", "line"),
    [
        ([1, "a"], None),
        ([1], None),
        (["a", "a"], "[0]: must be a number"),
        ([1, "a", True], "[2]: must be text"),
    ],
)
def test_what_begins_a_list_is_written_otherwise_in_draft_7(value: Any, line: str | None) -> None:
    schema = {"type": "array", "prefixItems": [{"type": "number"}], "items": {"type": "string"}}
    assert accepted(value, schema) == (line is None)
    if line:
        with pytest.raises(RequestError) as refused:
            check(value, schema)
        assert refused.value.lines == [line]


def test_a_word_that_is_not_known_is_not_passed_over() -> None:
    with pytest.raises(KeyError, match="dependentRequired"):
        draft_7({"type": "object", "properties": {"a": {"dependentRequired": {}}}})
