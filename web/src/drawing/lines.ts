/** Lines of equal value and lines along a vector field, on graded grids; NaN is closed. */
import type { Point, Segment } from "../client/views";
import { type Scale, valueAt } from "./colour";

export interface Sampled {
  values: Float32Array;
  rows: number;
  columns: number;
}

/** Middles between grid lines. */
export const middles = (nodes: number[]) => nodes.slice(1).map((v, k) => (v + nodes[k]!) / 2);

/** Segments of one level through squares between cell middles; a square with a closed corner has none. */
export function contour(field: Sampled, x: number[], y: number[], level: number): [Point, Point][] {
  const [xs, ys] = [middles(x), middles(y)],
    found: [Point, Point][] = [],
    { values: v, columns: n } = field;
  for (let j = 0; j + 1 < field.rows; j++)
    for (let i = 0; i + 1 < n; i++) {
      const a = v[j * n + i]!,
        b = v[j * n + i + 1]!,
        c = v[(j + 1) * n + i + 1]!,
        d = v[(j + 1) * n + i]!;
      if (a !== a || b !== b || c !== c || d !== d) continue;
      const sides: Point[] = [],
        cut = (p: number, q: number, from: Point, to: Point) => {
          if (p < level === q < level) return;
          const t = (level - p) / (q - p);
          sides.push([from[0] + t * (to[0] - from[0]), from[1] + t * (to[1] - from[1])]);
        };
      const [A, B, C, D]: Point[] = [
        [xs[i]!, ys[j]!],
        [xs[i + 1]!, ys[j]!],
        [xs[i + 1]!, ys[j + 1]!],
        [xs[i]!, ys[j + 1]!],
      ];
      cut(a, b, A!, B!);
      cut(b, c, B!, C!);
      cut(c, d, C!, D!);
      cut(d, a, D!, A!);
      if (sides.length === 2) found.push([sides[0]!, sides[1]!]);
      else if (sides.length === 4) {
        const middle = (a + b + c + d) / 4 < level === a < level; // which corners belong together
        found.push(
          middle ? [sides[0]!, sides[1]!] : [sides[3]!, sides[0]!],
          middle ? [sides[2]!, sides[3]!] : [sides[1]!, sides[2]!],
        );
      }
    }
  return found;
}

/** Even levels on a scale, without its ends. */
export const levels = (scale: Scale, count: number) =>
  Array.from({ length: count }, (_, k) => valueAt((k + 1) / (count + 1), scale));

/** Bilinear value between cell middles; the cell's own near walls, NaN where closed. */
export function sampler(field: Sampled, x: number[], y: number[]): (px: number, py: number) => number {
  const [xs, ys] = [middles(x), middles(y)],
    { values: v, columns: n, rows: m } = field;
  const find = (nodes: number[], at: number) => {
    let [a, b] = [0, nodes.length - 1];
    while (b - a > 1) {
      const k = (a + b) >> 1;
      if (nodes[k]! <= at) a = k;
      else b = k;
    }
    return a;
  };
  return (px, py) => {
    if (px < x[0]! || px > x[x.length - 1]! || py < y[0]! || py > y[y.length - 1]!) return NaN;
    const own = v[Math.min(find(y, py), m - 1) * n + Math.min(find(x, px), n - 1)]!;
    if (own !== own) return NaN;
    const i = Math.min(find(xs, px), Math.max(n - 2, 0)),
      j = Math.min(find(ys, py), Math.max(m - 2, 0));
    const s = Math.min(1, Math.max(0, (px - xs[i]!) / ((xs[i + 1] ?? xs[i]! + 1) - xs[i]!))),
      t = Math.min(1, Math.max(0, (py - ys[j]!) / ((ys[j + 1] ?? ys[j]! + 1) - ys[j]!)));
    const mix = (k: number) => {
      const p = v[k * n + i]!,
        q = v[k * n + Math.min(i + 1, n - 1)]!;
      return p !== p ? q : q !== q ? p : p + s * (q - p);
    };
    const low = mix(j),
      high = mix(Math.min(j + 1, m - 1));
    const value = low !== low ? high : high !== high ? low : low + t * (high - low);
    return value === value ? value : own;
  };
}

const SHORTEST = 15; // steps of a line along a stream: three times what lies between two

/** Lines along (u, v) both ways from even seeds; a seed close to a line already drawn is left out.
 * `tall`: how many times larger y is drawn than x; lines are as far apart as they are seen. */
