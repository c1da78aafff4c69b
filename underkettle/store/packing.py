"""Arrays as compact bytes: float32, bytes shuffled, zstandard with a checksum that is looked at
whenever they are read.
"""

from __future__ import annotations

import numpy as np
import zstandard

Array = np.ndarray

CHUNK_BYTES = 16_000_000
THUMB = 96


class PackingError(ValueError):
    """Bytes are not those that were packed."""


def pack(values: Array) -> list[bytes]:
    """A float array as chunks of shuffled, compressed float32 bytes; NaN survives."""
    flat = np.ascontiguousarray(values, np.float32).ravel()
    step = CHUNK_BYTES // 4
    compressor = zstandard.ZstdCompressor(level=3, write_checksum=True)
    chunks = []
    for first in range(0, max(flat.size, 1), step):
        raw = flat[first : first + step].view(np.uint8).reshape(-1, 4)
        chunks.append(compressor.compress(np.ascontiguousarray(raw.T).tobytes()))
    return chunks


def unpack(chunks: list[bytes], shape: tuple[int, ...]) -> Array:
    """The array that `pack` was given, as float32. Raises PackingError."""
    parts = []
    for chunk in chunks:
        data = expand(chunk)
        if len(data) % 4:
            raise PackingError("a chunk is cut off")
        raw = np.frombuffer(data, np.uint8).reshape(4, -1)
        part = np.empty((raw.shape[1], 4), np.uint8)
        for k in range(4):  # a strided copy each: half the time of a transpose
            part[:, k] = raw[k]
        parts.append(part.view(np.float32).ravel())
    whole = parts[0] if len(parts) == 1 else np.concatenate([np.empty(0, np.float32), *parts])
    if whole.size != np.prod(shape):
        raise PackingError("chunks are missing")
    return whole.reshape(shape)


def squeeze(data: bytes) -> bytes:
    return zstandard.ZstdCompressor(level=1, write_checksum=True).compress(data)


def expand(data: bytes) -> bytes:
    """What `squeeze` was given. Raises PackingError."""
    try:
        return zstandard.ZstdDecompressor().decompress(data)
    except (zstandard.ZstdError, TypeError, MemoryError) as error:
        raise PackingError(str(error)) from error


def thin(values: Array, widest: int) -> Array:
    """Every n-th value so that neither side is longer than `widest`."""
    step = max(1, int(np.ceil(max(values.shape) / widest)))
    return values[step // 2 :: step, step // 2 :: step]


def even_sample(values: Array, x: Array, y: Array, widest: int) -> Array:
    """Values of a graded grid at evenly spaced points, for small pictures.

    values : (ny, nx); x, y : grid lines. The longer side gets `widest` points.
    """
    width, height = float(x[-1] - x[0]), float(y[-1] - y[0])
    scale = widest / max(width, height)
    nx, ny = max(1, round(width * scale)), max(1, round(height * scale))
    i = np.searchsorted(x, x[0] + (np.arange(nx) + 0.5) * width / nx, side="right") - 1
    j = np.searchsorted(y, y[0] + (np.arange(ny) + 0.5) * height / ny, side="right") - 1
    return np.asarray(
        values[np.ix_(np.clip(j, 0, values.shape[0] - 1), np.clip(i, 0, values.shape[1] - 1))],
        np.float32,
    )
