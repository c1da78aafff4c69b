/** Moving and stretching parts by their typed entries: formulas stay formulas. Lengths in m. */
import type { PartView, Point, SheetView } from "../client/views";

export type Entries = Record<string, unknown>;
export interface Handle {
  id: string;
  at: Point;
  says: string;
}

const UNITS: Record<string, number> = { nm: 1e-9, um: 1e-6, µm: 1e-6, mm: 1e-3, cm: 1e-2, m: 1 };
const UNIT = "(nm|um|µm|mm|cm|m)";
const PLAIN = new RegExp(`^\\s*(-?[\\d.]+(?:e-?\\d+)?)\\s*${UNIT}\\s*$`);
const TAIL = new RegExp(`^(.*\\S)\\s+([+-])\\s+([\\d.]+)\\s*${UNIT}\\s*$`);

const plain = (v: number) => String(Number(v.toPrecision(10)));

/** A length as one would type it: "12.5 mm". */
export const typedLength = (metres: number, unit = "mm") =>
  `${plain(Number((metres / UNITS[unit]!).toPrecision(6)))} ${unit}`;

/** A typed length made longer by `delta` (m): a number changes, a formula gets or changes a tail. */
export function shifted(typed: unknown, delta: number): string {
  const text = String(typed ?? "0 mm").trim();
  if (Math.abs(delta) < 1e-12) return text;
  const number = PLAIN.exec(text);
  if (number) return typedLength(Number(number[1]) * UNITS[number[2]!]! + delta, number[2]);
  if (text === "0") return typedLength(delta);
  const tail = TAIL.exec(text);
  const before = tail ? (tail[2] === "-" ? -1 : 1) * Number(tail[3]) * UNITS[tail[4]!]! : 0;
  const stem = tail ? tail[1]! : text;
  const rest = before + delta;
  if (Math.abs(rest) < 1e-12) return stem;
  return `${stem} ${rest < 0 ? "-" : "+"} ${typedLength(Math.abs(rest), tail?.[4])}`;
}

/** Shapes without an area. */
export const isThin = (shape: string) => ["plate", "line", "bow"].includes(shape);

/** Where a part can be taken hold of. */
export function handlesOf(p: PartView): Handle[] {
  const [x0, y0, x1, y1] = p.box,
    [cx, cy] = [(x0 + x1) / 2, (y0 + y1) / 2];
  if (p.points.length) return p.points.map((at, k) => ({ id: `point ${k}`, at, says: `point ${k + 1}` }));
  if (p.shape === "circle") return [{ id: "radius", at: [x1, cy], says: "radius" }];
  if (p.shape === "arc" || p.shape === "bow") return [];
  if (p.shape === "plate")
    return x1 - x0 > y1 - y0
      ? [
          { id: "left", at: [x0, y0], says: "begin" },
          { id: "right", at: [x1, y0], says: "end" },
        ]
      : [
          { id: "bottom", at: [x0, y0], says: "begin" },
          { id: "top", at: [x0, y1], says: "end" },
        ];
  return [
    { id: "left bottom", at: [x0, y0], says: "corner" },
    { id: "right bottom", at: [x1, y0], says: "corner" },
    { id: "right top", at: [x1, y1], says: "corner" },
    { id: "left top", at: [x0, y1], says: "corner" },
    { id: "left", at: [x0, cy], says: "left side" },
    { id: "right", at: [x1, cy], says: "right side" },
    { id: "bottom", at: [cx, y0], says: "lower side" },
    { id: "top", at: [cx, y1], says: "upper side" },
  ];
}

/** Entries that change when a handle ("" for the whole part) goes by (dx, dy). */
export function dragged(shape: string, typed: Entries, handle: string, dx: number, dy: number): Entries {
  const by = (entries: [string, number][]): Entries =>
    Object.fromEntries(
      entries.filter(([, d]) => Math.abs(d) > 1e-12).map(([k, d]) => [k, shifted(typed[k], d)]),
    );
  const points = typed.points as [unknown, unknown][] | undefined;
  if (points) {
    const one = handle.startsWith("point ") ? Number(handle.slice(6)) : null;
    return {
      points: points.map((p, k) => (one === null || one === k ? [shifted(p[0], dx), shifted(p[1], dy)] : p)),
    };
  }
  if (handle === "")
    return by([
      ["x", dx],
      ["y", dy],
    ]);
  if (handle === "radius") return by([["radius", dx]]);
  const [wide, high] = shape === "plate" ? ["length", "length"] : ["width", "height"];
  return {
    ...(handle.includes("left")
      ? by([
          ["x", dx],
          [wide, -dx],
        ])
      : handle.includes("right")
        ? by([[wide, dx]])
        : {}),
    ...(handle.includes("bottom")
      ? by([
          ["y", dy],
          [high, -dy],
        ])
      : handle.includes("top")
        ? by([[high, dy]])
        : {}),
  };
}

/** How a part's outline looks while a handle goes by (dx, dy). */
export function ghost(p: PartView, handle: string, dx: number, dy: number): Point[] {
  const [x0, y0, x1, y1] = p.box;
  if (handle === "")
    return (
      p.outline.length
        ? p.outline
        : ([
            [x0, y0],
            [x1, y1],
          ] as Point[])
    ).map(([x, y]) => [x + dx, y + dy]);
  if (p.points.length)
    return p.points.map(([x, y], k) => (handle === `point ${k}` ? [x + dx, y + dy] : [x, y]));
  if (handle === "radius") {
    const [cx, cy, r] = [(x0 + x1) / 2, (y0 + y1) / 2, (x1 - x0) / 2 + dx];
    return Array.from({ length: 72 }, (_, k) => [
      cx + r * Math.cos((k * Math.PI) / 36),
      cy + r * Math.sin((k * Math.PI) / 36),
    ]);
  }
  const a = handle.includes("left") ? x0 + dx : x0,
    b = handle.includes("right") ? x1 + dx : x1;
  const c = handle.includes("bottom") ? y0 + dy : y0,
    d = handle.includes("top") ? y1 + dy : y1;
  return [
    [a, c],
    [b, c],
    [b, d],
    [a, d],
  ];
}

