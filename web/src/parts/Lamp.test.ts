import { describe, expect, it } from "vitest";
import type { RunView } from "../client/views";
import { endOf, lampOf } from "./Lamp";

const newest = { clock: 5000 } as RunView["newest"];

describe("a run's end", () => {
  it("is when it kept its last row, however long it had waited", () => {
    expect(endOf({ newest, created: 1000, wall: 20 })).toBe(5000);
  });
  it("is reckoned where it kept no row", () => {
    expect(endOf({ newest: null, created: 1000, wall: 20 })).toBe(1020);
  });
  it("is told in words by the lamp", () => {
    const run = { status: "waiting", place: 3, newest: null, created: 0, wall: 0 } as unknown as RunView;
    expect(lampOf(run)).toEqual(["", "Waiting, 3 in the queue"]);
    expect(lampOf({ ...run, status: "running" })).toEqual(["lit", "Firing up"]);
    expect(lampOf(null, 2)).toEqual(["need", "2 things to settle"]);
  });
});
