import { expect, it } from "vitest";
import type { FramesView } from "../client/views";
import { chosenOf, vectorsOf } from "./vectors";

const field = (component: [string, number] | null) =>
  ({
    label: "",
    unit: "m/s",
    centred: false,
    range: null,
    derived: false,
    component,
  }) as FramesView["fields"][string];

it("finds every vector of which both parts are there", () => {
  const found = vectorsOf({
    salt: field(null),
    velocity_x: field(["velocity", 0]),
    velocity_y: field(["velocity", 1]),
    "fines.drift_x": field(["drift", 0]),
    "fines.drift_y": field(["drift", 1]),
    flux_x: field(["flux", 0]),
  });
  expect(found.map((v) => [v.name, v.label, v.parts])).toEqual([
    ["velocity", "velocity", ["velocity_x", "velocity_y"]],
    ["fines.drift", "fines drift", ["fines.drift_x", "fines.drift_y"]],
  ]);
  expect(chosenOf(found, "fines.drift")!.parts[0]).toBe("fines.drift_x");
  expect(chosenOf(found, "")!.name).toBe("velocity");
  expect(chosenOf([], "velocity")).toBeNull();
});
