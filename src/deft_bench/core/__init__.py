"""The heart: pure functions over frozen dataclasses. No Flask, no SQL, no files, no clock."""
