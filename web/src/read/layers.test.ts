import { expect, test } from "vitest";
import { joined } from "./Layers";

test("rows with the same number are one line", () => {
  const values = [0, 0, 1, 1, 0, 1, 5, 5, 2, 6, 5, 2];
  const d = joined({ rows: 4, values }, 3, [0, 1, 2], (x, y) => [10 * x, y]);
  expect(d).toBe("M0.0 0.0L10.0 0.0M50.0 5.0L60.0 5.0");
});
