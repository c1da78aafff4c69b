import { expect, test } from "vitest";
import { against, range, verdict } from "./verdict";

test("solved over paper in words", () => {
  expect([1.0, 0.6, 1.9, 3.0].map((r) => verdict(r)[0])).toEqual([
    "agrees",
    "worth a look",
    "worth a look",
    "doubt one of them",
  ]);
});

test("solved against measured", () => {
  expect(against(7.5, [7, 8])).toBe("within");
  expect(against(8.8, [7, 8])).toBe("10 % above");
  expect(against(-2.2, [-2, -2])).toBe("10 % below");
  expect(against(5, [5, 5])).toBe("equal");
  expect(against(1, [0, 0])).toBe("above");
  expect([range([7, 8]), range([7, 7])]).toEqual(["7 to 8", "7"]);
});
