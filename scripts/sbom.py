"""Writes docs/sbom.cdx.json: what the program is made of beside itself, as a CycloneDX 1.6 bill of materials, from the
lock file and the table of vendored files.

`--check` writes nothing and fails when the document is not what those make.
"""

import json
import re
import sys
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
TARGET = ROOT / "docs" / "sbom.cdx.json"
LOCKED = re.compile(r"^([A-Za-z0-9_.-]+)==([^\s;\\]+)(.*(?:\n    --hash=.*)*)", re.MULTILINE)
VENDORED = re.compile(r"^\| (?!folder|-)([\w-]+) \| (.+?) \| (.+?) \| (.+?) \|$", re.MULTILINE)


def locked(text: str) -> list[dict[str, Any]]:
    """A component for each package of a lock file, with the checksums of what may be installed."""
    return [
        {
            "type": "library",
            "bom-ref": f"pkg:pypi/{name}@{version}",
            "name": name,
            "version": version,
            "purl": f"pkg:pypi/{name}@{version}",
            "hashes": [{"alg": "SHA-256", "content": one} for one in re.findall(r"sha256:([0-9a-f]{64})", rest)],
        }
        for name, version, rest in LOCKED.findall(text)
    ]


def vendored(text: str) -> list[dict[str, Any]]:
    """A component for each row of the table of vendored files."""
    return [
        {
            "type": "library",
            "bom-ref": f"vendor/{folder}@{version}",
            "name": folder,
            "version": version,
            "description": what,
            "licenses": [{"license": {"name": licence}}],
        }
        for folder, what, version, licence in VENDORED.findall(text)
    ]


def document() -> str:
    """The whole document."""
    vendor = ROOT / "src" / "deft_bench" / "web" / "static" / "vendor" / "README.md"
    components = [*locked((ROOT / "requirements.lock").read_text()), *vendored(vendor.read_text("utf-8"))]
    found = {
        "bomFormat": "CycloneDX",
        "specVersion": "1.6",
        "version": 1,
        "metadata": {"component": {"type": "application", "bom-ref": "deft-bench", "name": "deft-bench"}},
        "components": components,
        "dependencies": [{"ref": "deft-bench", "dependsOn": [one["bom-ref"] for one in components]}],
    }
    return json.dumps(found, indent=1, ensure_ascii=False) + "\n"


def main() -> int:
    """Write it, or check it."""
    made = document()
    if "--check" in sys.argv:
        if not TARGET.exists() or TARGET.read_text("utf-8") != made:
            print("docs/sbom.cdx.json is not what the lock file and the vendored files make: run make sbom")
            return 1
        return 0
    TARGET.write_text(made, "utf-8")
    return 0


if __name__ == "__main__":
    sys.exit(main())
