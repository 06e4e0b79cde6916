"""The command line: serve, demo, and the whole core without a server."""

import argparse
import atexit
import gc
import json
import os
import socket
import sys
from pathlib import Path
from typing import Any


def default_folder() -> Path:
    """Where studies are kept unless said otherwise."""
    from platformdirs import user_data_dir

    return Path(user_data_dir("yavik", appauthor=False))


def main(argv: list[str] | None = None) -> int:
    """The command line; its exit code."""
    # Skinny products are quicker on one BLAS thread with the rows on threads of our own; numpy reads this when it
    # loads.
    os.environ.setdefault("OMP_NUM_THREADS", "1")
    parser = argparse.ArgumentParser(
        prog="yavik", description="Prepare study data, ask it questions, draw the figures and print the report."
    )
    commands = parser.add_subparsers(dest="command", required=True)
    for name, words in (
        ("serve", "serve the interface"),
        ("demo", "serve it with the demo study, made when missing"),
    ):
        sub = commands.add_parser(name, help=words)
        sub.add_argument(
            "--data-dir",
            type=Path,
            default=None,
            help="folder that holds everything (default: the user's data directory)",
        )
        sub.add_argument("--port", type=int, default=8737)
        sub.add_argument("--reload", action="store_true", help="start anew when the source changes (for developers)")
    for name, words in (
        ("tidy", "throw away what no study, no history and no page needs"),
        ("backup", "copy everything into one file, also while Yavik runs"),
        ("restore", "put a backup in the place of what is there (which is kept beside it)"),
    ):
        sub = commands.add_parser(name, help=words)
        sub.add_argument("--data-dir", type=Path, default=None, help="folder that holds everything")
        if name != "tidy":
            sub.add_argument(
                "file", type=Path, nargs="?" if name == "restore" else None, help="the backup's file (.sqlite)"
            )
    commands.add_parser("methods", help="list the methods")
    ask = commands.add_parser("answer", help="answer a question from files, as JSON, without a server")
    ask.add_argument("method")
    ask.add_argument("--data", type=Path, required=True, help="a file in any of the open formats")
    ask.add_argument("--spec", required=True, help="JSON file, or - for standard input")
    ask.add_argument(
        "--dictionary", type=Path, help="JSON list of {name, kind?, label?, unit?, levels?, empty_codes?}"
    )
    ask.add_argument("--columns", type=Path, help="write the answer's new columns to this CSV file, by row")
    again = commands.add_parser("rerun", help="compute a packed study anew and say whether every number is the same")
    again.add_argument("study", type=Path, help="a packed study (zip)")
    args = parser.parse_args(argv)
    if args.command in ("serve", "demo"):
        return serve(args.data_dir or default_folder(), args.port, demo=args.command == "demo", reload=args.reload)
    if args.command in ("tidy", "backup", "restore"):
        return keep(args.command, args.data_dir or default_folder(), getattr(args, "file", None))
    if args.command == "rerun":
        return rerun(args.study)
    return list_methods() if args.command == "methods" else answer(args)


def serve(folder: Path, port: int, *, demo: bool, reload: bool = False) -> int:
    """Serves the studies of a folder."""
    from yavik.server.key import address, key_of_folder
    from yavik.store.folder import held, prepare
    from yavik.store.troubles import FolderTrouble

    os.umask(0o077)  # whatever is written here is for this account alone
    try:
        prepare(folder)
        key = key_of_folder(folder)
        with held(folder, address(port, key)):
            if taken(port):
                print(f"Port {port} is in use. Choose another with --port.", file=sys.stderr)
                return 1
            return _serve(folder, port, key, demo=demo, reload=reload)
    except FolderTrouble as trouble:
        print(trouble, file=sys.stderr)
        return 1


def _serve(folder: Path, port: int, key: str, *, demo: bool, reload: bool) -> int:
    import uvicorn

    from yavik.server.app import FOLDER, create_app
    from yavik.server.key import address
    from yavik.server.limits import CONNECTIONS, TimedHeads
    from yavik.store import Store

    store = Store(folder)
    settled()
    if demo and not any(s.demo for s in store.items.studies()):
        from yavik.demo.study import make_demo

        print("Making the demo study …", flush=True)
        make_demo(store)
    store.close()
    print(f"Yavik is at {address(port, key)}  (data in {folder}; Ctrl+C stops it)", flush=True)
    settings: dict[str, Any] = {
        "host": "127.0.0.1",
        "port": port,
        "log_level": "warning",
        "timeout_graceful_shutdown": 3,
        "http": TimedHeads,
        "limit_concurrency": CONNECTIONS,
    }
    if reload:
        os.environ[FOLDER] = str(folder)
        source = str(Path(__file__).parent)
        uvicorn.run("yavik.server.app:from_environment", factory=True, reload=True, reload_dirs=[source], **settings)
    else:
        uvicorn.run(create_app(folder, more_archives=stand_in() if demo else [], key=key), **settings)
    return 0


def keep(command: str, folder: Path, file: Path | None) -> int:
    """Tidies, backs up or restores a data folder."""
    from yavik.keeping import run_backup, run_restore, run_tidy

    settled()
    if command == "tidy":
        return run_tidy(folder)
    return run_backup(folder, file or Path()) if command == "backup" else run_restore(folder, file)


def stand_in() -> list[Any]:
    """The demo's own archive, started beside the server."""
    from yavik.demo import archive
    from yavik.server.archives import Archive

    return [Archive(name=archive.NAME, address=archive.start(), words=archive.WORDS)]


def taken(port: int) -> bool:
    """Whether something listens at a port."""
    with socket.socket() as s:
        s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            s.bind(("127.0.0.1", port))
        except OSError:
            return True
    return False


