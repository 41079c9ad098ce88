"""`deft-bench`: demo, serve, calc, backup, restore, export, import, stand-in. Heavy parts are imported where
they are used.
"""

import argparse
import os
import sys
from collections.abc import Sequence
from datetime import UTC, date, datetime
from pathlib import Path
from tempfile import TemporaryDirectory
from threading import Event
from typing import TYPE_CHECKING, NoReturn

from deft_bench import __version__

if TYPE_CHECKING:
    from deft_bench.devices.stand_in import StandIn
    from deft_bench.formats.archive import HereAlready
    from deft_bench.store.database import Connection


MOST_PORT = 65_535


def main(argv: Sequence[str] | None = None) -> int:
    """Run one command; the exit code is 0, 1 for a failure said in words, or 2 for a bad request."""
    parser = _parser()
    args = parser.parse_args(argv)
    code: int = args.run(args)
    return code


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="deft-bench", description="A bench companion for fretwork and setup.")
    parser.add_argument("--version", action="version", version=f"deft-bench {__version__}")
    commands = parser.add_subparsers(required=True, metavar="COMMAND")

    calc = commands.add_parser("calc", help="answer one calculation: JSON on standard input, JSON on standard output")
    calc.add_argument("name", nargs="?", help="the calculation's name")
    calc.add_argument("--list", action="store_true", help="list every calculation")
    calc.add_argument("--schema", action="store_true", help="print the request's JSON Schema")
    calc.set_defaults(run=_calc)

    serve = commands.add_parser("serve", help="start the application")
    _serving(serve)
    serve.set_defaults(run=_serve)

    passphrase = commands.add_parser(
        "passphrase", help="set the passphrase by which a device enters with serve --bench"
    )
    _database(passphrase)
    passphrase.set_defaults(run=_passphrase)

    demo = commands.add_parser("demo", help="start the application on the demo bench, made once and then kept")
    _serving(demo, data_folder() / "demo" / "deft-bench.sqlite3")
    demo.add_argument("--fresh", action="store_true", help="put the demo bench back to how it began")
    demo.add_argument("--day", type=date.fromisoformat, help="make it as it stands on this day (default: today)")
    demo.add_argument("--only-make", action="store_true", help="make the data and do not start the application")
    demo.set_defaults(run=_demo)

    backup = commands.add_parser("backup", help="copy the database, while it is in use or not, and verify the copy")
    backup.add_argument("target", type=Path, help="the new file")
    _database(backup)
    backup.set_defaults(run=_backup)

    archive = commands.add_parser(
        "archive", help="write the whole bench into one ZIP file of open formats, for this program and any other"
    )
    archive.add_argument("target", type=Path, help="the new file")
    _database(archive)
    archive.set_defaults(run=_archive)

    restore = commands.add_parser("restore", help="verify a backup and put it in the database's place")
    restore.add_argument("source", type=Path, help="the backup")
    _database(restore)
    restore.set_defaults(run=_restore)

    stand_in = commands.add_parser("stand-in", help="be a device that the bench does not have, to try things with")
    stand_in.add_argument("kind", choices=["gauge", "hygrometer", "pedal", "strings"], help="which device")
    stand_in.add_argument("--tcp", type=_port, metavar="PORT", help="write over the network, on this port (0: any)")
    stand_in.add_argument("--post", metavar="URL", help="post to this address of the bench instead")
    stand_in.add_argument("--key", default="", help="the device's key, to post with")
    stand_in.add_argument("--authority", help="the file of the bench's own authority, to post by https")
    stand_in.add_argument("--figures", help="what a gauge reads, mm: figures with commas between, or a file")
    stand_in.add_argument("--neck", default="Practice", help="or the name of a neck to read (default: %(default)s)")
    stand_in.add_argument("--frets", type=int, default=22, help="how many frets it has (default: %(default)s)")
    stand_in.add_argument("--resolution", type=float, default=0.01, help="mm (default: %(default)s)")
    stand_in.add_argument("--noise", type=float, default=0.002, help="spread, mm (default: %(default)s)")
    stand_in.add_argument("--drift", type=float, default=0.0, help="mm a minute (default: none)")
    stand_in.add_argument("--dropouts", type=float, default=0.0, help="share of lines that are lost (default: none)")
    stand_in.add_argument("--hold", type=float, default=1.2, help="seconds on each place (default: %(default)s)")
    stand_in.add_argument("--humidity", type=float, default=45.0, help="%% RH of a hygrometer (default: %(default)s)")
    stand_in.add_argument("--temperature", type=float, default=21.0, help="its °C (default: %(default)s)")
    stand_in.add_argument("--wav", type=Path, help="the file to write what is heard of strings to")
    stand_in.add_argument("--at-frets", default="1,3,5,7,12", help="where strings are fretted (default: %(default)s)")
    stand_in.add_argument("--wrong", type=int, default=0, help="how many wrong notes are among them (default: none)")
    stand_in.set_defaults(run=_stand_in)

    export = commands.add_parser(
        "export", help="write an instrument's record, or its board as a file, to standard output"
    )
    export.add_argument("name", help="the instrument's name, or a board's")
    export.add_argument(
        "--as",
        dest="kind",
        default="record",
        help=(
            "record (the default, JSON), or a file of the board: svg, dxf, pdf, pdf-long, marking-csv, inlays-csv,"
            " slot-depths-csv, slot-depths-pdf, slots-gcode, deepen-gcode"
        ),
    )
    export.add_argument(
        "--out", type=Path, help="write to this file instead; a folder takes every file of the board with --as all"
    )
    _database(export)
    export.set_defaults(run=_export)

    bring = commands.add_parser(
        "import", help="bring in a record that was exported, or a whole bench that was archived: all of it or nothing"
    )
    bring.add_argument("source", type=Path, help="the record's JSON file, or the archive's ZIP file")
    bring.add_argument(
        "--here-already",
        choices=["keep", "copy"],
        help="of an archive's instruments that are here and differ: keep what is here, or bring them in as copies",
    )
    bring.add_argument("--as-copy", action="store_true", help="as a copy, beside one that is here already")
    _database(bring)
    bring.set_defaults(run=_import)
    return parser


