import { expect, test } from "vitest";
import { digits } from "../drawing/number";
import { decades, padded } from "./Plot";

test("a logarithmic axis shows whole powers of ten, and never more than seven", () => {
  expect(decades(0.02, 300)).toEqual([0.1, 1, 10, 100]);
  const many = decades(1e-13, 1e3);
  expect(many.length).toBeLessThanOrEqual(7);
  expect(many[0]).toBeCloseTo(1e-13, 20);
  expect(decades(2, 3)).toEqual([2, 3]);
});

test("neighbouring ticks are told apart", () => {
  expect(digits([0.0029992, 0.0029994, 0.0029996])).toBe(6);
  expect(digits([0, 20, 40])).toBe(3);
  expect(digits([])).toBe(3);
});

test("a line that changes by rounding alone gets an axis that can be divided", () => {
  for (const [low, high] of [
    [1, 1 + 2e-16],
    [-3e5, -3e5],
    [0, 0],
    [0.02, 0.02 * (1 + 1e-15)],
  ] as const) {
    const [a, b] = padded(low, high);
    expect(b - a).toBeGreaterThan(1e-3 * Math.max(Math.abs(low), Math.abs(high)));
  }
  expect(padded(0, 1)).toEqual([-0.06, 1.06]);
});
