"""Open formats in and out: JSON, CSV, photographs. No Flask."""
