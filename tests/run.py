"""Run every test: python -m tests.run [pattern]. Closes with the slowest, what failed and counts.

Tests that start servers and runs of their own wait most of the time, so they go beside the rest in
a process of their own.
"""

import json
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

from underkettle.runs.warming import warm_up

HERE = Path(__file__).resolve().parent
APART = ("browser",)  # folders whose tests go beside the others
SLOWEST = 40


class Timed(unittest.TextTestResult):
    """Keeps how long each test took."""

    def __init__(self, *args, **given):
        super().__init__(*args, **given)
        self.took = []

    def startTest(self, test):
        self.began = time.monotonic()
        super().startTest(test)

    def stopTest(self, test):
        self.took.append((time.monotonic() - self.began, str(test)))
        super().stopTest(test)


def is_apart(test) -> bool:
    return type(test).__module__.split(".")[1] in APART


def flat(suite):
    for test in suite:
        if isinstance(test, unittest.TestSuite):
            yield from flat(test)
        else:
            yield test


def run(wanted, pattern="test_*.py") -> dict:
    """Run the tests that are wanted in this process; counts and times."""
    found = unittest.defaultTestLoader.discover(str(HERE), pattern, str(HERE.parent))
    suite = unittest.TestSuite(t for t in flat(found) if wanted(t))
    result = unittest.TextTestRunner(verbosity=1, resultclass=Timed).run(suite)
    return {
        "run": result.testsRun,
        "failed": len(result.failures) + len(result.errors),
        "skipped": len(result.skipped),
        "which": [str(test) for test, _ in result.failures + result.errors],
        "took": result.took,
        "good": result.wasSuccessful() and result.testsRun > 0,
    }


def main() -> int:
    if len(sys.argv) > 2 and sys.argv[1] == "--apart":
        Path(sys.argv[2]).write_text(json.dumps(run(is_apart)))
        return 0
    if len(sys.argv) > 1:
        return close([run(lambda test: True, sys.argv[1])])
    warm_up()  # once, rather than by each process that tests start
    with tempfile.TemporaryDirectory() as folder:
        told, words = Path(folder) / "told.json", Path(folder) / "words"
        with words.open("w") as out:
            other = subprocess.Popen(
                [sys.executable, "-m", "tests.run", "--apart", str(told)],
                cwd=HERE.parent,
                stdout=out,
                stderr=subprocess.STDOUT,
            )
            here = run(lambda test: not is_apart(test))
            other.wait()
        print(words.read_text(errors="replace"))
        if not told.exists():
            print("the tests that go beside the others did not end")
            return 1
        return close([here, json.loads(told.read_text())])


def close(parts) -> int:
    """Say what came of it; 0 where all is well."""
    took = sorted((tuple(t) for p in parts for t in p["took"]), reverse=True)
    for seconds, name in took[:SLOWEST]:
        print(f"{seconds:8.1f} s  {name}")
    for name in (n for p in parts for n in p["which"]):
        print(f"  failed: {name}")
    total, failed, skipped = (sum(p[k] for p in parts) for k in ("run", "failed", "skipped"))
    print(f"{total - failed - skipped} passed, {failed} failed, {skipped} skipped")
    return 0 if all(p["good"] for p in parts) else 1


if __name__ == "__main__":
    sys.exit(main())
