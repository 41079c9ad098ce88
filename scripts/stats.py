"""Lines of product code and of test code, and their ratio (wanted: between a quarter and a third)."""

import subprocess
import sys
from pathlib import Path

KINDS = {".py", ".html", ".js", ".css", ".sql"}
LEAST, MOST = 1 / 4, 1 / 3


def lines(path: Path) -> int:
    """Lines that are not blank."""
    return sum(bool(line.strip()) for line in path.read_text("utf-8").splitlines())


def main() -> int:
    """Count the files that git tracks, vendored ones left out."""
    root = Path(__file__).resolve().parent.parent
    listed = subprocess.run(
        ["git", "ls-files", "--cached", "--others", "--exclude-standard"],
        cwd=root,
        capture_output=True,
        text=True,
        check=True,
    )
    counts: dict[str, int] = {}
    for name in listed.stdout.splitlines():
        path = root / name
        if path.suffix not in KINDS or "/vendor/" in name or not path.exists():
            continue
        top = (
            "tests"
            if name.startswith("tests/")
            else "/".join(name.split("/")[2:3])
            if name.startswith("src/")
            else "scripts"
        )
        counts[top] = counts.get(top, 0) + lines(path)
    test = counts.pop("tests", 0)
    apart = counts.pop("scripts", 0)
    product = sum(counts.values())
    for part, count in sorted(counts.items(), key=lambda item: -item[1]):
        print(f"{part:<12}{count:>7}")
    print(f"{'product':<12}{product:>7}\n{'tests':<12}{test:>7}\n{'scripts':<12}{apart:>7} (in neither)")
    ratio = test / product
    print(f"{'ratio':<12}{ratio:>7.3f}  wanted {LEAST:.3f} to {MOST:.3f}")
    # more tests than wanted are a note, not a fault
    return 0 if "--check" not in sys.argv or ratio >= LEAST else 1


if __name__ == "__main__":
    sys.exit(main())
