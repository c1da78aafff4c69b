"""The process of one run: python -m underkettle.runs.worker RUNFILE."""

from __future__ import annotations

import sys
import traceback

from underkettle.case.faults import CaseError
from underkettle.runs.execute import execute
from underkettle.store.database import StoreFault
from underkettle.store.runfile import RunFile


def main(path: str) -> int:
    try:
        file = RunFile(path)
    except StoreFault as error:
        print(error, file=sys.stderr)
        return 3
    try:
        result = execute(file, alone=True)
    except CaseError as error:
        file.set(status="failed", message=str(error))
        file.add_log(str(error), "failed", 0.0, 0)
        return 2
    except StoreFault as error:
        print(error, file=sys.stderr)
        return 3
    except Exception as error:
        traceback.print_exc()
        file.set(status="failed", message=f"The program itself failed: {error!r}")
        file.add_log(f"The program itself failed: {error!r}", "failed", 0.0, 0)
        return 3
    return 0 if result["status"] in ("finished", "stopped") else 3


if __name__ == "__main__":
    sys.exit(main(sys.argv[1]))