def _database(parser: argparse.ArgumentParser, default: Path | None = None) -> None:
    parser.add_argument(
        "--database", type=Path, default=default or data_file(), help="the database file (default: %(default)s)"
    )


def _serving(parser: argparse.ArgumentParser, default: Path | None = None) -> None:
    _database(parser, default)
    parser.add_argument("--host", help="the address to listen on (default: this machine only; every one with --bench)")
    parser.add_argument("--port", type=_port, default=8137, help="the port (default: 8137; 0 takes any free one)")
    parser.add_argument("--name", action="append", default=[], help="another host name by which this server is asked")
    parser.add_argument(
        "--bench", action="store_true", help="serve over the local network, by https, to devices that enter"
    )


def data_file() -> Path:
    """Where the shop's own data live unless told otherwise: DEFT_BENCH_DATABASE, or the user's data folder."""
    named = os.environ.get("DEFT_BENCH_DATABASE")
    if named:
        return Path(named)
    return data_folder() / "deft-bench.sqlite3"


def data_folder() -> Path:
    """The user's data folder of this application, after the XDG Base Directory Specification."""
    base = os.environ.get("XDG_DATA_HOME") or str(Path.home() / ".local" / "share")
    return Path(base) / "deft-bench"


def _port(text: str) -> int:
    if not text.isascii() or not text.isdigit() or int(text) > MOST_PORT:
        raise argparse.ArgumentTypeError(f"a port is a whole number from 0 to {MOST_PORT}, and {text[:20]!r} is none")
    return int(text)


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


