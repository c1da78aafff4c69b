"""How kernels are compiled, and where their machine code is kept.

The cache folder carries a hash of every source that holds a kernel, of the compiler's version and
of its flags: a callee edited in another file would otherwise keep its old machine code, and bounds
checks would do nothing on a warm cache.
"""

from __future__ import annotations

import hashlib
import os
from contextlib import suppress
from functools import cache
from pathlib import Path
from typing import Any

import numba

from underkettle.cache import cache_root

_PACKAGE = Path(__file__).resolve().parent.parent
WARM = "whole"  # a file beside the machine code, once there is all of it
_FLAGS = ("NUMBA_BOUNDSCHECK", "NUMBA_OPT", "NUMBA_DISABLE_JIT", "NUMBA_CPU_NAME")


@cache
def cache_key() -> str:
    """A hash of the kernels' sources, where they lie, the compiler and its flags."""
    digest = hashlib.sha256(f"{numba.__version__} {_PACKAGE}".encode())
    for folder in ("engine", "matter", "phenomena"):
        for source in sorted((_PACKAGE / folder).rglob("*.py")):
            text = source.read_bytes()
            if b"kernel" in text or b"numba" in text:
                digest.update(source.relative_to(_PACKAGE).as_posix().encode())
                digest.update(text)
    for flag in _FLAGS:
        digest.update(f"{flag}={os.environ.get(flag, '')}".encode())
    return digest.hexdigest()[:16]


def cache_folder() -> Path:
    """Where the machine code of these very sources is kept."""
    return cache_root() / "kernels" / cache_key()


numba.config.CACHE_DIR = str(cache_folder())


def is_warm() -> bool:
    """Whether all kernels of these sources have been compiled before."""
    return (cache_folder() / WARM).exists()


def keep_warm() -> None:
    """Remember that all have been compiled."""
    with suppress(OSError):
        (cache_folder() / WARM).touch()


_FAST = {"contract", "reassoc", "nsz", "arcp"}  # never "nnan": the march looks for NaN


def kernel(function: Any) -> Any:
    """Compile on first call, keep the machine code; NaN and infinity stay what they are. Kernels
    let other threads go on.
    """
    return numba.njit(cache=True, nogil=True, fastmath=_FAST, error_model="numpy")(function)
