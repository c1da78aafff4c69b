import { expect, it } from "vitest";
import { idOf } from "./naming";

it("makes names of words", () => {
  expect([" Rinse, 2nd ", "__a--B__", "..."].map(idOf)).toEqual(["rinse_2nd", "a_b", ""]);
});
