"""The command line: thin commands over the same functions as the app and Python."""

from __future__ import annotations

import dataclasses
import json
import os
import socket
import sys
import time
import warnings
from pathlib import Path
from typing import Annotated, Any

import typer

from underkettle.case.faults import CaseError, fault
from underkettle.store.database import StoreFault

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    rich_markup_mode=None,
    help="Under Kettle: predict what happens inside a vessel.",
    pretty_exceptions_enable=False,
)

FINISHED, REFUSED, BAD_INPUT, FAILED = 0, 1, 2, 3
CaseFile = Annotated[Path, typer.Argument(help="Case file (JSON).")]
AsJson = Annotated[bool, typer.Option("--json", help="Answer as JSON.")]
Home = Annotated[Path, typer.Option("--home", help="Folder of the library.")]
DEFAULT_HOME = Path(os.environ.get("UNDERKETTLE_HOME", str(Path.home() / ".underkettle")))


def main() -> None:
    """Entry point; turns errors in the input, and what cannot be kept, into one clear message."""
    warnings.simplefilter("ignore")  # what is wrong is said in sentences
    twice = [
        word
        for word in ("--variant", "--grid", "--until", "--out")
        if sum(a == word or a.startswith(f"{word}=") for a in sys.argv) > 1
    ]
    try:
        if twice:
            raise fault(twice[0], "this is given twice", "Give it once.")
        app()
    except CaseError as error:
        _refuse(error, BAD_INPUT)
    except StoreFault as error:
        _refuse(
            fault("the home" if "--home" in sys.argv else "what is kept", str(error).rstrip(".")),
            FAILED,
        )


def _refuse(error: CaseError, code: int) -> None:
    if "--json" in sys.argv:
        print(
            json.dumps(
                {
                    "status": "refused" if code == REFUSED else "bad input",
                    "faults": [f.as_dict() for f in error.faults],
                }
            )
        )
    for found in error.faults:
        print(_printable(str(found)), file=sys.stderr)
    raise SystemExit(code)


def _printable(text: str) -> str:
    """Without what would steer a terminal."""
    return "".join(c if c.isprintable() or c == "\n" else "?" for c in text)


def _warm_up() -> None:
    from underkettle.engine.compiled import is_warm

    if not is_warm():
        from underkettle.runs.warming import warm_up

        print(
            "Compiling the kernels; this happens once and takes about a minute.",
            file=sys.stderr,
            flush=True,
        )
        warm_up()


@app.command()
def check(
    case: CaseFile,
    json_: AsJson = False,
    set_: Annotated[list[str] | None, typer.Option("--set", help="NAME=VALUE")] = None,
    variant: Annotated[str | None, typer.Option()] = None,
    grid: Annotated[float, typer.Option(help="Times finer per direction.")] = 1.0,
) -> None:
    """Audit, paper check and cost, without running."""
    from underkettle.api import load
    from underkettle.case.audit import audit, can_run
    from underkettle.case.case import Case
    from underkettle.case.cost import estimate
    from underkettle.case.paper import paper_check
    from underkettle.quantities import from_si

    built = Case(load(case), _settings(set_), variant, grid)
    findings, paper = audit(built), paper_check(built)
    cost = estimate(built) if can_run(findings) else None
    if json_:
        print(
            json.dumps(
                {
                    "runs": can_run(findings),
                    "audit": [dataclasses.asdict(f) for f in findings],
                    "paper": dataclasses.asdict(paper),
                    "cost": dataclasses.asdict(cost) if cost else None,
                }
            )
        )
    else:
        print(built.model.name)
        for f in findings:
            grade = "settled" if f.settled else f.grade
            print(_printable(f"  {grade:14} {f.sentence} {f.settled or f.reason}"))
        if not findings:
            print("  audit          nothing to settle")
        for line in (one for p in built.phenomena.values() for one in p.review(built.facts)):
            print(_printable(f"  look over      {line}"))
        for regime in paper.regimes:
            print(f"  {regime.symbol:14} {regime.value:.4g} {regime.unit} {regime.verdict}")
        for row in (*paper.rows, *paper.added):
            value = "-" if row.value is None else f"{from_si(row.value, row.unit):.4g} {row.unit}"
            print(f"  {row.label:32} {value:22} {row.by}")
        if cost:
            print(
                f"  cost           {cost.cells} cells, about {cost.steps} steps, "
                f"{cost.low:.0f} to {cost.high:.0f} s, {cost.memory / 1e6:.0f} MB memory, "
                f"{cost.disk / 1e6:.1f} MB disk"
            )
    raise SystemExit(FINISHED if can_run(findings) else REFUSED)


