import { beforeEach, expect, test } from "vitest";
import type { FramesView } from "../client/views";
import { frameAt, straight, useReading } from "./reading";
import { scaleOf } from "./tile";
import { along } from "./useField";

const frames = (names: string[]): FramesView => ({
  chief: names[0]!,
  x: [0, 1],
  y: [0, 1],
  readouts: {},
  pictures: {},
  frames: [0, 1, 2].map((k) => ({
    id: k,
    stage: "go",
    axis: "time",
    value: k,
    shown: k,
    step: k,
    moved: false,
  })),
  listings: {},
  axes: { go: { name: "time", unit: "s" } },
  fields: Object.fromEntries(
    names.map((n) => [
      n,
      {
        label: n,
        unit: "K",
        centred: false,
        range: [1, 3] as [number, number],
        derived: false,
        component: null,
      },
    ]),
  ),
});
const now = () => useReading.getState();

beforeEach(() => {
  useReading.setState({ caseId: "", run: "", tiles: [] });
  now().open("case", "run", frames(["salt", "speed"]));
});

test("another run of the same case keeps what is looked at, another case does not", () => {
  now().setTiles(2, ["salt", "speed"]);
  now().change({ tool: "box" });
  now().point([0, 0]);
  now().point([1, 1]);
  expect([now().tiles.map((t) => t.name), now().box, now().tab]).toEqual([
    ["salt", "speed"],
    [0, 0, 1, 1],
    "box",
  ]);
  now().open("case", "second", frames(["salt"]));
  expect([now().tiles.map((t) => t.name), now().box]).toEqual([
    ["salt", "salt"],
    [0, 0, 1, 1],
  ]);
  now().open("other", "third", frames(["heat"]));
  expect([now().tiles.map((t) => t.name), now().box]).toEqual([["heat"], null]);
});

test("who stands at the newest frame of a run that goes on stays there, who went back does not", () => {
  const more = frames(["salt", "speed"]);
  more.frames = [...more.frames, { ...more.frames[2]!, id: 3 }];
  now().change({ at: 2 });
  now().open("case", "run", more);
  expect(now().at).toBe(3);
  now().change({ at: 1 });
  more.frames = [...more.frames, { ...more.frames[2]!, id: 4 }];
  now().open("case", "run", more);
  expect(now().at).toBe(1);
});

test("a locked scale holds for every picture of its field and stays when let go", () => {
  const scale = scaleOf(frames(["salt"]).fields.salt, {});
  now().toggleLock("salt", scale);
  now().keepScale("salt", { low: 2 });
  expect([now().locked.salt?.low, now().tiles[0]!.kept.low]).toEqual([2, undefined]);
  now().toggleLock("salt", scale);
  expect([now().locked.salt, now().tiles[0]!.kept.low]).toEqual([undefined, 2]);
  now().keepScale("salt", null);
  expect(now().tiles[0]!.kept).toEqual({});
});

test("scales come from the run, from a span, or centred", () => {
  const info = {
    label: "",
    unit: "",
    centred: true,
    derived: false,
    component: null,
    range: [-1, 4] as [number, number],
  };
  expect([
    scaleOf(info, {}).low,
    scaleOf(info, {}, [2, 3]).low,
    scaleOf({ ...info, range: [-1e-20, 4], centred: false }, {}).low,
  ]).toEqual([-4, 2, 0]);
});

test("frames are found by time and by number", () => {
  const some = [0, 0.5, 1, 60].map((value) => ({ value, shown: value }));
  expect(["0.6 s", "700 ms", "1 min", "#2", "#99", "soon", "0,9"].map((t) => frameAt(t, some))).toEqual([
    1, 1, 3, 1, 3, -1, 2,
  ]);
});

test("frames of a series are found in the unit of its axis", () => {
  const some = [0, 0.8, 0.4].map((volt) => ({ value: volt, shown: 1000 * volt }));
  expect(["790 mV", "390", "#1", "0.8 s"].map((t) => frameAt(t, some))).toEqual([1, 2, 0, 1]);
});

test("a frame says where it stands on its axis", () => {
  const told = {
    ...frames(["phi"]),
    axes: { go: { name: "time", unit: "s" }, sweep: { name: "cell_voltage", unit: "V" } },
  };
  const frame = { id: 1, stage: "sweep", axis: "value", value: 0.8, shown: 0.8, step: 3, moved: false };
  expect(along(told, frame)).toBe("cell voltage 0.8 V");
  expect(along(told, frame, 3, false)).toBe("0.8 V");
  expect(along(told, { ...frame, stage: "go", shown: 2 })).toBe("2 s");
});

test("nearly level lines are level, and one step back clears a tool before what was drawn", () => {
  expect(straight([0, 0], [10, 0.3])).toEqual([10, 0]);
  now().change({ box: [0, 0, 1, 1], tool: "section" });
  now().clear();
  expect([now().tool, now().box]).toEqual([null, [0, 0, 1, 1]]);
  now().clear();
  expect(now().box).toBeNull();
});

test("a long vessel is stretched at first, and stays as one has it", () => {
  expect(now().stretched).toBe(false);
  const long = { ...frames(["salt"]), x: [0, 0.5, 9] };
  now().open("pipe", "first", long);
  expect(now().stretched).toBe(true);
  now().change({ stretched: false });
  now().open("pipe", "second", long);
  expect(now().stretched).toBe(false);
});
