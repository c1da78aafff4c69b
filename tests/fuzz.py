"""Generated requests at the API: python -m tests.fuzz [SECONDS].

Each operation gets requests made from its own description, some of them broken on purpose, with ids
of cases and runs that exist. Looked for: server errors, answers that do not fit their description,
statuses that are not described.
"""

import json
import sys
import tempfile
import time
import warnings
from pathlib import Path
from unittest import mock

import schemathesis
from fastapi.testclient import TestClient
from hypothesis import HealthCheck, Phase, given, seed, settings
from hypothesis import strategies as st
from schemathesis.checks import not_a_server_error
from schemathesis.specs.openapi.checks import (
    response_schema_conformance,
    status_code_conformance,
)

import underkettle as uk
from underkettle.runs import control
from underkettle.server.app import build_app
from underkettle.store.library import Library

ROOT = Path(__file__).resolve().parent.parent
HOST = {"host": "127.0.0.1"}
ENDLESS = ("events",)
SLOW = ("taste", "export_frames", "list_templates")  # left out of the short run
CHECKS = [not_a_server_error, response_schema_conformance, status_code_conformance]
QUICK = {"grid": {"size": "4 mm", "refine": None}}


def filled(home: Path) -> dict[str, list[str]]:
    """A home with cases and a finished run; what path parameters may be."""
    from underkettle.case.model import merge_patch

    library = Library(home)
    channel = json.loads((ROOT / "demo" / "templates" / "2-channel.json").read_text())
    ids = [library.add_case(channel) for _ in range(3)]
    run, _ = library.add_run(
        ids[0],
        lambda path: uk.run(merge_patch(channel, QUICK), out=path).file.set(queued=time.time()),
    )
    waiting, _ = library.add_run(ids[1], lambda path: control.enqueue(path, channel))
    library.close()
    return {
        "case": ids,
        "run": [run, run, waiting],
        "frame": ["1"],
        "name": ["speed", "u", "pressure", "burning"],
        "readout": list(channel["readouts"]),
        "column": ["flow"],
        "entry": ["water", "air"],
        "to": ["vtk", "hdf"],
    }


def fuzz(home: Path, examples: int, seconds: float = 0.0) -> list[str]:
    """Problems found, in words. seconds : go round again with other seeds until then."""
    known = filled(home)
    found: dict[str, str] = {}
    with mock.patch.object(control, "launch", lambda path: None):
        app = build_app(home)
        schema = schemathesis.openapi.from_asgi("/api/openapi.json", app, headers=HOST)
        end, turn = time.monotonic() + seconds, 0
        while True:
            for operation in sorted(
                (r.ok() for r in schema.get_all_operations()),
                key=lambda o: o.method.upper() == "DELETE",
            ):
                name = operation.definition.raw.get("operationId", operation.label)
                if name in ENDLESS or (not seconds and name in SLOW):
                    continue
                try:
                    _try(operation, known, examples, turn)
                except BaseExceptionGroup as group:
                    found.setdefault(name, f"{operation.label}: {group.exceptions[0]}")
                except Exception as error:
                    found.setdefault(name, f"{operation.label}: {error!r}")
                if seconds and time.monotonic() > end:
                    return list(found.values())
            for case in known["case"]:
                _put_back(app, case)
            turn += 1
            if time.monotonic() >= end:
                return list(found.values())


def _put_back(app, case):
    TestClient(app, base_url="http://127.0.0.1").post(f"/api/cases/{case}/restore")


def _try(operation, known, examples, turn):
    @seed(turn)
    @settings(
        max_examples=examples,
        deadline=None,
        database=None,
        suppress_health_check=list(HealthCheck),
        phases=[Phase.explicit, Phase.generate],
    )
    @given(case=operation.as_strategy(), data=st.data())
    def act(case, data):
        for name, values in known.items():
            if name in (case.path_parameters or {}) and data.draw(st.integers(0, 7)):
                case.path_parameters[name] = data.draw(st.sampled_from(values))
        for name, values in known.items():
            if name in (case.query or {}) and data.draw(st.booleans()):
                case.query[name] = data.draw(st.sampled_from(values))
        response = case.call(headers=HOST, timeout=90)
        case.validate_response(response, checks=CHECKS, headers=HOST)

    act()


def main() -> int:
    warnings.simplefilter("ignore")
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 600.0
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        found = fuzz(Path(folder), 60, seconds)
    for problem in found:
        print(problem[:1500], "\n")
    print(f"{len(found)} operations with a problem")
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