def _stand_in(args: argparse.Namespace) -> int:
    if args.kind == "strings":
        return _strings_to_wav(args)
    from deft_bench.devices.stand_in import Hygrometer, Pedal, StandIn, by_post, on_terminal, over_tcp

    pedal = Pedal()
    try:
        device: StandIn = (
            pedal
            if args.kind == "pedal"
            else Hygrometer(args.humidity, args.temperature)
            if args.kind == "hygrometer"
            else _gauge(args)
        )
        if args.post:
            by_post(device, args.post, args.key, args.authority)
            print("The bench does not take it any more: see its address and the key.", file=sys.stderr)
            return 1
        where = f"127.0.0.1:{over_tcp(device, port=args.tcp)[1]}" if args.tcp is not None else on_terminal(device)[1]
    except ValueError:
        print("--figures: give numbers with commas between, or a file of them", file=sys.stderr)
        return 1
    except OSError as error:
        print(f"It cannot be set up: {error.strerror or error}.", file=sys.stderr)
        return 1
    print(f"A {args.kind} is at {where}. Stop it with Ctrl-C; Enter presses a pedal.", flush=True)
    try:
        for _ in sys.stdin:
            pedal.press()
        Event().wait()
    except KeyboardInterrupt:
        pass
    return 0


def _strings_to_wav(args: argparse.Namespace) -> int:
    """Write a pass over six strings as a microphone hears it: open, harmonic and fretted, string by string."""
    from deft_bench.core.strings.ear.room import ROOM_RATE
    from deft_bench.core.strings.string_set import SETS, TUNINGS, made_of, notes_of
    from deft_bench.devices.stand_in_strings import StandInStrings, a_pass
    from deft_bench.formats.recording import wav_of

    if args.wav is None:
        print("--wav: name the file that the strings are written to", file=sys.stderr)
        return 1
    try:
        at_frets = [int(text) for text in args.at_frets.split(",")]
        if not all(1 <= fret <= args.frets for fret in at_frets):
            raise ValueError
        makes = made_of(SETS["10–46 nickel-plated steel"], notes_of(TUNINGS["standard"]))
        strings = StandInStrings(makes, 648, args.frets, name=args.neck)
        args.wav.write_bytes(wav_of(a_pass(strings, at_frets, args.wrong), ROOM_RATE))
    except ValueError:
        print(f"--at-frets: give numbers from 1 to {args.frets} with commas between", file=sys.stderr)
        return 1
    except OSError as error:
        print(f"It cannot be written: {error.strerror or error}.", file=sys.stderr)
        return 1
    string, fret = strings.proud
    print(f"{args.wav} holds a pass over {len(makes)} strings; fret {fret} is proud under string {string}.")
    return 0


def _gauge(args: argparse.Namespace) -> "StandIn":
    """A gauge that reads what it is told, or a neck; raises ValueError and OSError."""
    from deft_bench.devices.stand_in import Gauge
    from deft_bench.devices.stand_in_neck import neck_figures

    if args.figures:
        text = Path(args.figures).read_text() if Path(args.figures).is_file() else args.figures
        figures = [float(word) for word in text.replace(",", " ").replace(";", " ").split()]
    else:
        figures = neck_figures(args.neck, args.frets)
    return Gauge(
        figures,
        args.hold,
        resolution_mm=args.resolution,
        noise_mm=args.noise,
        drift_mm_a_minute=args.drift,
        dropouts=args.dropouts,
    )


def _serve(args: argparse.Namespace) -> int:
    from deft_bench.store.database import StoreError
    from deft_bench.web.serving import Address, serve

    host = args.host or ("0.0.0.0" if args.bench else "127.0.0.1")
    try:
        return serve(args.database, Address(host, args.port, tuple(args.name), args.run is _demo), bench=args.bench)
    except (StoreError, OSError) as error:
        return _failed(error)


def _passphrase(args: argparse.Namespace) -> int:
    from contextlib import closing
    from getpass import getpass

    from deft_bench.core.times import stamp
    from deft_bench.store.database import StoreError, open_database
    from deft_bench.web.access.passphrase import set_passphrase

    typed = getpass("Passphrase: ") if sys.stdin.isatty() else sys.stdin.readline().strip()
    if sys.stdin.isatty() and getpass("Once more: ") != typed:
        print("These are two: nothing was set.", file=sys.stderr)
        return 1
    try:
        with closing(open_database(args.database)) as db:
            set_passphrase(db, typed, stamp(datetime.now(UTC)))
    except (StoreError, OSError, ValueError) as error:
        return _failed(error)
    print("It is set: devices that were let in before enter again.")
    return 0


