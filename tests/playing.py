"""Measures how Read plays: python -m tests.playing [--minutes 10] [--frames 2000] [--cells 512].

Makes a run file with that many frames of a square of cells, serves it, and drives the real
interface: seconds to open it, frames a second while playing and while stepping, and the memory of
the page at the start and at the end of playing.
"""

import argparse
import json
import tempfile
import time
from pathlib import Path

import numpy as np
from playwright.sync_api import sync_playwright

from tests.browser.app import CHROMIUM, FLAGS
from tests.soak import Server
from underkettle.case.case import Case
from underkettle.runs.execute import prepare
from underkettle.store.library import Library
from underkettle.store.runfile import RunFile

SQUARE = {
    "format": "under-kettle case 1",
    "name": "Stirred square",
    "vessel": {
        "parts": {
            "box": {"shape": "rectangle", "x": "0 m", "y": "0 m", "width": "1 m", "height": "1 m"}
        }
    },
    "phenomena": {"species": {"members": {"dye": {"diffusivity": "1e-6 m2/s"}}}},
    "stages": {"stir": {"solve": ["species"], "mode": "transient", "until": "100 s"}},
    "readouts": {"held": {"kind": "total", "field": "dye", "place": "space"}},
}
# frames that the picture showed since it was asked to count, told by what is painted
COUNT = """() => { window.ticks = [];
  const watch = () => { const at = document.querySelector('[role=slider]').ariaValueNow;
    if (window.last !== at) { window.last = at; window.ticks.push(performance.now()); }
    requestAnimationFrame(watch); }; requestAnimationFrame(watch); }"""


def filled(home: Path, frames: int, cells: int) -> tuple[str, str]:
    """A library with one finished run; ids of its case and run."""
    data = {**SQUARE, "grid": {"size": f"1 m/{cells}"}}
    case, library = Case(data), Library(home)
    shelf = library.add_case(data)
    run, _, path = library.add_run(shelf)
    file = RunFile(path, new=True)
    prepare(file, data)
    x, y = np.meshgrid(*(0.5 * (n[1:] + n[:-1]) for n in (case.grid.x, case.grid.y)))
    for k in range(frames):
        turn = 2 * np.pi * k / 200
        dye = np.exp(
            -20 * ((x - 0.5 - 0.3 * np.cos(turn)) ** 2 + (y - 0.5 - 0.3 * np.sin(turn)) ** 2)
        ).astype(np.float32)
        with file.whole():
            file.add_frame(
                "stir",
                "time",
                0.05 * k,
                k,
                {"dye": dye},
                {"held": float(dye.mean())},
                case.grid.x,
                case.grid.y,
            )
    file.set(
        status="finished",
        queued=time.time(),
        wall=1.0,
        cells=cells * cells,
        result={
            "status": "finished",
            "readouts": {},
            "balance": {},
            "steps": frames,
            "cells": cells * cells,
            "wall_s": 1.0,
            "warnings": [],
        },
    )
    file.close()
    library.close()
    return shelf, run


def rate(page, seconds: float) -> float:
    """Frames a second over the newest `seconds`."""
    page.evaluate("() => { window.ticks = []; }")
    page.wait_for_timeout(1000 * seconds)
    return len(page.evaluate("() => window.ticks")) / seconds


def heap(cdp) -> float:
    """MB of the page's own memory after collecting what is not used."""
    cdp.send("HeapProfiler.collectGarbage")
    told = {m["name"]: m["value"] for m in cdp.send("Performance.getMetrics")["metrics"]}
    return told["JSHeapUsedSize"] / 1e6


def renderers() -> float:
    """MB that the pages of all browsers here hold in memory, arrays included."""
    total = 0
    for status in Path("/proc").glob("[0-9]*/status"):
        try:
            if b"--type=renderer" in (status.parent / "cmdline").read_bytes():
                rows = dict(r.split(":", 1) for r in status.read_text().splitlines() if ":" in r)
                total += int(rows.get("VmRSS", "0 kB").split()[0])
        except OSError:
            continue
    return total / 1e3


def playing(minutes: float, frames: int, cells: int) -> dict:
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        shelf, _ = filled(Path(folder), frames, cells)
        server = Server(Path(folder))
        try:
            with sync_playwright() as play:
                browser = play.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
                page = browser.new_page(viewport={"width": 1280, "height": 800})
                page.goto(server.base)
                page.get_by_role("article").get_by_role("button").first.wait_for()
                page.goto(f"{server.base}/set/{shelf}")
                page.get_by_test_id("title-block").wait_for()
                began = time.monotonic()
                page.keyboard.press("4")
                page.get_by_role("img", name="Dye").first.wait_for()
                page.wait_for_function("() => document.querySelector('[data-picture] canvas')")
                found = {"frames": frames, "cells": cells, "opens_s": time.monotonic() - began}
                cdp = page.context.new_cdp_session(page)
                cdp.send("Performance.enable")
                page.evaluate(COUNT)
                page.get_by_label("Frames a second").select_option("60")
                page.keyboard.press("Home")
                page.keyboard.press(" ")
                page.wait_for_timeout(3000)
                found["plays_per_s"] = rate(page, 10)
                # once the frames that are kept fill their room, nothing may grow any more
                page.wait_for_timeout(20_000)
                heaps, held = [heap(cdp)], [renderers()]
                end = time.monotonic() + 60 * minutes
                while time.monotonic() < end:
                    page.wait_for_timeout(15_000)
                    heaps.append(heap(cdp))
                    held.append(renderers())
                found["heap_mb"] = [round(h, 1) for h in (heaps[0], heaps[-1], max(heaps))]
                found["memory_mb"] = [round(h) for h in (held[0], held[-1], max(held))]
                found["played_min"] = minutes
                page.keyboard.press(" ")
                browser.close()
        finally:
            server.kill()
    return found


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__.splitlines()[0])
    asked.add_argument("--minutes", type=float, default=10)
    asked.add_argument("--frames", type=int, default=2000)
    asked.add_argument("--cells", type=int, default=512)
    given = asked.parse_args()
    print(json.dumps(playing(given.minutes, given.frames, given.cells)))


if __name__ == "__main__":
    main()
