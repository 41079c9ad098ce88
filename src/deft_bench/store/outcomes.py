"""What became of what was called: frets that were looked under, whether they sat loose."""

import json
from dataclasses import dataclass

from deft_bench.core.frets.metal import MetalTaken
from deft_bench.store.database import Connection

_LOOKED = """
    SELECT j.kind AS kind, 1 AS loose, json_array_length(a.frets) AS frets FROM neck_act a JOIN job j ON j.id = a.job_id
        WHERE a.kind = 'reseat' AND a.taken_back_at IS NULL AND j.withdrawn_at IS NULL AND a.at > :since
    UNION ALL
    SELECT j.kind, 0, json_array_length(s.frets) FROM seating_checked s JOIN job j ON j.id = s.job_id
        WHERE s.taken_back_at IS NULL AND j.withdrawn_at IS NULL AND s.at > :since
        AND json_array_length(s.frets) <= :few
"""
FEW_FRETS = 8
"""Said of more frets at once it is no answer to a call."""


_LIFTED = """
    SELECT a.job_id, a.frets, a.at FROM neck_act a JOIN job j ON j.id = a.job_id
        WHERE a.kind IN ('lift', 'shim') AND a.taken_back_at IS NULL AND j.withdrawn_at IS NULL AND a.at > :since
    UNION ALL
    SELECT p.job_id, json_extract(p.outcome, '$.frets'), p.done_at FROM accepted_plan p JOIN job j ON j.id = p.job_id
        WHERE json_extract(p.outcome, '$.kind') = 'lift' AND p.done_at > :since AND p.withdrawn_at IS NULL
        AND j.withdrawn_at IS NULL
    ORDER BY 3 DESC LIMIT :most
"""
MOST_LIFTS = 30
"""So many lifts say how well they hold, the latest."""


@dataclass(frozen=True, slots=True)
class Lifted:
    """Frets that were lifted in a job, and when, UTC ISO-8601."""

    job_id: int
    frets: tuple[int, ...]
    at: str


def lifted(db: Connection, since: str) -> list[Lifted]:
    """The last lifts that were carried out after a time (empty: ever), the latest first."""
    rows = db.execute(_LIFTED, {"since": since, "most": MOST_LIFTS})
    return [Lifted(row["job_id"], tuple(json.loads(row["frets"])), row["at"]) for row in rows]


_LEVELLED = """
    SELECT DISTINCT m.instrument_id, m.plan_id FROM material_removed m JOIN accepted_plan p ON p.id = m.plan_id
        WHERE m.taken_back_at IS NULL AND m.removed_um > 0 AND m.at > :since ORDER BY m.at DESC LIMIT :most
"""
_TAKEN = """
    SELECT fret, removed_um, at FROM material_removed WHERE plan_id = ? AND taken_back_at IS NULL AND removed_um > 0
"""
MOST_LEVELS = 20
"""So many levels say how well what is planned is kept, the latest."""


@dataclass(frozen=True, slots=True)
class Levelled:
    """What one plan that was carried out took off an instrument's frets, by what it said."""

    instrument_id: int
    taken: tuple[MetalTaken, ...]


def levelled(db: Connection, since: str) -> list[Levelled]:
    """The last levels that were carried out after a time (empty: ever), the latest first."""
    rows = db.execute(_LEVELLED, {"since": since, "most": MOST_LEVELS}).fetchall()
    return [Levelled(row[0], tuple(MetalTaken(*one) for one in db.execute(_TAKEN, (row[1],)))) for row in rows]


@dataclass(frozen=True, slots=True)
class LookedUnder:
    """Of the frets that were called loose and looked under: how many were, and how many were home."""

    loose: int
    home: int


def looked_under(db: Connection, since: str) -> dict[str, LookedUnder]:
    """By kind of job, what was found under frets that were called, after a time (empty: ever)."""
    found: dict[str, LookedUnder] = {}
    rows = db.execute(
        f"SELECT kind, sum(loose * frets) AS loose, sum((1 - loose) * frets) AS home FROM ({_LOOKED}) GROUP BY kind",
        {"since": since, "few": FEW_FRETS},
    )
    for row in rows:
        found[row["kind"]] = LookedUnder(row["loose"], row["home"])
    return found