export function streamlines(
  u: Sampled,
  v: Sampled,
  x: number[],
  y: number[],
  across = 14,
  tall = 1,
): Point[][] {
  const [along, up] = [sampler(u, x, y), sampler(v, x, y)];
  // places and speeds below are as they are drawn
  const U = (px: number, py: number) => along(px, py / tall),
    V = (px: number, py: number) => tall * up(px, py / tall);
  const [x0, x1, y0, y1] = [x[0]!, x[x.length - 1]!, tall * y[0]!, tall * y[y.length - 1]!];
  const gap = Math.min(x1 - x0, y1 - y0) / across,
    step = gap / 5,
    most = Math.ceil((8 * (x1 - x0 + y1 - y0)) / step);
  const taken = new Set<string>(),
    cell = (p: Point) => `${Math.floor(p[0] / gap)},${Math.floor(p[1] / gap)}`;
  const fastest = Math.max(
    ...Array.from(u.values, (a, k) => {
      const s = Math.hypot(a, tall * v.values[k]!);
      return s === s ? s : 0;
    }),
  );
  const walk = (from: Point, way: 1 | -1, mine: Set<string>): Point[] => {
    const line: Point[] = [];
    let p = from;
    for (let k = 0; k < most; k++) {
      const a = U(...p),
        b = V(...p),
        s = Math.hypot(a, b);
      if (!(s > 1e-4 * fastest)) break;
      const mid: Point = [p[0] + (0.5 * way * step * a) / s, p[1] + (0.5 * way * step * b) / s];
      const c = U(...mid),
        d = V(...mid),
        r = Math.hypot(c, d);
      if (!(r > 1e-4 * fastest)) break;
      const next: Point = [p[0] + (way * step * c) / r, p[1] + (way * step * d) / r];
      if (U(...next) !== U(...next)) break;
      const spot = cell(next);
      if (taken.has(spot) && !mine.has(spot)) break;
      if (k > 20 && Math.hypot(next[0] - from[0], next[1] - from[1]) < 0.6 * step) {
        line.push(next);
        break;
      } // it came round
      mine.add(spot);
      line.push(next);
      p = next;
    }
    return line;
  };
  const found: Point[][] = [];
  for (let py = y0 + gap / 2; py < y1; py += gap)
    for (let px = x0 + gap / 2; px < x1; px += gap) {
      const seed: Point = [px, py];
      if (taken.has(cell(seed)) || U(...seed) !== U(...seed)) continue;
      const mine = new Set([cell(seed)]);
      const line = [...walk(seed, -1, mine).reverse(), seed, ...walk(seed, 1, mine)];
      if (line.length < SHORTEST) continue;
      for (const spot of mine) taken.add(spot);
      found.push(line.map(([a, b]) => [a, b / tall]));
    }
  return found;
}

/** Arrows on an even net over what is seen: where, and (u, v) there. */
export function arrows(
  u: Sampled,
  v: Sampled,
  x: number[],
  y: number[],
  seen: [number, number, number, number],
  gap: number,
  rise = gap,
): { at: Point; u: number; v: number }[] {
  const [U, V] = [sampler(u, x, y), sampler(v, x, y)],
    found = [];
  const [x0, y0, x1, y1] = seen;
  for (let py = (Math.floor(y0 / rise) + 0.5) * rise; py < y1; py += rise)
    for (let px = (Math.floor(x0 / gap) + 0.5) * gap; px < x1; px += gap) {
      const a = U(px, py),
        b = V(px, py);
      if (a === a && b === b) found.push({ at: [px, py] as Point, u: a, v: b });
    }
  return found;
}

/** Values beside the segments of an edge, in pieces no longer than `piece`. */
export function beside(
  field: Sampled,
  x: number[],
  y: number[],
  segments: Segment[],
  piece: number,
): { from: Point; to: Point; value: number }[] {
  const at = sampler(field, x, y),
    found = [];
  const finest = Math.min(
    ...[x, y].map((n) => n.slice(1).reduce((least, v, k) => Math.min(least, v - n[k]!), Infinity)),
  );
  for (const [a, b, c, d] of segments) {
    const length = Math.hypot(c - a, d - b),
      many = Math.max(1, Math.ceil(length / piece));
    if (!length) continue;
    const [nx, ny] = [(d - b) / length, (a - c) / length];
    for (let k = 0; k < many; k++) {
      const [s, t] = [k / many, (k + 1) / many],
        m = (s + t) / 2;
      const [px, py] = [a + m * (c - a), b + m * (d - b)];
      const value = [0.3, -0.3, 1, -1, 2, -2]
        .map((o) => at(px + o * finest * nx, py + o * finest * ny))
        .find((w) => w === w);
      if (value !== undefined)
        found.push({
          from: [a + s * (c - a), b + s * (d - b)] as Point,
          to: [a + t * (c - a), b + t * (d - b)] as Point,
          value,
        });
    }
  }
  return found;
}
