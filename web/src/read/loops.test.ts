import { expect, test } from "vitest";
import { loopsOf, stackOf } from "./loops";

const told = {
  x: [0, 1, 2, 1, 0, 1],
  y: [5, 6, 7, -6, -5, 6],
  legs: [
    { first: 0, last: 2, up: true },
    { first: 2, last: 4, up: false },
    { first: 4, last: 5, up: true },
  ],
  round: 2,
};

test("a line for each way, over rising places", () => {
  const { x, lines } = loopsOf([{ told, label: "run 1" }], false);
  expect(x).toEqual([0, 1, 2]);
  expect(lines.map((l) => l.values)).toEqual([
    [5, 6, 7],
    [-5, -6, 7],
    [-5, 6, undefined],
  ]);
  expect(lines.map((l) => l.ink)).toEqual([0, 0, 0]);
});

test("the last round begins just before where it ends", () => {
  const { lines } = loopsOf([{ told, label: "run 1" }], true);
  expect(lines[0]!.values).toEqual([undefined, 6, 7]);
});

test("another curve has an ink and places of its own", () => {
  const other = { ...told, x: [0, 1.5, 2, 1.5, 0, 0.5] };
  const { x, lines } = loopsOf(
    [
      { told, label: "a" },
      { told: other, label: "b" },
    ],
    false,
  );
  expect(x).toEqual([0, 0.5, 1, 1.5, 2]);
  expect(lines[3]!.ink).toBe(1);
  expect(lines[3]!.values).toEqual([5, undefined, undefined, 6, 7]);
});

test("lines that go one way stand on each other; loops do not", () => {
  const leg = [{ first: 0, last: 2, up: true }];
  const curve = (label: string, y: number[]) => ({
    told: { x: [0, 1, 2], y, legs: leg, round: null },
    label,
  });
  const stack = stackOf(loopsOf([curve("voltage", [3, 2, 1]), curve("lost", [1, 2, 3])], true));
  expect(stack!.map((l) => l.values)).toEqual([
    [3, 2, 1],
    [4, 4, 4],
  ]);
  expect(stackOf(loopsOf([{ told, label: "run 1" }], false))).toBeNull();
});