def _demo(args: argparse.Namespace) -> int:
    from contextlib import closing

    from deft_bench.bench.scheduling import plan_first
    from deft_bench.demo import make_demo
    from deft_bench.store import shop
    from deft_bench.store.database import StoreError, open_database

    path: Path = args.database
    try:
        if args.fresh and path.exists():
            print(f"The bench that was there is kept as {_put_demo_aside(path)}")
        if not path.exists():
            print(f"Making the demo bench in {path}")
            path.parent.mkdir(parents=True, exist_ok=True)
            # made in a folder of its own, so that a half-made one is never mistaken for the demo
            with TemporaryDirectory(prefix=".demo-", dir=path.parent) as folder:
                part = Path(folder) / path.name
                make_demo(part, args.day or date.today())
                part.replace(path)
            print("Planning its fortnight")
            with closing(open_database(path)) as db:
                plan_first(db, shop.settings(db), datetime.now(UTC))
    except (StoreError, OSError) as error:
        return _failed(error)
    return 0 if args.only_make else _serve(args)


def _put_demo_aside(path: Path) -> Path:
    """Move a demo bench out of the way; raises StoreError for anything else, which is left as it is."""
    from contextlib import closing

    from deft_bench.store import shop
    from deft_bench.store.database import StoreError, open_database, put_aside, refuse_other_files
    from deft_bench.store.lock import held

    refuse_other_files(path)
    with held(path, alone=True):
        if path.stat().st_size:
            with closing(open_database(path)) as db:
                if not shop.settings(db).demo:
                    raise StoreError(f"{path} is a bench of its own, not a demo. It was left as it is.")
        return put_aside(path)


def _backup(args: argparse.Namespace) -> int:
    from deft_bench.store.database import StoreError, backup, open_to_read, verify

    try:
        with open_to_read(args.database) as db:
            backup(db, args.target)
        counts = verify(args.target)
    except (StoreError, OSError) as error:
        return _failed(error)
    print(f"{args.target}: verified, {', '.join(f'{count} {what}' for what, count in counts.items())}")
    return 0


def _archive(args: argparse.Namespace) -> int:
    from deft_bench.core.times import stamp
    from deft_bench.formats.archive import write_archive
    from deft_bench.store.database import StoreError, open_to_read

    try:
        with open_to_read(args.database) as db:
            counts = write_archive(db, args.target, stamp(datetime.now(UTC)))
    except (StoreError, OSError) as error:
        return _failed(error)
    told = ", ".join(f"{counts[name]} {name}s" for name in ("instrument", "survey", "reading", "photo"))
    print(f"{args.target}: {told}, and all the bench knows beside them")
    return 0


def _restore(args: argparse.Namespace) -> int:
    from deft_bench.store.database import StoreError, refuse_other_files, restore, verify
    from deft_bench.store.lock import held

    try:
        verify(args.source)
        refuse_other_files(args.database)
        args.database.parent.mkdir(parents=True, exist_ok=True)
        with held(args.database, alone=True):
            counts, kept = restore(args.source, args.database)
    except (StoreError, OSError) as error:
        return _failed(error)
    print(f"{args.database}: restored, {', '.join(f'{count} {what}' for what, count in counts.items())}")
    if kept:
        print(f"The one that was there is kept as {kept}")
    return 0


def _export(args: argparse.Namespace) -> int:
    from deft_bench.store import instruments
    from deft_bench.store.database import StoreError, open_to_read

    try:
        with open_to_read(args.database) as db:
            ids = instruments.named(db, args.name)
            if len(ids) != 1:
                raise StoreError(f"{len(ids) or 'No'} instruments are named {args.name!r}.")
            if args.kind == "record":
                return _put(_record(db, ids[0]), args.out)
            return _export_board(db, ids[0], args.kind, args.out)
    except (StoreError, OSError) as error:
        return _failed(error)


def _record(db: "Connection", instrument_id: int) -> bytes:
    import json

    from deft_bench.formats.record import export_record

    return (json.dumps(export_record(db, instrument_id), ensure_ascii=False, indent=1) + "\n").encode()


