-- Which frets were checked and found home, and by which readings; one that is taken back stays in the record.
CREATE TABLE seating_checked (
    id INTEGER PRIMARY KEY,
    job_id INTEGER NOT NULL REFERENCES job (id),
    survey_id INTEGER NOT NULL REFERENCES survey (id),
    frets TEXT NOT NULL CHECK (json_valid(frets)),
    at TEXT NOT NULL,
    taken_back_at TEXT
) STRICT;

CREATE INDEX seating_checked_of ON seating_checked (job_id, id);

-- until now it was said of a whole neck, by the job's latest heights
INSERT INTO seating_checked (job_id, survey_id, frets, at)
SELECT
    job.id,
    survey.id,
    (
        WITH RECURSIVE fret (n) AS (SELECT 1 UNION ALL SELECT n + 1 FROM fret WHERE n < survey.frets)
        SELECT json_group_array(n) FROM fret
    ),
    survey.taken_at
FROM job
INNER JOIN survey ON survey.id = (
    SELECT max(heights.id) FROM survey AS heights WHERE heights.job_id = job.id AND heights.kind = 'fret_heights'
)
WHERE job.seated = 1;

ALTER TABLE job DROP COLUMN seated;
