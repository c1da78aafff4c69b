"""Where what can be worked out again is kept from one start to the next."""

from __future__ import annotations

import os
from pathlib import Path


def cache_root() -> Path:
    """UNDERKETTLE_CACHE, else a folder of its own in the user's cache."""
    root = os.environ.get("UNDERKETTLE_CACHE")
    return Path(root) if root else Path.home() / ".cache" / "underkettle"
