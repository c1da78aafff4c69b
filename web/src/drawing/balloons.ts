/** Where the balloons of edges stand: outside the vessel where one can get there, else beside the edge. */
import type { CaseView, Segment } from "../client/views";
import { anchorOf, type Fit } from "./fit";

export interface Spot {
  ax: number;
  ay: number;
  x: number;
  y: number;
  named: boolean;
  inside: boolean;
}

export const LETTER = 6.4; // px
const ROOM = 26,
  BARE = 23; // px: a balloon with its gap, a balloon alone

const END = 2; // px from where a vessel ends

export function placeBalloons(view: Pick<CaseView, "sheet">, f: Fit, width: number): Record<string, Spot> {
  const [x0, y0, x1, y1] = view.sheet.drawn;
  const [left, right, top, bottom] = [f.X(x0), f.X(x1), f.Y(y1), f.Y(y0)];
  const all = Object.values(view.sheet.edges)
    .flatMap((e) => e.segments)
    .map(([a, b, c, d]): Segment => [f.X(a), f.Y(b), f.X(c), f.Y(d)]);
  const spots: Record<string, Spot> = {};
  const outside: { name: string; ax: number; ay: number; up: boolean; letters: number }[] = [];
  for (const [name, e] of Object.entries(view.sheet.edges)) {
    const a = anchorOf(e.segments, f);
    if (all.some((s) => meets(a.x, a.y, a.nx, a.ny, s)))
      spots[name] = { ax: a.x, ay: a.y, x: a.x - 13 * a.nx, y: a.y - 13 * a.ny, named: false, inside: true };
    else
      outside.push({
        name,
        ax: a.x,
        ay: a.y,
        up: Math.abs(a.ny) > 0.5 ? a.ny < 0 : a.y < (top + bottom) / 2 - (view.sheet.round ? 1 : -1),
        letters: e.label.length,
      });
  }
  for (const up of [true, false]) {
    // those at either end come first and last, the furthest outermost: their lines do not cross
    const ends = (r: { ax: number }) => (r.ax < left + END ? -1 : r.ax > right - END ? 1 : 0);
    const away = (r: { ax: number; ay: number }) => (up ? r.ay : -r.ay) * ends(r);
    const line = outside
      .filter((r) => r.up === up)
      .sort((p, q) => ends(p) - ends(q) || away(p) - away(q) || p.ax - q.ax);
    const low = Math.max(28, left - 60),
      high = Math.min(width - 30, right + 60);
    const rooms = line.map((r) => ROOM + LETTER * r.letters);
    const named = rooms.reduce((s, r) => s + r, 0) <= high - low + 40;
    spread(
      line.map((r) => r.ax),
      named ? rooms : rooms.map(() => BARE),
      low,
      high,
    ).forEach((x, k) => {
      const r = line[k]!;
      spots[r.name] = { ax: r.ax, ay: r.ay, x, y: up ? top - 34 : bottom + 34, named, inside: false };
    });
  }
  return spots;
}

/** Positions near `wanted` (rising), each with its room to the next, between low and high. */
export function spread(wanted: number[], rooms: number[], low: number, high: number): number[] {
  const at = [...wanted];
  for (let k = 0; k < at.length; k++) at[k] = Math.max(at[k]!, k ? at[k - 1]! + rooms[k - 1]! : low);
  let limit = high;
  for (let k = at.length - 1; k >= 0; k--) {
    limit -= k === at.length - 1 ? rooms[k]! - BARE : rooms[k]!;
    at[k] = Math.min(at[k]!, limit);
    limit = at[k]!;
  }
  return at;
}

/** Whether a ray from (x, y) along (nx, ny) meets a segment further than a pixel away. */
function meets(x: number, y: number, nx: number, ny: number, [a, b, c, d]: Segment): boolean {
  const [p, q] = [(a - x) * ny - (b - y) * nx, (c - x) * ny - (d - y) * nx];
  if (p > 0 === q > 0) return false;
  const s = p / (p - q),
    along = (a + s * (c - a) - x) * nx + (b + s * (d - b) - y) * ny;
  return along > 1;
}
