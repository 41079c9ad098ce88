"""Names every function whose cyclomatic complexity, as radon counts it, is over the limit."""

import sys
from pathlib import Path

from radon.complexity import cc_visit

MOST = 20


def main() -> int:
    """Print what is over the limit; 1 when anything is."""
    root = Path(__file__).resolve().parent.parent
    over = [
        f"{path.relative_to(root)}:{block.lineno}: {block.name} has a complexity of {block.complexity}, at most {MOST}"
        for path in sorted((root / "src").rglob("*.py"))
        for block in cc_visit(path.read_text("utf-8"))
        if block.complexity > MOST
    ]
    print("\n".join(over), end="\n" if over else "")
    return 1 if over else 0


if __name__ == "__main__":
    sys.exit(main())
