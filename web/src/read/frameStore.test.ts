import { expect, test } from "vitest";
import type { FieldData } from "../client/views";
import { FrameStore } from "./frameStore";

const field = (n: number): FieldData => ({
  rows: 1,
  columns: n,
  low: 0,
  high: 1,
  values: new Float32Array(n),
});

test("what is used stays and the rest goes, within the bytes allowed", async () => {
  let asked = 0;
  const store = new FrameStore(async () => {
    asked++;
    return field(10);
  }, 100);
  await Promise.all([store.load("a"), store.load("a"), store.load("b")]);
  expect(asked).toBe(2);
  store.get("a");
  await store.load("c");
  expect([store.get("a") !== undefined, store.get("b"), store.bytes]).toEqual([true, undefined, 80]);
  store.drop((key) => key === "a");
  expect([store.get("a"), store.bytes]).toEqual([undefined, 40]);
});

test("a field larger than all the room is shown, not kept with others", async () => {
  const store = new FrameStore(async (key) => field(key === "big" ? 1000 : 1), 100);
  await store.load("a");
  await store.load("big");
  expect([store.get("a"), store.get("big")?.columns]).toEqual([undefined, 1000]);
});

test("what failed is asked for again", async () => {
  let fail = true;
  const store = new FrameStore(async () => {
    if (fail) throw new Error("away");
    return field(2);
  });
  await expect(store.load("a")).rejects.toThrow("away");
  fail = false;
  expect((await store.load("a"))?.columns).toBe(2);
});
