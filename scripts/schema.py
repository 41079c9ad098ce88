"""Writes docs/schema.md from the migrations: every table with its columns, what they refer to, and what it is for.

`--check` writes nothing and fails when the document is not what the migrations make.
"""

import re
import sqlite3
import sys
from pathlib import Path

from deft_bench.store.database import migrations

TARGET = Path(__file__).resolve().parent.parent / "docs" / "schema.md"
HEAD = """# The database

Made from the migrations by `make schema`; `make check` fails when it is not up to date. Lengths are whole micrometres
(`_um`), moments ISO 8601 in UTC (`_at`), days ISO 8601 (`_on`), documents JSON. Rows of a history are never changed: a
correction, a later save or a withdrawal is another row.
"""
COMMENTS = re.compile(r"((?:^-- .*\n)*)^CREATE (?:VIRTUAL )?TABLE (\w+)", re.MULTILINE)
COLUMN_NOTE = re.compile(r"^\s*(?:ALTER TABLE (\w+) ADD COLUMN )?(\w+) [A-Z].*?(?:,|;)?[ \t]*-- (.+)$", re.MULTILINE)


def document() -> str:
    """The whole document."""
    db = sqlite3.connect(":memory:")
    told: dict[str, str] = {}
    notes: dict[tuple[str, str], str] = {}
    since: dict[str, int] = {}
    for version, sql in migrations():
        db.executescript(sql)
        for comment, table in COMMENTS.findall(sql):
            told[table] = " ".join(line.removeprefix("-- ") for line in comment.splitlines())
            since.setdefault(table, version)
            body = sql[sql.index(f"TABLE {table} ") :].split("\n)", 1)[0]
            notes |= {(table, column): note for _, column, note in COLUMN_NOTE.findall(body)}
        notes |= {(table, column): note for table, column, note in COLUMN_NOTE.findall(sql) if table}
    tables = [name for (name,) in db.execute("SELECT name FROM sqlite_master WHERE type = 'table' ORDER BY name")]
    parts = [HEAD]
    for table in (name for name in tables if name in since):
        parts.append(f"## `{table}`\n")
        about = told.get(table, "")
        parts.append(f"{about[:1].upper()}{about[1:]}{' ' if about else ''}Since migration {since.get(table, 0)}.\n")
        parts.append(_columns(db, table, notes))
    return "\n".join(parts)


def _columns(db: sqlite3.Connection, table: str, notes: dict[tuple[str, str], str]) -> str:
    refers = {row[3]: f"`{row[2]}.{row[4] or 'id'}`" for row in db.execute(f"PRAGMA foreign_key_list({table})")}
    lines = ["| column | type | may be empty | refers to | |", "|---|---|---|---|---|"]
    for _, name, kind, needed, _, key in db.execute(f"PRAGMA table_info({table})"):
        empty = "" if needed or key else "yes"
        lines.append(
            f"| `{name}` | {kind.lower()} | {empty} | {refers.get(name, '')} | {notes.get((table, name), '')} |"
        )
    return "\n".join(lines) + "\n"


def main() -> int:
    """Write the document, or compare it."""
    made = document()
    if "--check" in sys.argv:
        if TARGET.exists() and TARGET.read_text("utf-8") == made:
            return 0
        print("docs/schema.md is not what the migrations make: run make schema", file=sys.stderr)
        return 1
    TARGET.write_text(made, "utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
