"""A field as a picture: the vessel with its walls, a colour bar with numbers, a scale, the time."""

from __future__ import annotations

import io
from dataclasses import dataclass

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from underkettle.case.case import Case
from underkettle.formats.colour import scale

Array = np.ndarray

PAPER, INK, MUTED, CLOSED = (255, 253, 247), (35, 31, 29), (101, 94, 87), (244, 238, 223)
SHARP = 2  # pixels drawn per pixel of the picture, so that slanted lines come out smooth
MARGIN, HEAD, FOOT = 24, 40, 84  # px around the vessel
LENGTHS = [f * 10.0**k for k in range(-6, 3) for f in (1, 2, 5)]  # m, of the rule


@dataclass(frozen=True)
class Look:
    """How a field is shown: ends of its scale in its unit, flat steps, direction."""

    label: str
    unit: str
    low: float
    high: float
    steps: int = 256
    is_reversed: bool = False
    centred: bool = False
    logarithmic: bool = False


class Picture:
    """Draws fields of one case, all at one size and scale."""

    def __init__(self, case: Case, look: Look, width: int = 960, height: int = 600) -> None:
        self.case, self.look = case, look
        self.width, self.height = width - width % 2, height - height % 2
        grid, box = case.grid, case.built.outline.box
        room = self.width - 2 * MARGIN, self.height - HEAD - FOOT
        self.per_metre = SHARP * min(room[0] / (box[2] - box[0]), room[1] / (box[3] - box[1]))
        self.size = tuple(
            max(1, round(self.per_metre * s)) for s in (box[2] - box[0], box[3] - box[1])
        )
        self.corner = (
            (SHARP * self.width - self.size[0]) // 2,
            SHARP * HEAD + (SHARP * room[1] - self.size[1]) // 2,
        )
        self.box = box
        x = box[0] + (np.arange(self.size[0]) + 0.5) / self.per_metre
        y = box[3] - (np.arange(self.size[1]) + 0.5) / self.per_metre
        self.column = np.clip(np.searchsorted(grid.x, x) - 1, 0, grid.nx - 1)
        self.row = np.clip(np.searchsorted(grid.y, y) - 1, 0, grid.ny - 1)
        self.table = scale(look.steps, look.is_reversed, look.centred)
        self.sheet = self._sheet()

    def draw(self, values: Array, words: str, case: Case | None = None) -> Image.Image:
        """values : (ny, nx) in the look's unit, NaN where closed; words : what stands above; case :
        as it stood then, where parts of it had moved.
        """
        image = self.sheet.copy()
        seen = values[np.ix_(self.row, self.column)]
        place = np.nan_to_num(self.share(seen))
        colours = self.table[np.clip(np.round(255 * place), 0, 255).astype(int)]
        colours[~np.isfinite(seen)] = CLOSED
        image.paste(Image.fromarray(colours), self.corner)
        pen = ImageDraw.Draw(image)
        for ring in self._rings(case or self.case):
            pen.line(ring, fill=INK, width=2 * SHARP, joint="curve")
        pen.text((SHARP * MARGIN, SHARP * 12), words, INK, _font(15))
        return image.resize((self.width, self.height), Image.Resampling.BOX)

    def share(self, values: Array) -> Array:
        """Where values lie on the scale, 0 to 1."""
        look = self.look
        low, high = look.low, look.high
        if look.logarithmic and low > 0:
            with np.errstate(divide="ignore", invalid="ignore"):
                values = np.log(np.maximum(values, 1e-300))
            low, high = np.log(low), np.log(high)
        return np.asarray((values - low) / ((high - low) or 1.0))

    def _rings(self, case: Case) -> list[list[tuple[float, float]]]:
        """Walls, plates of no thickness and thin screens (px)."""
        lines = [np.concatenate([points, points[:1]]) for points, _ in case.built.rings]
        return [
            [
                (
                    self.corner[0] + (x - self.box[0]) * self.per_metre,
                    self.corner[1] + (self.box[3] - y) * self.per_metre,
                )
                for x, y in line
            ]
            for line in (*lines, *case.built.screens.values())
        ]

    def _sheet(self) -> Image.Image:
        """What stays the same from frame to frame."""
        image = Image.new("RGB", (SHARP * self.width, SHARP * self.height), PAPER)
        pen, look = ImageDraw.Draw(image), self.look
        left, right = SHARP * MARGIN, SHARP * (self.width - MARGIN)
        top = SHARP * (self.height - 44)
        bar = np.repeat(self.table[None], SHARP * 12, axis=0)
        image.paste(
            Image.fromarray(bar).resize((right - left, SHARP * 12), Image.Resampling.NEAREST),
            (left, top),
        )
        pen.rectangle((left, top, right, top + SHARP * 12), outline=INK, width=SHARP)
        unit = f", {look.unit}" if look.unit else ""
        pen.text((left, top - SHARP * 20), f"{look.label}{unit}", INK, _font(13))
        for k in range(6):
            value = self._at(k / 5)
            anchor = "lm" if k == 0 else "rm" if k == 5 else "mm"
            at = left + (right - left) * k / 5
            pen.line((at, top + SHARP * 12, at, top + SHARP * 16), fill=INK, width=SHARP)
            pen.text(
                (at, top + SHARP * 26),
                f"{value:.4g}".replace("-", "\N{MINUS SIGN}"),
                MUTED,
                _font(12),
                anchor=anchor,
            )
        length = max((v for v in LENGTHS if v * self.per_metre <= SHARP * 120), default=LENGTHS[0])
        y, x = top - SHARP * 12, right - length * self.per_metre
        pen.line((x, y, right, y), fill=INK, width=SHARP)
        for end in (x, right):
            pen.line((end, y - SHARP * 4, end, y + SHARP * 4), fill=INK, width=SHARP)
        pen.text((x - SHARP * 8, y), f"{length * 1e3:g} mm", MUTED, _font(12), anchor="rm")
        return image

    def _at(self, share: float) -> float:
        low, high = self.look.low, self.look.high
        if self.look.logarithmic and low > 0:
            return float(low * (high / low) ** share)
        return low + share * (high - low)


def _font(size: int) -> ImageFont.FreeTypeFont | ImageFont.ImageFont:
    return ImageFont.load_default(SHARP * size)


def png(image: Image.Image) -> bytes:
    out = io.BytesIO()
    image.save(out, "PNG")
    return out.getvalue()
