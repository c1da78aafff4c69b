import { expect, it } from "vitest";
import { sentenceOf } from "./sentence";

const told = (values: Record<string, string>) => (asked: string) => values[asked] ?? "";

it("reads as a sentence, without what was not asked for", () => {
  const mean = "mean {field} at {place}, weighted by {weight}";
  const values = { field: "temperature", place: "outlet" };
  expect(sentenceOf(mean, "", told({ ...values, weight: "flow" }))).toBe(
    "mean temperature at outlet, weighted by flow",
  );
  expect(sentenceOf(mean, "", told(values))).toBe("mean temperature at outlet");
  expect(sentenceOf(mean, "in a box", told({ ...values, weight: "flow" }))).toBe("mean temperature in a box");
  expect(sentenceOf("{field} at {place} less that at {to}", "", told(values))).toBe(
    "temperature at outlet less that at \u2026",
  );
});
