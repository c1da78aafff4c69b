import { describe, expect, it } from "vitest";
import { amount, difference, lookup, share } from "./colour";
import { anchorOf, closer, fit, WHOLE, zoomed } from "./fit";
import { show, span, ticks } from "./number";
import { cellsUnder } from "./painter";

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
    const table = lookup(scale);
    for (let i = 0; i < 512; i++) colours.add([...table.slice(i * 3, i * 3 + 3)].join());
    expect(colours.size).toBe(4);
    expect([...lookup({ ...scale, reversed: true }).slice(0, 3)]).toEqual([...table.slice(-3)]);
  });
  it("values are clamped to the ends", () => {
    const scale = { low: 2, high: 4, steps: 256, reversed: false, centred: false };
    expect([1, 2, 3, 9].map((v) => share(v, scale))).toEqual([0, 0, 0.5, 1]);
  });
});

describe("painter", () => {
  it("finds the cell of a graded grid under each pixel", () => {
    expect([...cellsUnder([0, 1, 10], 10, 0, 10)]).toEqual([0, 1, 1, 1, 1, 1, 1, 1, 1, 1]);
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
    const a = anchorOf([[0, 0, 1, 0], [1, 0, 2, 0]], f);
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
  });
});