/** A part drawn from one corner to the other, or through points. */
export function drawn(shape: string, does: string, from: Point, to: Point, points: Point[]): Entries {
  const [x, y] = [Math.min(from[0], to[0]), Math.min(from[1], to[1])];
  const [w, h] = [Math.abs(to[0] - from[0]), Math.abs(to[1] - from[1])];
  const at = { x: typedLength(from[0]), y: typedLength(from[1]) };
  const line = points.map((p) => p.map((c) => typedLength(c)));
  if (shape === "circle") return { shape, does, ...at, radius: typedLength(Math.hypot(w, h)) };
  if (shape === "arc")
    return {
      shape,
      does,
      ...at,
      inner: typedLength(Math.hypot(w, h) * 0.7),
      outer: typedLength(Math.hypot(w, h)),
      begin: "0 deg",
      end: "90 deg",
    };
  if (shape === "screen" && points.length > 1) return { shape: "line", does: "screen", points: line };
  if (shape === "screen" && Math.min(w, h) > SLANTED * Math.max(w, h))
    return { shape: "line", does: "screen", points: [from, to].map((p) => p.map((c) => typedLength(c))) };
  if (shape === "plate" || shape === "screen")
    return {
      shape: "plate",
      ...(shape === "screen" ? { does: "screen" } : {}),
      x: typedLength(w >= h ? x : from[0]),
      y: typedLength(w >= h ? from[1] : y),
      length: typedLength(Math.max(w, h)),
      along: w >= h ? "x" : "y",
    };
  if (shape === "polygon") return { shape, does, points: line };
  if (shape === "duct")
    return { shape, does, points: line, width: typedLength(roundTo(0.15 * span(points))) };
  return { shape, does, x: typedLength(x), y: typedLength(y), width: typedLength(w), height: typedLength(h) };
}

const SLANTED = 0.12; // of its length, by which a screen must lean to be meant so

const span = (points: Point[]) =>
  Math.max(
    ...[0, 1].map((k) => Math.max(...points.map((p) => p[k]!)) - Math.min(...points.map((p) => p[k]!))),
  );
const roundTo = (v: number) => Number(v.toPrecision(2));

/** A round step (1, 2 or 5 times a power of ten, m) of at least `pixels` on a sheet of this scale. */
export function step(scale: number, pixels = 6): number {
  const least = pixels / scale,
    ten = 10 ** Math.floor(Math.log10(least));
  return [1, 2, 5, 10].map((k) => k * ten).find((s) => s >= least * 0.999)!;
}

/** Positions along one axis that something may snap to: sides, ends and middles of all other parts. */
export function stops(sheet: SheetView, axis: 0 | 1, without: string): number[] {
  const found = new Set<number>();
  const boxes = Object.entries(sheet.parts)
    .filter(([n]) => n !== without)
    .map(([, p]) => p.box);
  for (const box of [...boxes, sheet.box])
    for (const v of [box[axis]!, box[axis + 2]!, (box[axis]! + box[axis + 2]!) / 2])
      found.add(Number(v.toPrecision(9)));
  return [...found];
}

export interface Snapped {
  by: number;
  at: number | null;
}

/** What to add to a shift so that one of `edges` (m) lies on a stop, else on a round step. */
export function snap(edges: number[], shift: number, near: number, places: number[], round: number): Snapped {
  let best: Snapped = { by: 0, at: null },
    distance = near;
  for (const e of edges)
    for (const s of places) {
      const d = Math.abs(e + shift - s);
      if (d < distance) [best, distance] = [{ by: s - e - shift, at: s }, d];
    }
  if (best.at !== null || !edges.length) return best;
  const moved = edges[0]! + shift;
  return { by: Math.round(moved / round) * round - moved, at: null };
}

/** The same part once more, gone by (dx, dy). */
export const copied = (typed: Entries, dx: number, dy: number): Entries => ({
  ...typed,
  ...dragged(String(typed.shape), typed, "", dx, dy),
  edges: typed.edges ?? {},
});

/** The same part mirrored about the upright (axis 0) or level (axis 1) line at `at` (m). */
export function mirrored(p: PartView, typed: Entries, axis: 0 | 1, at: number): Entries {
  const key = "xy"[axis]!,
    middle = (p.box[axis]! + p.box[axis + 2]!) / 2;
  if (p.points.length) {
    const points = p.points.map((q, k) =>
      (typed.points as unknown[][])[k]!.map((c, a) => (a === axis ? shifted(c, 2 * (at - q[axis]!)) : c)),
    );
    return { ...typed, points: points.reverse() };
  }
  if (p.shape === "arc") {
    const turn = axis === 0 ? "180 deg" : "0 deg";
    return {
      ...typed,
      [key]: shifted(typed[key], 2 * (at - p.centre[axis])),
      begin: `${turn} - (${String(typed.end)})`,
      end: `${turn} - (${String(typed.begin)})`,
    };
  }
  return { ...typed, [key]: shifted(typed[key], 2 * (at - middle)) };
}
