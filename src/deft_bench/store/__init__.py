"""SQLite by plain SQL: rows in, core values out. One module an aggregate."""
