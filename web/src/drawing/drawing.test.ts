import { describe, expect, it } from "vitest";
import { amount, COLOURS, difference, mostOf, palette, type Scale, share, valueAt } from "./colour";
import { anchorOf, closer, fit, WHOLE, zoomed } from "./fit";
import { logTicks, show, span, ticks } from "./number";
import { cellsUnder, evenNodes, pixels } from "./painter";

const light = ([r, g, b]: [number, number, number]) => 0.2126 * r + 0.7152 * g + 0.0722 * b;

describe("colour scales", () => {
  it("amount rises in lightness all the way", () => {
    for (let i = 1; i <= 40; i++) expect(light(amount(i / 40))).toBeGreaterThan(light(amount((i - 1) / 40)));
  });
  it("difference is palest in the middle", () => {
    expect(light(difference(0.5))).toBeGreaterThan(light(difference(0)));
    expect(light(difference(0.5))).toBeGreaterThan(light(difference(1)));
  });
  it("steps make flat bands and reversing turns them round", () => {
    const scale = { low: 0, high: 1, steps: 4, reversed: false, centred: false };
    const colours = new Set<string>();
    const table = palette(scale);
    for (const c of table) colours.add(String(c));
    expect(colours.size).toBe(4);
    expect(palette({ ...scale, reversed: true })[0]).toEqual(table[COLOURS - 1]);
  });
  it("values are clamped to the ends", () => {
    const scale = { low: 2, high: 4, steps: 256, reversed: false, centred: false };
    expect([1, 2, 3, 9].map((v) => share(v, scale))).toEqual([0, 0, 0.5, 1]);
  });
  it("a logarithmic scale is even in ratios, and there only where both ends are above zero", () => {
    const scale: Scale = { low: 0.01, high: 100, steps: 256, reversed: false, centred: false, log: true };
    expect([0.01, 1, 10, -3].map((v) => Number(share(v, scale).toFixed(9)))).toEqual([0, 0.5, 0.75, 0]);
    expect(valueAt(share(7, scale), scale)).toBeCloseTo(7, 9);
    expect(share(1, { ...scale, low: 0 })).toBeCloseTo(0.01, 9);
    expect(logTicks(0.01, 100)).toEqual([0.01, 0.1, 1, 10, 100]);
    expect(logTicks(2, 9)).toEqual([2, 3, 5, 7]);
  });
});

describe("painter", () => {
  it("finds the cell of a graded grid under each pixel", () => {
    expect([...cellsUnder([0, 1, 10], 10, 0, 10)]).toEqual([0, 1, 1, 1, 1, 1, 1, 1, 1, 1]);
  });
});

describe("pixels", () => {
  const scale: Scale = { low: 0, high: 3, steps: 256, reversed: false, centred: false };
  const picture = {
    values: Float32Array.from([0, 3, NaN, 1]),
    rows: 2,
    columns: 2,
    x: evenNodes(2, 0, 2),
    y: evenNodes(2, 0, 2),
  };
  const table = palette(scale),
    colour = (v: number) => table[Math.round((v / 3) * (COLOURS - 1))];
  const painted = (w: number, h: number, ...more: [[number, number, number, number]?, boolean?]) => {
    const out = new Uint32Array(w * h);
    pixels(picture, scale, w, h, out, ...more);
    return out;
  };
  it("are flat by cell, upwards, and clear where closed", () => {
    expect([...painted(2, 2)]).toEqual([0, colour(1), colour(0), colour(3)]);
  });
  it("go evenly between middles where smooth, and never into what is closed", () => {
    const row = painted(8, 8, undefined, true).slice(8 * 7, 8 * 8);
    expect(row[0]).toBe(colour(0));
    expect(row[7]).toBe(colour(3));
    const value = (c: number) => [...table].indexOf(c);
    for (let k = 2; k < 6; k++) expect(value(row[k]!)).toBeGreaterThan(value(row[k - 1]!));
    expect([...painted(8, 8, undefined, true).slice(0, 3)]).toEqual([0, 0, 0]);
  });
  it("show the window that is asked for, and nothing beside the grid", () => {
    expect([...painted(2, 1, [1, 0, 3, 1])]).toEqual([colour(3), 0]);
  });
});

describe("fit", () => {
  const f = fit([0, 0, 2, 1], 240, 200, { left: 20, right: 20, top: 20, bottom: 20 });
  it("keeps proportions and turns y up", () => {
    expect(f.scale).toBe(100);
    expect(f.Y(1)).toBeLessThan(f.Y(0));
    expect([f.x(f.X(0.7)), f.y(f.Y(0.3))].map((v) => Number(v.toFixed(12)))).toEqual([0.7, 0.3]);
  });
  it("comes closer around a point and goes back to the whole", () => {
    const near = zoomed(f, closer(WHOLE, 4, 100, 80));
    expect(near.x(100)).toBeCloseTo(f.x(100), 12);
    expect(near.y(80)).toBeCloseTo(f.y(80), 12);
    expect(near.X(1) - near.X(0)).toBeCloseTo(4 * (f.X(1) - f.X(0)), 9);
    expect(closer(closer(WHOLE, 4, 100, 80), 0.1, 3, 5)).toEqual(WHOLE);
  });
  it("anchors an edge at its middle with the normal out of the open space", () => {
    const a = anchorOf(
      [
        [0, 0, 1, 0],
        [1, 0, 2, 0],
      ],
      f,
    );
    expect([a.x, a.ny]).toEqual([f.X(1), 1]);
  });
});

describe("numbers", () => {
  it("shows no more digits than asked, with a true minus", () => {
    expect(show(-0.012345, 3)).toBe("−0.0123");
    expect(show(1234567, 3)).toBe("1.23e6");
    expect(show(null)).toBe("–");
  });
  it("speaks of time in the unit that fits", () => {
    expect([8, 200, 7200].map(span)).toEqual(["8 s", "3 min", "2.0 h"]);
  });
  it("puts ticks on round numbers", () => {
    expect(ticks(0, 60)).toEqual([0, 20, 40, 60]);
    expect(ticks(1, 1 + 2e-16)).toEqual([1]);
  });
});

it("a few large values are left out of a scale that nobody chose", () => {
  const values = Array.from({ length: 101 }, (_, k) => (k === 100 ? 1e4 : k));
  expect(mostOf(values)).toEqual([2, 98]);
  expect(mostOf([Number.NaN, 3, Number.NaN, 5])).toEqual([3, 5]);
  expect(mostOf([Number.NaN])).toBeNull();
});
