"""Practice at the bench: attempts at drills, one module a drill."""
