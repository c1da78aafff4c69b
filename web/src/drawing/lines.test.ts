import { expect, test } from "vitest";
import { contour, levels, middles, sampler, streamlines } from "./lines";

const nodes = (n: number) => Array.from({ length: n + 1 }, (_, k) => k / n);
const made = (n: number, f: (x: number, y: number) => number) => {
  const m = middles(nodes(n));
  return { values: Float32Array.from(m.flatMap((y) => m.map((x) => f(x, y)))), rows: n, columns: n };
};

test("a level of a cone is its circle", () => {
  const cone = made(80, (x, y) => Math.hypot(x - 0.5, y - 0.5));
  const segments = contour(cone, nodes(80), nodes(80), 0.3);
  const around = segments.reduce((s, [a, b]) => s + Math.hypot(a[0] - b[0], a[1] - b[1]), 0);
  expect(around / (2 * Math.PI * 0.3)).toBeCloseTo(1, 3);
  for (const [a] of segments) expect(Math.hypot(a[0] - 0.5, a[1] - 0.5)).toBeCloseTo(0.3, 3);
});

test("closed cells have no lines and levels leave out the ends", () => {
  const cut = made(20, (x) => (x > 0.5 ? NaN : x));
  for (const [a, b] of contour(cut, nodes(20), nodes(20), 0.3))
    expect(Math.max(a[0], b[0])).toBeLessThan(0.5);
  expect(contour(cut, nodes(20), nodes(20), 0.7)).toEqual([]);
  const scale = { low: 0, high: 4, steps: 256, reversed: false, centred: false };
  expect(levels(scale, 3)).toEqual([1, 2, 3]);
  expect(levels({ ...scale, low: 1, high: 10000, log: true }, 3).map((v) => Number(v.toFixed(6)))).toEqual([
    10, 100, 1000,
  ]);
});

test("a slope is read between middles, closed places are not", () => {
  const at = sampler(
    made(10, (x, y) => (x > 0.8 ? NaN : 2 * x + y)),
    nodes(10),
    nodes(10),
  );
  expect(at(0.42, 0.33)).toBeCloseTo(2 * 0.42 + 0.33, 5);
  expect(at(0.95, 0.5)).toBeNaN();
  expect(at(-0.1, 0.5)).toBeNaN();
});

test("lines of a turning stream are circles", () => {
  const n = 60,
    u = made(n, (_x, y) => 0.5 - y),
    v = made(n, (x) => x - 0.5);
  const lines = streamlines(u, v, nodes(n), nodes(n));
  expect(lines.length).toBeGreaterThan(4);
  for (const line of lines) {
    const r = line.map(([x, y]) => Math.hypot(x - 0.5, y - 0.5));
    expect(Math.max(...r) - Math.min(...r)).toBeLessThan(0.012);
  }
});

test("lines on a stretched sheet lie as far apart as they are seen, and stay lines of the stream", () => {
  const n = 60,
    slant = made(n, () => 1),
    rise = made(n, () => 0.1);
  const even = streamlines(slant, rise, nodes(n), nodes(n), 10),
    tall = streamlines(slant, rise, nodes(n), nodes(n), 10, 5);
  expect(tall.length).toBeGreaterThan(1.5 * even.length);
  for (const line of tall)
    for (const [x, y] of line) expect(y - line[0]![1]).toBeCloseTo(0.1 * (x - line[0]![0]), 6);
});
