"""The project keeps its own rules: commands in the README work, links lead somewhere, layers and the test ratio
hold.
"""

import json
import os
import re
import subprocess
import sys
from pathlib import Path

import pytest

from deft_bench.cli import main
from deft_bench.core import limits
from deft_bench.formats import calc

ROOT = Path(__file__).resolve().parent.parent
README = (ROOT / "README.md").read_text("utf-8")
DOCS = [ROOT / "README.md", *ROOT.glob("docs/**/*.md")]


def test_the_readmes_commands_do_what_they_say(tmp_path: Path) -> None:
    """Every deft-bench command in the README, run as written but for where the files go (serve and demo elsewhere)."""
    said = re.findall(r"^\$ \.venv/bin/deft-bench (.*?)(?:\s+#.*)?$", README, re.MULTILINE)
    assert len(said) == 11
    env = os.environ | {"DEFT_BENCH_DATABASE": str(tmp_path / "bench.sqlite3"), "HOME": str(tmp_path)}
    made = [
        sys.executable,
        "-m",
        "deft_bench",
        "demo",
        "--only-make",
        "--day",
        "2026-08-24",
        "--database",
        env["DEFT_BENCH_DATABASE"],
    ]
    subprocess.run(made, env=env, check=True, capture_output=True)
    for line in said:
        if line.startswith("serve"):
            continue
        command = f"{sys.executable} -m deft_bench {line}" + (" --as-copy" if line.startswith("import") else "")
        typed = "level crown polish\n"  # what is asked for is typed
        done = subprocess.run(command, shell=True, env=env, cwd=tmp_path, capture_output=True, text=True, input=typed)
        assert done.returncode == 0, (line, done.stderr)
    assert json.loads((tmp_path / "heron.json").read_text("utf-8"))["spec"]["name"] == "Heron No. 4"


def test_every_command_has_help(capsys: pytest.CaptureFixture[str]) -> None:
    with pytest.raises(SystemExit):
        main(["--help"])
    commands = re.findall(r"^    (\w+) ", capsys.readouterr().out, re.MULTILINE)
    assert {"demo", "serve", "calc", "backup", "restore", "export", "import"} <= set(commands)
    for command in commands:
        with pytest.raises(SystemExit):
            main([command, "--help"])
        assert len(capsys.readouterr().out) > 100
        assert command in README


def test_failures_are_said_in_a_sentence(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    letter = tmp_path / "letter.txt"
    letter.write_text("not a database, " * 300)
    nowhere = str(tmp_path / "none.sqlite3")
    for command in (
        ["serve", "--database", str(letter)],
        ["backup", str(tmp_path / "x"), "--database", nowhere],
        ["restore", str(letter), "--database", nowhere],
        ["export", "Nobody", "--database", nowhere],
        ["import", nowhere, "--database", str(tmp_path / "made.sqlite3")],
    ):
        assert main(command) == 1
        said = capsys.readouterr().err
        assert said.startswith("deft-bench: ")
        assert "Traceback" not in said
    with pytest.raises(SystemExit) as left:
        main(["import", str(letter), "--database", nowhere])
    assert left.value.code == 2
    assert letter.read_text().startswith("not a database")


@pytest.mark.parametrize("document", DOCS, ids=lambda path: path.name)
def test_links_in_the_documents_lead_somewhere(document: Path) -> None:
    for link in re.findall(r"\]\(([^)#]+)\)", document.read_text("utf-8")):
        assert (document.parent / link).exists(), link


def test_every_calculation_has_its_method() -> None:
    for name in calc.names():
        assert f"`{name}`" in (ROOT / "docs" / "formats" / "calc.md").read_text("utf-8")
        assert (ROOT / "docs" / "methods" / f"{name}.md").exists()
    named = re.findall(
        r"docs/methods/([\w-]+\.md)", "".join(p.read_text("utf-8") for p in (ROOT / "src").rglob("*.py"))
    )
    assert all((ROOT / "docs" / "methods" / name).exists() for name in named)


def test_every_tolerance_is_listed_with_its_value_and_reason() -> None:
    listed = (ROOT / "docs" / "methods" / "tolerances.md").read_text("utf-8")
    for name in (name for name in vars(limits) if name.isupper()):
        row = next((line for line in listed.splitlines() if f"`{name}`" in line), "")
        value = getattr(limits, name)
        for figure in value.values() if isinstance(value, dict) else [value]:
            assert str(figure).removesuffix(".0") in row, name


def test_no_host_of_a_registry_and_no_path_of_a_machine_is_named() -> None:
    for name in ("requirements.lock", "requirements-dev.lock", "pyproject.toml", "Makefile"):
        assert "://" not in (ROOT / name).read_text("utf-8")


def test_the_share_of_test_code_is_kept() -> None:
    done = subprocess.run(
        [sys.executable, str(ROOT / "scripts" / "stats.py"), "--check"], capture_output=True, text=True
    )
    assert done.returncode == 0, done.stdout
