import { describe, expect, it } from "vitest";
import { appliedOf, listOf, partsOf, ranged } from "./series";

describe("a series", () => {
  it("goes from one value to another, both included", () => {
    expect(ranged("0 V", "1 V", 5, false)).toEqual(["0 V", "0.25 V", "0.5 V", "0.75 V", "1 V"]);
    expect(ranged("1", "0.4 V", 3, false)).toEqual(["1 V", "0.7 V", "0.4 V"]);
  });
  it("goes back without saying the far end twice", () => {
    expect(ranged("0 V", "0.3 V", 4, true)).toEqual(
      ["0", "0.1", "0.2", "0.3", "0.2", "0.1", "0"].map((v) => `${v} V`),
    );
  });
  it("is none where ends cannot be told apart from formulas, or units differ", () => {
    expect(ranged("0 V", "1 mV", 3, false)).toBeNull();
    expect(ranged("2*top", "1 V", 3, false)).toBeNull();
    expect(ranged("0 V", "1 V", 1, false)).toBeNull();
  });
  it("is read from a list, and drawn where it is of one unit", () => {
    expect(listOf(" 0 V, 0.5 V ,, 1 V")).toEqual(["0 V", "0.5 V", "1 V"]);
    expect(appliedOf(["0 V", "1e-1 V"])).toEqual({ values: [0, 0.1], unit: "V" });
    expect(appliedOf([0, 2])).toEqual({ values: [0, 2], unit: "" });
    expect(appliedOf(["0 V", "1 mV"])).toBeNull();
    expect(appliedOf(["low + 1 V"])).toBeNull();
    expect(partsOf("1 m/s")).toEqual({ number: 1, unit: "m/s" });
    expect(partsOf("1 m + wide")).toBeNull();
  });
});
