-- Who entered a row, where somebody had said who is at the bench. A plan that is carried out counts once more, as `plan_done`.
CREATE TABLE entered_by (
    what TEXT NOT NULL, -- its table
    row_id INTEGER NOT NULL,
    person TEXT NOT NULL CHECK (length(person) BETWEEN 1 AND 60),
    PRIMARY KEY (what, row_id)
) STRICT, WITHOUT ROWID;
