import { describe, expect, it } from "vitest";
import { made, rowsOf, textOf } from "./waves";

describe("tables in time", () => {
  it("are read from what people paste", () => {
    expect(rowsOf("0\t60\n20\t180", "degC")).toEqual([
      ["0 s", "60 degC"],
      ["20 s", "180 degC"],
    ]);
    expect(rowsOf("0 s; 5 mm/s\n\n1 min; 2*speed", "m/s")).toEqual([
      ["0 s", "5 mm/s"],
      ["1 min", "2*speed"],
    ]);
    expect(rowsOf("0 s 5 mm/s", "m/s")).toEqual([["0 s", "5 mm/s"]]);
    expect(
      rowsOf(
        textOf([
          ["0 s", "1 K"],
          ["2 s", "3 K"],
        ]),
        "K",
      ),
    ).toEqual([
      ["0 s", "1 K"],
      ["2 s", "3 K"],
    ]);
  });
  it("are made for common shapes, with rising times", () => {
    const shape = { low: 0, high: 2, begin: 1, period: 4, times: 2, unit: "V" };
    expect(made({ ...shape, wave: "triangle" })).toEqual([
      ["0 s", "0 V"],
      ["1 s", "0 V"],
      ["3 s", "2 V"],
      ["5 s", "0 V"],
      ["7 s", "2 V"],
      ["9 s", "0 V"],
    ]);
    expect(made({ ...shape, wave: "ramp", begin: 0 })).toEqual([
      ["0 s", "0 V"],
      ["4 s", "2 V"],
    ]);
    for (const wave of ["sine", "pulse", "breath"] as const) {
      const times = made({ ...shape, wave }).map((r) => Number.parseFloat(r[0]));
      expect(times.every((t, k) => k === 0 || t > times[k - 1]!)).toBe(true);
      expect(times.at(-1)).toBe(9);
    }
    const values = made({ ...shape, wave: "sine", begin: 0 }).map((r) => Number.parseFloat(r[1]));
    expect(Math.max(...values)).toBeCloseTo(2, 5);
    expect(Math.min(...values)).toBeCloseTo(0, 5);
  });
});
