/** Fitting the vessel onto the sheet. */
import type { Box, Segment } from "../client/views";

/** Pixels per metre along x (scale) and along y (tall). */
export interface Fit {
  scale: number;
  tall: number;
  X: (x: number) => number;
  Y: (y: number) => number;
  x: (px: number) => number;
  y: (py: number) => number;
  width: number;
  height: number;
}
export interface Margins {
  left: number;
  right: number;
  top: number;
  bottom: number;
}

const LONG = 4; // times longer than wide
const THIN = 9; // times, from which on even a sheet is stretched unless somebody says

/** Even scale (or, stretched, one for each axis), y upwards, centred in what the margins leave. */
export function fit(box: Box, width: number, height: number, m: Margins, stretched = false): Fit {
  const w = Math.max(width - m.left - m.right, 10),
    h = Math.max(height - m.top - m.bottom, 10);
  const most = [w / (box[2] - box[0]), h / (box[3] - box[1])] as const;
  const [scale, tall] = stretched ? most : [Math.min(...most), Math.min(...most)];
  const ox = m.left + (w - scale * (box[2] - box[0])) / 2;
  const oy = m.top + (h - tall * (box[3] - box[1])) / 2;
  return {
    scale,
    tall,
    width: scale * (box[2] - box[0]),
    height: tall * (box[3] - box[1]),
    X: (x) => ox + (x - box[0]) * scale,
    Y: (y) => oy + (box[3] - y) * tall,
    x: (px) => box[0] + (px - ox) / scale,
    y: (py) => box[3] - (py - oy) / tall,
  };
}

/** How far one has come closer: times larger, and how far the sheet's corner has gone (px). */
export interface Zoom {
  times: number;
  dx: number;
  dy: number;
}
export const WHOLE: Zoom = { times: 1, dx: 0, dy: 0 };
const CLOSEST = 200;

/** The same sheet seen closer. */
export function zoomed(f: Fit, z: Zoom): Fit {
  if (z.times === 1 && !z.dx && !z.dy) return f;
  return {
    scale: f.scale * z.times,
    tall: f.tall * z.times,
    width: f.width * z.times,
    height: f.height * z.times,
    X: (x) => f.X(x) * z.times + z.dx,
    Y: (y) => f.Y(y) * z.times + z.dy,
    x: (px) => f.x((px - z.dx) / z.times),
    y: (py) => f.y((py - z.dy) / z.times),
  };
}

/** Closer or further, with what lies under (px, py) staying there. */
export function closer(z: Zoom, factor: number, px: number, py: number): Zoom {
  const times = Math.min(CLOSEST, Math.max(1, z.times * factor));
  if (times === 1) return WHOLE;
  const by = times / z.times;
  return { times, dx: px - (px - z.dx) * by, dy: py - (py - z.dy) * by };
}

/** SVG path of closed rings. */
export function ringPath(rings: [number, number][][], f: Fit): string {
  return rings
    .map((r) => `M${r.map(([x, y]) => `${f.X(x).toFixed(2)} ${f.Y(y).toFixed(2)}`).join("L")}Z`)
    .join("");
}

/** SVG path through points, one after the other. */
export const linePath = (points: [number, number][], f: Fit) =>
  points.map(([x, y], k) => `${k ? "L" : "M"}${f.X(x).toFixed(1)} ${f.Y(y).toFixed(1)}`).join("");

export function segmentPath(segments: Segment[], f: Fit): string {
  return segments
    .map(
      ([a, b, c, d]) =>
        `M${f.X(a).toFixed(2)} ${f.Y(b).toFixed(2)}L${f.X(c).toFixed(2)} ${f.Y(d).toFixed(2)}`,
    )
    .join("");
}

export interface Anchor {
  x: number;
  y: number;
  nx: number;
  ny: number;
}

/** Length of a segment on the sheet (px). */
export const reach = ([a, b, c, d]: Segment, f: Fit) => Math.hypot((c - a) * f.scale, (d - b) * f.tall);

/** Middle of an edge by length, and the direction out of the open space (in pixels, y down). */
export function anchorOf(segments: Segment[], f: Fit): Anchor {
  const lengths = segments.map((s) => reach(s, f));
  let left = lengths.reduce((s, l) => s + l, 0) / 2;
  let k = 0;
  while (k < segments.length - 1 && left > lengths[k]!) left -= lengths[k++]!;
  const [a, b, c, d] = segments[k]!;
  const length = lengths[k]! || 1;
  const s = left / length;
  return {
    x: f.X(a + s * (c - a)),
    y: f.Y(b + s * (d - b)),
    nx: ((d - b) * f.tall) / length,
    ny: ((c - a) * f.scale) / length,
  };
}

/** Whether a vessel is so long that an even scale leaves it a thin line. */
export const isLong = (width: number, height: number) => Math.max(width / height, height / width) > LONG;

/** Whether not even a sheet can show what is drawn in it at one scale. */
export const isThin = (box: Box) =>
  Math.max((box[2] - box[0]) / (box[3] - box[1]), (box[3] - box[1]) / (box[2] - box[0])) > THIN;

/** The scale of the sheet; of both axes where they differ. */
export function ratioOf(f: Fit): string {
  return f.scale === f.tall ? ratio(f.scale) : `${ratio(f.scale)} along x, ${ratio(f.tall)} along y`;
}

/** A scale ratio such as "1 : 4.3" for a screen of 96 pixels per inch. */
export function ratio(scale: number): string {
  const r = 96 / 0.0254 / scale;
  return r >= 1 ? `1 : ${Number(r.toPrecision(2))}` : `${Number((1 / r).toPrecision(2))} : 1`;
}
