"""Reading a drawing in a process of its own, bounded in time and memory: whatever a broken or
malicious file makes of its reader, the program goes on and says so in one sentence.

The process is `python -m underkettle.formats.apart NAME UNIT`, the file on its standard input.
"""

from __future__ import annotations

import json
import resource
import subprocess
import sys
import threading
from pathlib import Path, PurePath
from typing import Any

from underkettle.case.faults import CaseError, Fault, fault

SECONDS = 10.0
MEMORY = 1_500_000_000  # bytes of address space beyond what the libraries take
AT_ONCE = threading.BoundedSemaphore(2)


def read_apart(data: bytes, name: str, unit: str) -> dict[str, Any]:
    """What a drawing holds: metres_per_unit, outlines (how many), size in its own unit, units, and
    parts, None until a unit is known. Raises CaseError.
    """
    name = PurePath(name.replace("\\", "/")).name[:120] or "the drawing"
    with AT_ONCE:
        try:
            done = subprocess.run(
                [sys.executable, "-m", "underkettle.formats.apart", name, unit],
                input=data,
                capture_output=True,
                timeout=SECONDS,
                check=False,
            )
        except subprocess.TimeoutExpired as error:
            raise fault(
                name,
                f"it was not read within {SECONDS:.0f} s",
                "Leave out what is not needed of it, or write it in another format.",
            ) from error
    try:
        told = json.loads(done.stdout)
    except ValueError as error:
        raise fault(
            name,
            "the file broke its reader"
            if done.returncode < 0
            else "the file needs more memory or time than it may take",
            "Write it again from where it was drawn, or in another format.",
        ) from error
    if "faults" in told:
        raise CaseError(Fault(**f) for f in told["faults"])
    return dict(told["found"])


def _read(data: bytes, name: str, unit: str) -> dict[str, Any]:
    import numpy as np

    from underkettle.formats.outlines import UNITS, parts_of, read_drawing

    drawing = read_drawing(data, name)
    points = np.concatenate([d.points for d in drawing.outlines])
    known = drawing.unit is not None or bool(unit)
    return {
        "metres_per_unit": drawing.unit,
        "outlines": len(drawing.outlines),
        "size": np.ptp(points, axis=0).tolist(),
        "units": UNITS,
        "parts": parts_of(drawing, unit) if known else None,
    }


def main() -> None:
    import ezdxf.path
    import meshio
    import svgelements  # what readers load is loaded before memory is bounded

    del ezdxf, meshio, svgelements
    pages = int(Path("/proc/self/statm").read_text().split()[0])
    most = MEMORY + pages * resource.getpagesize()
    resource.setrlimit(resource.RLIMIT_AS, (most, most))
    resource.setrlimit(resource.RLIMIT_CPU, (int(SECONDS) + 1, int(SECONDS) + 1))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    try:
        told: dict[str, Any] = {"found": _read(sys.stdin.buffer.read(), *sys.argv[1:3])}
    except CaseError as error:
        told = {
            "faults": [
                {"where": f.where, "says": f.says, "cure": f.cure, "value": f.value}
                for f in error.faults
            ]
        }
    print(json.dumps(told))


if __name__ == "__main__":
    main()