def list_methods() -> int:
    """Prints every method with its aim."""
    from yavik.core.methods import AIMS, methods

    for m in methods().values():
        print(f"{m.id:20} {AIMS[m.aim]:24} {m.layouts[0].sentence}")
    return 0


def answer(args: argparse.Namespace) -> int:
    """Prints the Answer as JSON, with what was noticed while the file was read; a problem as JSON on standard error
    with exit code 2."""
    from yavik.core.apart.forking import over_processes
    from yavik.core.methods import answer as compute
    from yavik.core.methods.registry import get
    from yavik.core.stats.in_parts import spreading
    from yavik.core.table import DataProblem

    try:
        get(args.method)
        settled()
        spec = json.loads(sys.stdin.read() if args.spec == "-" else Path(args.spec).read_text(encoding="utf-8"))
        table, notices = read_table(
            args.data, json.loads(args.dictionary.read_text(encoding="utf-8")) if args.dictionary else []
        )
        with spreading(over_processes(os.cpu_count() or 1)):
            found = compute(args.method, table, spec).model_dump(mode="json")
        if args.columns:
            write_columns(args.columns, table, args.method, spec)
        print(json.dumps({**found, "notices": [n.text for n in notices]}, ensure_ascii=False))
        return 0
    except DataProblem as problem:
        return refuse(problem.message, column=problem.column, rows=problem.rows)
    except json.JSONDecodeError as trouble:
        return refuse(f"The JSON cannot be read: {trouble}.")
    except OSError as trouble:
        return refuse(f"{trouble.filename}: {trouble.strerror}.")


def rerun(path: Path) -> int:
    """Prints each table, question and figure with 'same' or its differences, and files that were changed. Exit code
    0 when all is the same, 1 when not, 2 for a file
    that is no packed study."""
    from yavik.core.table import DataProblem
    from yavik.engine.rerunning import compare

    settled()
    try:
        path.stat()
        found = compare(path)
    except (DataProblem, OSError) as trouble:
        return refuse(trouble.message if isinstance(trouble, DataProblem) else f"{path}: {trouble.strerror}.")
    for name, differences in found.parts:
        print(f"{name}: {'same' if not differences else f'{len(differences)} differences'}")
        for line in differences[:20]:
            print(f"  {line}")
    for line in [*found.files, *found.notes]:
        print(line)
    changed = sum(bool(d) for _, d in found.parts)
    print(
        f"{len(found.parts)} tables, answers and figures computed anew: "
        f"{'every number is the same' if not changed else f'{changed} differ'}."
        + (f" {len(found.files)} files are not as they were packed." if found.files else "")
    )
    return 1 if changed or found.files else 0


def read_table(path: Path, dictionary: list[dict[str, Any]]) -> tuple[Any, list[Any]]:
    """A file with what a dictionary says of its columns, as steps: the same as in the interface."""
    from yavik.core.files.formats import open_file
    from yavik.core.steps import parse_step
    from yavik.core.table import DataProblem
    from yavik.core.table.texts import keepable

    path.stat()
    table, notices = open_file(path, path.name)
    for entry in keepable(dictionary):
        name = entry.get("name")
        if not name:
            raise DataProblem("Every entry of the dictionary needs the name of a column.")
        steps: list[dict[str, Any]] = []
        if entry.get("empty_codes"):
            steps.append({"step": "empty_codes", "columns": [name], "codes": [str(c) for c in entry["empty_codes"]]})
        if entry.get("kind"):
            steps.append({"step": "kind", "column": name, "kind": entry["kind"]})
        if entry.get("levels"):
            levels = [lv if isinstance(lv, dict) else {"value": str(lv)} for lv in entry["levels"]]
            steps.append(
                {"step": "levels", "column": name, "levels": [{**lv, "value": str(lv["value"])} for lv in levels]}
            )
        if entry.get("label") or entry.get("unit"):
            steps.append(
                {"step": "describe_column", "column": name, "label": entry.get("label"), "unit": entry.get("unit")}
            )
        for step in steps:
            table = parse_step(step).apply(table).table
    return table, notices


def write_columns(path: Path, table: Any, method: str, spec: dict[str, Any]) -> None:
    """The columns that the answer gives back to its table, and the number of each row in the file. Raises
    DataProblem."""
    import pyarrow as pa

    from yavik.core.files.csv_out import write_to
    from yavik.core.methods.registry import new_columns
    from yavik.core.table import Column, DataProblem, Kind, Table

    made = new_columns(table, method, spec)
    if not made:
        raise DataProblem("This answer has no new columns for its table.")
    rows = (Column(name="row", kind=Kind.count), pa.array(table.rows, pa.int64()))
    columns, arrays = zip(rows, *made, strict=True)
    with path.open("wb") as out:
        write_to(Table(tuple(columns), tuple(arrays), table.rows), out, values=True)


def refuse(message: str, **more: Any) -> int:
    """Prints why something cannot be done; exit code 2."""
    print(json.dumps({"message": message, **more}, ensure_ascii=False), file=sys.stderr)
    return 2


def run() -> None:
    """The command ``yavik``: what is loaded on the way stays to the end, and garbage is not looked for in it, neither
    now nor when all of it is taken apart: that would take a quarter of a start."""
    gc.disable()
    atexit.register(gc.freeze)
    sys.exit(main())


def settled() -> None:
    """What is loaded by now stays; from here on there may be garbage, and memory that is freed is taken again."""
    from yavik.core.apart.memory import hold_on

    hold_on()
    if not gc.isenabled():
        gc.freeze()
        gc.enable()


if __name__ == "__main__":
    run()