@app.command()
def run(
    case: CaseFile,
    json_: AsJson = False,
    set_: Annotated[list[str] | None, typer.Option("--set", help="NAME=VALUE")] = None,
    variant: Annotated[str | None, typer.Option()] = None,
    grid: Annotated[float, typer.Option(help="Times finer per direction.")] = 1.0,
    until: Annotated[str | None, typer.Option(help="End of the last transient stage.")] = None,
    out: Annotated[Path | None, typer.Option(help="Run file to keep.")] = None,
    threads: Annotated[int, typer.Option(min=1, max=2, help="2 if the machine is idle.")] = 1,
    margin: Annotated[bool, typer.Option("--margin", help="Two coarser grids too.")] = False,
    start: Annotated[
        Path | None, typer.Option(help="Run file of a like case: steady stages begin from it.")
    ] = None,
    further: Annotated[
        bool, typer.Option("--further", help="Once more with what is open 1.5 times as far off.")
    ] = False,
) -> None:
    """Solve a case and print its readouts."""
    from underkettle import api
    from underkettle.engine.threads import ASKED

    os.environ.setdefault(ASKED, str(threads))
    _warm_up()
    bar = _Bar() if sys.stderr.isatty() and not json_ else None
    try:
        done = api.run(
            case,
            _settings(set_),
            variant,
            grid,
            until,
            out,
            [bar] if bar else [],
            margin,
            start,
            further,
        )
    except api.Refused as error:
        _refuse(error, REFUSED)
        return
    finally:
        if bar:
            bar.close()
    if json_:
        print(json.dumps(done.result))
    else:
        for name, number in done.result["readouts"].items():
            sure = f" +/- {number['margin']:.2g}" if "margin" in number else ""
            value = (
                "-" if number["value"] is None else f"{number['value']:.6g}{sure} {number['unit']}"
            )
            paper = f"  paper {number['paper']:.4g}" if "paper" in number else ""
            if number.get("further") is not None:
                paper += f"  further off {number['further']:.6g}"
            swings = number.get("sampled")
            print(
                f"{name:28} {value}{paper}"
                + (
                    f"  at the end; it swings about {swings['mean']:.6g} +/- {swings['margin']:.2g}"
                    if swings
                    else ""
                )
            )
        for name, b in done.balance.items():
            given = "".join(f"given by {g} {v:.6g}, " for g, v in b["given"].items())
            print(
                f"balance of {name:17} in {b['in']:.6g}, out {b['out']:.6g}, made "
                f"{b['made']:.6g}, {given}stored {b['stored']:.6g} {b['unit']}, "
                f"gap {b['relative']:.1e}"
            )
        for doubt in done.result["warnings"]:
            print(f"doubt          {_printable(doubt)}")
        print(
            f"{done.status}: {done.result['steps']} steps on {done.result['cells']} cells in "
            f"{done.result['wall_s']} s"
        )
        if "message" in done.result:
            print(done.result["message"], file=sys.stderr)
    raise SystemExit(FINISHED if done.status in ("finished", "stopped") else FAILED)


def _settings(pairs: list[str] | None) -> dict[str, str]:
    result = {}
    for pair in pairs or []:
        name, equals, value = pair.partition("=")
        if not equals:
            raise fault("--set", "a setting is written NAME=VALUE", "", pair)
        result[name.strip()] = value.strip()
    return result


