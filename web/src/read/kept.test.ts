import { expect, it } from "vitest";
import type { FramesView, PictureView } from "../client/views";
import { frameOf, pictureOf, scaleOfPicture, tileOf } from "./kept";

const frame = (id: number, stage: string, value: number) => ({
  id,
  stage,
  axis: "time",
  value,
  shown: value,
  step: id,
  moved: false,
});
const frames = {
  frames: [frame(1, "settle", 0), frame(2, "wash", 0), frame(3, "wash", 5), frame(4, "wash", 10)],
  axes: { wash: { name: "time", unit: "s" } },
  fields: { salt: { label: "Salt", unit: "mol/m3", centred: false, range: [0, 8], derived: false } },
} as unknown as FramesView;
const plain: PictureView = {
  field: "salt",
  label: "Salt",
  unit: "mol/m3",
  centred: false,
  over: "frame",
  stage: "",
  at: null,
  low: null,
  high: null,
  steps: 256,
  reversed: false,
  log: false,
  stretched: null,
  layers: [],
  vector: "",
  flux: "",
};

it("shows the frame nearest to where it was kept, in its own stage", () => {
  expect(frameOf(null, frames.frames)).toBe(3);
  expect(frameOf(plain, frames.frames)).toBe(3);
  expect(frameOf({ ...plain, at: 4 }, frames.frames)).toBe(2);
  expect(frameOf({ ...plain, stage: "settle" }, frames.frames)).toBe(0);
  expect(frameOf({ ...plain, stage: "gone", at: 4 }, frames.frames)).toBe(3);
});

it("keeps only what differs from what would be shown anyway", () => {
  expect(pictureOf(tileOf(plain, 1), 3, {}, false, false, frames)).toEqual({ field: "salt" });
  const seen = tileOf({ ...plain, high: 2, layers: ["stream"], steps: 12 }, 1);
  expect(pictureOf(seen, 2, seen.kept, true, false, frames)).toEqual({
    field: "salt",
    at: "5 s",
    high: "2 mol/m3",
    steps: 12,
    stretched: true,
    layers: ["stream"],
  });
  expect(pictureOf(seen, 0, {}, true, true, frames)).toEqual({
    field: "salt",
    stage: "settle",
    layers: ["stream"],
  });
});

it("takes the range of the run for ends that were not kept", () => {
  const scale = scaleOfPicture({ ...plain, high: 2, log: true }, frames.fields.salt);
  expect([scale.low, scale.high, scale.log, scale.steps]).toEqual([0, 2, true, 256]);
});
