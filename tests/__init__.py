"""All tests. Four phenomena from outside the package stand in `outside/`, as if installed."""

import os
import sys
from pathlib import Path

OUTSIDE = str(Path(__file__).resolve().parent / "outside")
if OUTSIDE not in sys.path:
    sys.path.insert(0, OUTSIDE)
os.environ["PYTHONPATH"] = os.pathsep.join(
    [OUTSIDE, *filter(None, [os.environ.get("PYTHONPATH", "")])]
)