class _Bar:
    """Progress on a terminal."""

    def __init__(self) -> None:
        from rich.console import Console
        from rich.progress import BarColumn, Progress, TextColumn, TimeRemainingColumn

        self.progress = Progress(
            TextColumn("{task.description}"),
            BarColumn(),
            TextColumn("{task.percentage:>3.0f} %"),
            TimeRemainingColumn(),
            console=Console(stderr=True),
        )
        self.progress.start()
        self.task = self.progress.add_task("starting", total=1.0)
        self.stage = ""

    def step(self, report: Any) -> None:
        if report.stage.name != self.stage:
            self.stage = report.stage.name
            self.progress.reset(self.task, description=self.stage, total=1.0)
        self.progress.update(self.task, completed=report.done)

    def frame(self, stage: Any, state: Any, axis: str, value: float) -> None:
        """Frames do not show on a bar."""

    def log(self, text: str, kind: str, state: Any) -> None:
        if kind in ("back", "failed", "doubt"):
            self.progress.console.print(text)

    def safe_point(self, state: Any) -> None:
        """Nothing to keep."""

    def close(self) -> None:
        self.progress.stop()


@app.command()
def export(
    run: Annotated[str, typer.Argument(help="A run file, or the id of a run at home.")],
    to: Annotated[
        str,
        typer.Option(help="vtk, hdf, zarr, csv (readouts), histories, listings, png, mp4 or gif"),
    ] = "vtk",
    out: Annotated[Path | None, typer.Option(help="File to write.")] = None,
    field: Annotated[str, typer.Option(help="Shown by png, mp4 and gif.")] = "",
    per_second: Annotated[float, typer.Option(help="Frames of a film.")] = 10.0,
    home: Home = DEFAULT_HOME,
) -> None:
    """Write a run's frames (vtk, hdf, zarr), readouts (csv), their histories, what is followed one
    by one (listings), last picture (png) or film (mp4, gif).
    """
    from underkettle import exporting

    path = Path(run) if Path(run).exists() else home / "runs" / f"{run}.sqlite"
    if to not in exporting.ENDINGS:
        print(f"--to / {to}: choose from {', '.join(exporting.ENDINGS)}.", file=sys.stderr)
        raise SystemExit(BAD_INPUT)
    target = out or Path(f"{path.stem}.{exporting.ENDINGS[to]}")
    try:
        target.write_bytes(exporting.exported(path, to, field, per_second))
    except CaseError as error:
        _refuse(error, BAD_INPUT)
    print(target)


@app.command()
def prove(
    names: Annotated[list[str] | None, typer.Argument()] = None,
    list_: Annotated[bool, typer.Option("--list")] = False,
    quick: Annotated[bool, typer.Option("--quick", help="Only the quick ones.")] = False,
    at_once: Annotated[
        int, typer.Option("--at-once", min=0, help="How many at once; 0: one per core.")
    ] = 0,
    json_: AsJson = False,
) -> None:
    """Solve published cases and lay them beside the published numbers."""
    from underkettle.proving import check_names, proofs, prove_all

    if list_:
        print("\n".join(proofs(quick)))
        return
    wanted = names or proofs(quick)
    check_names(wanted)
    _warm_up()
    began = time.perf_counter()
    results = []
    for result in prove_all(wanted, at_once):
        results.append(result)
        if json_:
            print(json.dumps(result), flush=True)
            continue
        print(
            f"{'holds ' if result['passed'] else 'MISSES'} {result['title']} "
            f"({result['wall_s']:.0f} s)"
        )
        for c in result["checks"]:
            print(
                f"   {'ok  ' if c['passed'] else 'MISS'} {c['what']}: {c['ours']:.5g}, published "
                f"{c['published']:.5g} {c['unit']}, error {c['error']:.2g} of {c['tolerance']:g}",
                flush=True,
            )
        if result["broke"]:
            print(f"   broke: {result['broke']}", flush=True)
    if not json_ and len(results) > 1:
        held = sum(r["passed"] for r in results)
        minutes = (time.perf_counter() - began) / 60
        print(f"{held} of {len(results)} hold, in {minutes:.1f} min")
    raise SystemExit(0 if all(r["passed"] for r in results) else 1)


@app.command()
def bench(
    json_: AsJson = False,
    scaling: Annotated[bool, typer.Option("--scaling", help="Against size instead.")] = False,
    steady: Annotated[bool, typer.Option("--steady", help="Streams that come to rest.")] = False,
) -> None:
    """Measure the engine as ratios in one run."""
    from underkettle import benching, benching_steady

    _warm_up()
    rows = benching_steady.rows() if steady else benching.scaling() if scaling else benching.bench()
    if json_:
        print(json.dumps(rows))
        return
    for row, measures in rows.items():
        print(f"{row:24} " + "  ".join(f"{k} {v:.4g}" for k, v in measures.items()))


