import { expect, test } from "vitest";
import type { Watch } from "../client/views";
import { paceOf, seriesOf } from "./Watches";

const row = (k: number, clock: number): Watch => ({
  step: k,
  time: k,
  stage: "go",
  mode: "transient",
  dt: 0.5,
  reason: "",
  by: "",
  parts: {},
  residuals: { salt: 0.1 ** k, heat: 0 },
  iterations: 3 + k,
  done: 0,
  wall: 0.01,
  clock,
  gap: { salt: 1e-12 },
  readouts: { held: 2 * k },
  stage_step: k,
  stage_time: 0.5 * k,
});

test("each watch shows its own numbers over time or sweeps", () => {
  const stage = [row(1, 0), row(2, 1), row(3, 2)];
  expect(seriesOf("readout:held", stage, false, "Held").lines[0]!.values).toEqual([2, 4, 6]);
  expect(seriesOf("work", stage, true, "")).toMatchObject({ x: [1, 2, 3], value: "6" });
  expect(seriesOf("step", stage, false, "").value).toBe("500");
  const r = seriesOf("residuals", stage, false, "");
  expect([r.log, r.lines.map((l) => l.label), r.lines[1]!.values]).toEqual([
    true,
    ["salt", "heat"],
    [null, null, null],
  ]);
  expect(seriesOf("readout:ghost", stage, false, "").lines[0]!.values).toEqual([null, null, null]);
  expect(seriesOf("gap", [], false, "").value).toBe("–");
});

test("elapsed time leaves out what a run was held for", () => {
  const stage = [row(1, 0), row(2, 1), row(3, 2), row(4, 5000), row(5, 5001)];
  expect(seriesOf("pace", stage, false, "").lines[0]!.values).toEqual([0, 1, 2, 2, 3]);
});

test("who set the step is told, and who went at a pace of its own", () => {
  expect(paceOf(undefined)).toBe("");
  expect(paceOf({ ...row(1, 0), reason: "growing from the step before" })).toBe(
    "growing from the step before",
  );
  const told = { ...row(1, 0), by: "flow", reason: "Courant number 0.45", parts: { brew: 12 } };
  expect(paceOf(told)).toBe("flow: Courant number 0.45; brew took 12 of its own");
});
