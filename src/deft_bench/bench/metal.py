"""The metal that an instrument's frets hold now, from its crown heights and what the record says was taken off."""

from deft_bench.core.frets.metal import CrownReading, MetalNow, metal_in
from deft_bench.store import instruments, jobs, surveys
from deft_bench.store.database import Connection


def metal_now(db: Connection, instrument: instruments.Instrument) -> MetalNow:
    """Height of each fret over the board, read or worked out."""
    spec = instrument.spec
    read = [
        [
            CrownReading(place, reading.value_um, reading.at)
            for place, reading in surveys.readings(db, survey.id).items()
            if reading.value_um is not None
        ]
        for survey in surveys.of_instrument(db, instrument.id, "crown_height")
    ]
    taken, new_since = jobs.metal_taken(db, instrument.id), jobs.new_since(db, instrument.id)
    return metal_in(spec.frets, spec.fret_height_um, read, taken, new_since)
