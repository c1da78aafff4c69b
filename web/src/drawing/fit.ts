/** Fitting the vessel onto the sheet. */
import type { Box, Segment } from "../client/views";

export interface Fit { scale: number; X: (x: number) => number; Y: (y: number) => number; x: (px: number) => number; y: (py: number) => number; width: number; height: number }
export interface Margins { left: number; right: number; top: number; bottom: number }

/** Even scale, y upwards, centred in what the margins leave. */
export function fit(box: Box, width: number, height: number, m: Margins): Fit {
  const w = Math.max(width - m.left - m.right, 10), h = Math.max(height - m.top - m.bottom, 10);
  const scale = Math.min(w / (box[2] - box[0]), h / (box[3] - box[1]));
  const ox = m.left + (w - scale * (box[2] - box[0])) / 2;
  const oy = m.top + (h - scale * (box[3] - box[1])) / 2;
  return {
    scale, width: scale * (box[2] - box[0]), height: scale * (box[3] - box[1]),
    X: (x) => ox + (x - box[0]) * scale, Y: (y) => oy + (box[3] - y) * scale,
    x: (px) => box[0] + (px - ox) / scale, y: (py) => box[3] - (py - oy) / scale,
  };
}

/** SVG path of closed rings. */
export function ringPath(rings: [number, number][][], f: Fit): string {
  return rings.map((r) => "M" + r.map(([x, y]) => `${f.X(x).toFixed(2)} ${f.Y(y).toFixed(2)}`).join("L") + "Z").join("");
}

export function segmentPath(segments: Segment[], f: Fit): string {
  return segments.map(([a, b, c, d]) => `M${f.X(a).toFixed(2)} ${f.Y(b).toFixed(2)}L${f.X(c).toFixed(2)} ${f.Y(d).toFixed(2)}`).join("");
}

export interface Anchor { x: number; y: number; nx: number; ny: number }

/** Middle of an edge by length, and the direction out of the open space (in pixels, y down). */
export function anchorOf(segments: Segment[], f: Fit): Anchor {
  const lengths = segments.map(([a, b, c, d]) => Math.hypot(c - a, d - b));
  let left = lengths.reduce((s, l) => s + l, 0) / 2;
  let k = 0;
  while (k < segments.length - 1 && left > lengths[k]!) left -= lengths[k++]!;
  const [a, b, c, d] = segments[k]!;
  const length = lengths[k]! || 1;
  const s = left / length;
  return { x: f.X(a + s * (c - a)), y: f.Y(b + s * (d - b)), nx: (d - b) / length, ny: (c - a) / length };
}

/** A scale ratio such as "1 : 4.3" for a screen of 96 pixels per inch. */
export function ratio(scale: number): string {
  const r = 96 / 0.0254 / scale;
  return r >= 1 ? `1 : ${Number(r.toPrecision(2))}` : `${Number((1 / r).toPrecision(2))} : 1`;
}
