"""What became of what was called: frets that were looked under, whether they sat loose."""

import json
from dataclasses import dataclass

from deft_bench.core.frets.metal import CrownReading, MetalTaken
from deft_bench.store.database import Connection

_LOOKED = """
    SELECT j.kind AS kind, 1 AS loose, json_array_length(a.frets) AS frets
        FROM neck_act a JOIN bench_job j ON j.id = a.job_id
        WHERE a.kind = 'reseat' AND a.taken_back_at IS NULL AND j.withdrawn_at IS NULL AND a.at > :since
    UNION ALL
    SELECT j.kind, 0, json_array_length(s.frets) FROM seating_checked s JOIN bench_job j ON j.id = s.job_id
        WHERE s.taken_back_at IS NULL AND j.withdrawn_at IS NULL AND s.at > :since
        AND json_array_length(s.frets) <= :few
"""
FEW_FRETS = 8
"""Said of more frets at once it is no answer to a call."""


_LIFTED = """
    SELECT a.job_id, a.frets, a.at FROM neck_act a JOIN bench_job j ON j.id = a.job_id
        WHERE a.kind IN ('lift', 'shim') AND a.taken_back_at IS NULL AND j.withdrawn_at IS NULL AND a.at > :since
    UNION ALL
    SELECT p.job_id, json_extract(p.outcome, '$.frets'), p.done_at
        FROM accepted_plan p JOIN bench_job j ON j.id = p.job_id
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
    SELECT m.plan_id FROM material_removed m WHERE m.taken_back_at IS NULL AND m.removed_um > 0 AND m.at > :since
        AND NOT EXISTS (SELECT 1 FROM practice_neck p WHERE p.instrument_id = m.instrument_id)
        GROUP BY m.plan_id ORDER BY max(m.at) DESC LIMIT :most
"""
_TAKEN = f"""
    SELECT instrument_id, fret, removed_um, at FROM material_removed
        WHERE taken_back_at IS NULL AND removed_um > 0 AND plan_id IN ({_LEVELLED})
"""
_CROWNS = f"""
    SELECT s.instrument_id, r.lane, r.fret, r.value_um, r.at FROM reading r JOIN survey s ON s.id = r.survey_id
        WHERE s.kind = 'crown_height' AND s.withdrawn_at IS NULL AND r.value_um IS NOT NULL
        AND NOT EXISTS (SELECT 1 FROM reading n WHERE n.replaces = r.id)
        AND s.instrument_id IN (SELECT instrument_id FROM material_removed WHERE plan_id IN ({_LEVELLED}))
        ORDER BY r.at
"""
MOST_LEVELS = 20
"""So many levels say how well what is planned is kept, the latest."""


@dataclass(frozen=True, slots=True)
class Levelled:
    """What the last levels took off one instrument's frets, by what their plans said, and the crowns that were read of
    it, the first one first.
    """

    taken: tuple[MetalTaken, ...]
    crowns: tuple[CrownReading, ...]


def levelled(db: Connection, since: str) -> list[Levelled]:
    """The last levels that were carried out after a time (empty: ever), by instrument; those without a crown that was
    read are left out.
    """
    asked = {"since": since, "most": MOST_LEVELS}
    crowns: dict[int, list[CrownReading]] = {}
    for row in db.execute(_CROWNS, asked):
        crowns.setdefault(row[0], []).append(CrownReading((row[1], row[2]), row[3], row[4]))
    taken: dict[int, list[MetalTaken]] = {}
    for row in db.execute(_TAKEN, asked) if crowns else ():
        taken.setdefault(row[0], []).append(MetalTaken(*row[1:]))
    return [Levelled(tuple(taken[one]), tuple(read)) for one, read in crowns.items() if one in taken]


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