@app.command()
def known(
    phenomenon: Annotated[str, typer.Argument(help="One that knows sets of members.")],
    name: Annotated[str, typer.Argument(help="A set: shown as a case file takes it.")] = "",
    json_: AsJson = False,
) -> None:
    """What a case may take that is known from a source, such as reactions of a paper."""
    from underkettle.case.ready import known_sets

    sets = {s.name: s for s in known_sets(phenomenon)}
    if name and name not in sets:
        raise fault("set", f"there is no '{name}'", f"Known: {', '.join(sets)}.", name)
    if name:
        print(json.dumps({"members": sets[name].members, **sets[name].settings}, indent=1))
    elif json_:
        print(json.dumps([dataclasses.asdict(s) for s in sets.values()]))
    else:
        for s in sets.values():
            print(f"  {s.name:24} {s.label} ({len(s.members)}). {s.source}")


Host = Annotated[
    str,
    typer.Option(
        help="Address to serve on; another than this machine's own "
        "wants a token, which is shown once."
    ),
]


@app.command()
def serve(port: int = 4173, home: Home = DEFAULT_HOME, host: Host = "127.0.0.1") -> None:
    """Start the app."""
    _serve(port, home, host, demo=False)


@app.command()
def demo(
    port: int = 4173,
    home: Home = DEFAULT_HOME,
    host: Host = "127.0.0.1",
    ahead: Annotated[
        bool, typer.Option(help="Run the demo cases and load what loads slowly, in the background.")
    ] = True,
) -> None:
    """Put the demo cases on the shelf, run those that never were, and start the app."""
    _serve(port, home, host, demo=True, ahead=ahead)


@app.command()
def token(home: Home = DEFAULT_HOME) -> None:
    """Make a new token for a server on a shared machine; the one before holds no longer."""
    from underkettle.server.access import make_token

    print(make_token(home))


@app.command()
def restore(
    home: Home = DEFAULT_HOME,
    generation: Annotated[
        int, typer.Option(min=1, max=2, help="1 for the newest copy, 2 for the one before.")
    ] = 1,
) -> None:
    """Put the backup copy of the library in its place. What stood there is kept beside it."""
    from underkettle.store.home import bring_back

    copy = bring_back(home, generation)
    made = time.strftime("%Y-%m-%d %H:%M", time.localtime(copy.made))
    print(f"The library is as it was on {made}; runs are where they were.")


def _serve(port: int, home: Path, host: str, demo: bool, ahead: bool = True) -> None:
    import uvicorn

    from underkettle.server.access import Access, make_token
    from underkettle.server.app import build_app
    from underkettle.server.demo import fill
    from underkettle.server.door import LOOPBACK
    from underkettle.store.home import Hold

    shared = host not in LOOPBACK
    listening = _listening(host, port)
    hold = Hold(home, f"at {host}:{port}")
    if shared and not (home / "token").exists():
        print(f"Token, shown this once: {make_token(home)}", flush=True)
    if demo:
        fill(home, ahead)
    built = build_app(
        home,
        ahead,
        (host, socket.gethostname()) if shared else (),
        Access(home) if shared else None,
    )
    shown = f"[{host}]" if ":" in host else host
    print(f"Under Kettle: http://{shown}:{port}", flush=True)
    began = time.time()
    server = uvicorn.Server(uvicorn.Config(built, log_level="warning", timeout_graceful_shutdown=2))
    server.run(sockets=[listening])
    hold.release()
    print(f"Stopped after {time.time() - began:.0f} s; runs go on by themselves.")


def _listening(host: str, port: int) -> socket.socket:
    """The port, taken. Raises Busy where another program has it."""
    from underkettle.store.database import Busy

    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    found = socket.socket(family, socket.SOCK_STREAM)
    found.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        found.bind((host, port))
    except OSError as error:
        found.close()
        raise Busy(
            f"Port {port} of {host} cannot be served on ({error.strerror}): stop what is "
            "there, or name another with --port."
        ) from error
    return found


if __name__ == "__main__":
    main()
