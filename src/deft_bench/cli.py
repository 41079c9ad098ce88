"""`deft-bench`: demo, serve, calc, backup, restore, export, import. Heavy parts are imported where they are used."""

import argparse
import sys
from collections.abc import Sequence
from typing import NoReturn


def main(argv: Sequence[str] | None = None) -> int:
    """Run one command; the exit code is 0, 1 for a failure said in words, or 2 for a bad request."""
    parser = _parser()
    args = parser.parse_args(argv)
    code: int = args.run(args)
    return code


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="deft-bench", description="A bench companion for fretwork and setup.")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    calc = commands.add_parser("calc", help="answer one calculation: JSON on standard input, JSON on standard output")
    calc.add_argument("name", nargs="?", help="the calculation's name")
    calc.add_argument("--list", action="store_true", help="list every calculation")
    calc.add_argument("--schema", action="store_true", help="print the request's JSON Schema")
    calc.set_defaults(run=_calc)
    return parser


def _calc(args: argparse.Namespace) -> int:
    import json

    from deft_bench.formats import calc

    if args.list:
        for name in calc.names():
            print(f"{name:<16} {calc.about(name)}")
        return 0
    if args.name not in calc.CALCULATIONS:
        _refuse([f"name: unknown calculation {args.name!r}; see deft-bench calc --list"])
    if args.schema:
        print(json.dumps(calc.schema(args.name), indent=2))
        return 0
    from deft_bench.formats.strict_json import read_json

    try:
        answer = calc.calculate(args.name, read_json(sys.stdin.buffer.read()))
    except calc.RequestError as error:
        _refuse(error.lines)
    print(json.dumps(answer, ensure_ascii=False, allow_nan=False))
    return 0


def _refuse(lines: Sequence[str]) -> NoReturn:
    for line in lines:
        print(line, file=sys.stderr)
    raise SystemExit(2)


if __name__ == "__main__":
    sys.exit(main())
