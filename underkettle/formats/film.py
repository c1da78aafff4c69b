"""Pictures in a row as a film: MP4 (H.264) or GIF."""

from __future__ import annotations

import logging
import tempfile
from pathlib import Path
from typing import Any

import imageio_ffmpeg
import numpy as np

Array = np.ndarray

logging.getLogger("imageio_ffmpeg").setLevel(logging.ERROR)  # a dropped film is no fault

KINDS = ("mp4", "gif")
# a palette of its own for each picture, so that nothing has to be held back until the end
PALETTES = "split[a][b];[a]palettegen=stats_mode=single[p];[b][p]paletteuse=new=1:dither=none"


class Film:
    """Takes pictures one after the other; what is not finished is thrown away by `drop`."""

    def __init__(self, width: int, height: int, per_second: float, kind: str = "mp4") -> None:
        if kind not in KINDS:
            raise ValueError(f"a film is one of {', '.join(KINDS)}, not {kind}")
        self.width, self.height, self.kind = width, height, kind
        self.count = 0
        self.folder = tempfile.TemporaryDirectory(prefix="underkettle-film-")
        self.path = Path(self.folder.name) / f"film.{kind}"
        coded: dict[str, Any] = (
            {"codec": "libx264", "quality": 8, "macro_block_size": 2}
            if (kind == "mp4")
            else {
                "codec": "gif",
                "pix_fmt_out": "pal8",
                "macro_block_size": 1,
                "output_params": ["-vf", PALETTES],
            }
        )
        self._writer = imageio_ffmpeg.write_frames(
            str(self.path), (width, height), fps=per_second, ffmpeg_log_level="quiet", **coded
        )
        self._writer.send(None)

    def add(self, picture: Array) -> None:
        """picture : (height, width, 3) in 0 to 255. Raises ValueError for another size."""
        if picture.shape != (self.height, self.width, 3):
            raise ValueError(
                f"a picture of {picture.shape[1]} x {picture.shape[0]} does not fit a "
                f"film of {self.width} x {self.height}"
            )
        self._writer.send(np.ascontiguousarray(picture, np.uint8))
        self.count += 1

    def finish(self) -> bytes:
        """The film. Raises ValueError where it has no picture."""
        if not self.count:
            self.drop()
            raise ValueError("the film has no picture")
        self._writer.close()
        data = self.path.read_bytes()
        self.folder.cleanup()
        return data

    def drop(self) -> None:
        self._writer.close()
        self.folder.cleanup()
