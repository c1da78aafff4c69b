"""Run every test: python -m tests.run [pattern]. Closes with the slowest and a line of counts."""

import sys
import time
import unittest
from pathlib import Path

HERE = Path(__file__).resolve().parent
SLOWEST = 12


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


def main() -> int:
    pattern = sys.argv[1] if len(sys.argv) > 1 else "test_*.py"
    suite = unittest.defaultTestLoader.discover(str(HERE), pattern, str(HERE.parent))
    result = unittest.TextTestRunner(verbosity=1, resultclass=Timed).run(suite)
    failed = len(result.failures) + len(result.errors)
    for seconds, name in sorted(result.took, reverse=True)[:SLOWEST]:
        print(f"{seconds:8.1f} s  {name}")
    print(f"{result.testsRun - failed - len(result.skipped)} passed, {failed} failed, "
          f"{len(result.skipped)} skipped")
    return 0 if result.wasSuccessful() and result.testsRun else 1


if __name__ == "__main__":
    sys.exit(main())
