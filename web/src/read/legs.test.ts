import { expect, test } from "vitest";
import { axisOf, legsOf } from "./legs";

test("what only rises is one line as it is", () => {
  const told = legsOf("I", [0, 1, 2], [5, 6, null]);
  expect(told).toEqual({ x: [0, 1, 2], lines: [{ label: "I", values: [5, 6, null] }] });
});

test("up and down are two lines over the same places", () => {
  const told = legsOf("I", [0, 1, 2, 1, 0], [10, 11, 12, 21, 20]);
  expect(told.x).toEqual([0, 1, 2]);
  expect(told.lines).toEqual([
    { label: "I, up", values: [10, 11, 12] },
    { label: "I, down", values: [20, 21, 12] },
  ]);
});

test("what only falls is one line, too, and several turns are counted", () => {
  expect(legsOf("I", [2, 1], [8, 9])).toEqual({ x: [1, 2], lines: [{ label: "I", values: [9, 8] }] });
  const told = legsOf("I", [0, 2, 1, 2], [1, 2, 3, 4]);
  expect(told.lines.map((l) => l.label)).toEqual(["I, up 1", "I, down 2", "I, up 3"]);
  expect(told.lines[2]!.values).toEqual([undefined, 3, 4]);
});

test("axes in words", () => {
  expect(axisOf({ name: "cell_voltage", unit: "V" })).toBe("cell voltage, V");
  expect(axisOf({ name: "load", unit: "" })).toBe("load");
});