def _export_board(db: "Connection", instrument_id: int, kind: str, out: Path | None) -> int:
    from deft_bench.core.board.slotting import MachineError
    from deft_bench.formats.board import EXPORTS, exports_of, file_name, sheet_of, write_board
    from deft_bench.store import boards, instruments, shop

    if kind not in EXPORTS and kind != "all":
        _refuse([f"as: unknown file {kind!r}; accepted: record, all, {', '.join(EXPORTS)}"])
    if kind == "all" and (out is None or not out.is_dir()):
        _refuse(["out: --as all needs --out with a folder that is there"])
    instrument = instruments.get(db, instrument_id)
    plan = boards.plan_of(db, instrument_id, instrument.spec)
    settings = shop.settings(db)
    try:
        rule = plan.rule(settings.rule)
        sheet = sheet_of(instrument.spec, plan, date.today().isoformat(), rule, settings.display)
        if kind != "all":
            return _put(write_board(kind, sheet), out)
        assert out is not None
        for each in exports_of(sheet.spec, sheet.plan, sheet.view):
            _put(write_board(each, sheet), out / file_name(each, sheet))
    except MachineError as error:
        _refuse([f"{field}: {why}" for field, why in error.problems.items()])
    except ValueError as error:
        _refuse([f"board: {error}"])
    return 0


def _put(made: bytes, out: Path | None) -> int:
    if out is None:
        sys.stdout.buffer.write(made)
    else:
        out.write_bytes(made)
    return 0


def _import(args: argparse.Namespace) -> int:
    from contextlib import closing
    from zipfile import is_zipfile

    from deft_bench.formats.archive import ArchiveError, AskError
    from deft_bench.formats.record import AlreadyHereError, import_record
    from deft_bench.formats.strict_json import RequestError
    from deft_bench.store.database import StoreError, open_database

    try:
        with closing(open_database(args.database)) as db:
            if is_zipfile(args.source):
                return _import_archive(db, args.source, "copy" if args.as_copy else args.here_already)
            import_record(db, args.source.read_bytes(), as_copy=args.as_copy)
    except RequestError as error:
        _refuse(error.lines)
    except AskError as error:
        return _failed(ValueError(f"{error} Say which: --here-already keep, or --here-already copy."))
    except (AlreadyHereError, ArchiveError, StoreError, OSError) as error:
        return _failed(error)
    print("The record is imported whole.")
    return 0


def _import_archive(db: "Connection", source: Path, here_already: "HereAlready | None") -> int:
    from deft_bench.formats.archive import AskError, bring_in

    def tell(words: str, in_hundred: int) -> None:
        if sys.stderr.isatty() and in_hundred % 10 == 0:
            print(f"{words}: {in_hundred} %", file=sys.stderr, flush=True)

    try:
        brought = bring_in(db, source, here_already, tell)
    except AskError as asked:
        if not sys.stdin.isatty():
            raise
        print(f"Here already, and other than in the archive: {', '.join(asked.names)}.")
        answer = input("Keep what is here (k), bring the archive's in beside it as copies (c), or leave it (Enter)? ")
        chosen: dict[str, HereAlready] = {"k": "keep", "c": "copy"}
        if answer.strip().lower() not in chosen:
            print("Nothing was brought in.")
            return 1
        brought = bring_in(db, source, chosen[answer.strip().lower()], tell)
    print("\n".join(brought.lines()))
    return 0


def _failed(error: Exception) -> int:
    if isinstance(error, OSError) and error.strerror:
        name = str(error.filename or "")
        named = f"{name if len(name) <= 120 else name[:119] + '…'}: " if name else ""
        print(f"deft-bench: {named}{error.strerror}", file=sys.stderr)
        return 1
    print(f"deft-bench: {error}", file=sys.stderr)
    return 1


def _refuse(lines: Sequence[str]) -> NoReturn:
    for line in lines:
        print(line, file=sys.stderr)
    raise SystemExit(2)


if __name__ == "__main__":
    sys.exit(main())
