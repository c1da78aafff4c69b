import { describe, expect, it } from "vitest";
import type { PartView } from "../client/views";
import { placeBalloons, spread } from "./balloons";
import { fit } from "./fit";
import { dragged, drawn, ghost, handlesOf, mirrored, shifted, snap, step } from "./shapes";

const box = (
  shape: string,
  b: [number, number, number, number],
  points: [number, number][] = [],
): PartView => ({
  shape,
  does: "cut",
  box: b,
  points,
  centre: [(b[0] + b[2]) / 2, (b[1] + b[3]) / 2],
  outline: [],
});

describe("typed lengths", () => {
  it("move in the unit they were typed in", () => {
    expect(shifted("12 mm", 0.0035)).toBe("15.5 mm");
    expect(shifted("1.2 cm", -0.002)).toBe("1 cm");
    expect(shifted("0", 0.004)).toBe("4 mm");
  });
  it("stay formulas, with a tail that grows, shrinks and goes", () => {
    expect(shifted("2*gap", 0.003)).toBe("2*gap + 3 mm");
    expect(shifted("2*gap + 3 mm", -0.005)).toBe("2*gap - 2 mm");
    expect(shifted("2*gap - 2 mm", 0.002)).toBe("2*gap");
    expect(shifted("gap/2", 0)).toBe("gap/2");
  });
});

describe("handles", () => {
  it("stretch a rectangle from any side and keep the other where it is", () => {
    const typed = { x: "10 mm", y: "gap", width: "20 mm", height: "5 mm" };
    expect(dragged("rectangle", typed, "left", 0.002, 0)).toEqual({ x: "12 mm", width: "18 mm" });
    expect(dragged("rectangle", typed, "right top", 0.002, 0.001)).toEqual({
      width: "22 mm",
      height: "6 mm",
    });
    expect(dragged("rectangle", typed, "", 0.001, -0.002)).toEqual({ x: "11 mm", y: "gap - 2 mm" });
  });
  it("move one point of a polygon, or all", () => {
    const typed = {
      points: [
        ["0 mm", "0 mm"],
        ["w", "0 mm"],
      ],
    };
    expect(dragged("polygon", typed, "point 1", 0.001, 0)).toEqual({
      points: [
        ["0 mm", "0 mm"],
        ["w + 1 mm", "0 mm"],
      ],
    });
    expect(dragged("duct", typed, "", 0, 0.002)).toEqual({
      points: [
        ["0 mm", "2 mm"],
        ["w", "2 mm"],
      ],
    });
  });
  it("stand where a part can be taken hold of", () => {
    expect(handlesOf(box("rectangle", [0, 0, 2, 1])).length).toBe(8);
    expect(handlesOf(box("circle", [0, 0, 2, 2]))[0]!.at).toEqual([2, 1]);
    expect(handlesOf(box("plate", [0, 1, 3, 1])).map((h) => h.id)).toEqual(["left", "right"]);
    expect(ghost(box("rectangle", [0, 0, 2, 1]), "right", 1, 0)[1]).toEqual([3, 0]);
  });
});

describe("drawing", () => {
  it("makes a part from corner to corner, whichever way", () => {
    expect(drawn("rectangle", "cut", [0.02, 0.01], [0.01, 0.03], [])).toEqual({
      shape: "rectangle",
      does: "cut",
      x: "10 mm",
      y: "10 mm",
      width: "10 mm",
      height: "20 mm",
    });
    expect(drawn("screen", "add", [0.02, 0.01], [0.021, 0.05], []).along).toBe("y");
    expect(drawn("screen", "add", [0.02, 0.01], [0.04, 0.05], [])).toEqual({
      shape: "line",
      does: "screen",
      points: [
        ["20 mm", "10 mm"],
        ["40 mm", "50 mm"],
      ],
    });
    const bent = drawn(
      "screen",
      "add",
      [0, 0],
      [0, 0],
      [
        [0, 0],
        [0.01, 0.01],
        [0, 0.02],
      ],
    );
    expect(bent.points).toHaveLength(3);
    expect(
      handlesOf(
        box(
          "line",
          [0, 0, 1, 2],
          [
            [0, 0],
            [1, 2],
          ],
        ),
      ).map((h) => h.id),
    ).toEqual(["point 0", "point 1"]);
    expect(drawn("plate", "cut", [0.02, 0.01], [0.05, 0.012], [])).toEqual({
      shape: "plate",
      x: "20 mm",
      y: "10 mm",
      length: "30 mm",
      along: "x",
    });
    expect(
      drawn(
        "duct",
        "add",
        [0, 0],
        [0, 0],
        [
          [0, 0],
          [0.1, 0],
        ],
      ).width,
    ).toBe("15 mm");
  });
  it("mirrors about the middle of the vessel", () => {
    expect(
      mirrored(box("circle", [0.01, 0, 0.03, 0.02]), { x: "20 mm", y: "10 mm", radius: "10 mm" }, 0, 0.05).x,
    ).toBe("80 mm");
    expect(
      mirrored(box("rectangle", [0.01, 0, 0.03, 0.02]), { x: "10 mm", y: "0 mm", width: "20 mm" }, 0, 0.05).x,
    ).toBe("70 mm");
    expect(
      mirrored(
        box(
          "polygon",
          [0, 0, 1, 1],
          [
            [0, 0],
            [1, 0],
            [1, 1],
          ],
        ),
        {
          points: [
            ["0 m", "0 m"],
            ["1 m", "0 m"],
            ["1 m", "1 m"],
          ],
        },
        0,
        1,
      ).points,
    ).toEqual([
      ["1 m", "1 m"],
      ["1 m", "0 m"],
      ["2 m", "0 m"],
    ]);
  });
  it("snaps to a stop that is near, else to a round step", () => {
    expect(snap([0.01], 0.0049, 0.0002, [0.015], 0.001).at).toBe(0.015);
    expect(0.01 + 0.0032 + snap([0.01], 0.0032, 0.0002, [0.015], 0.001).by).toBeCloseTo(0.013, 9);
    expect(step(1000)).toBeCloseTo(0.01, 9);
  });
});

describe("balloons", () => {
  it("keep their room and stay on the sheet", () => {
    expect(spread([10, 12, 300], [40, 40, 40], 0, 400)).toEqual([10, 50, 300]);
    const crowded = spread([390, 395, 399], [40, 40, 40], 0, 400);
    expect(crowded[2]! + 40 - 23).toBeLessThanOrEqual(400);
    expect(crowded[1]! - crowded[0]!).toBeGreaterThanOrEqual(40);
  });
  it("of what stands in the stream are put beside it", () => {
    const f = fit([0, 0, 2, 1], 240, 200, { left: 20, right: 20, top: 20, bottom: 20 });
    const edge = (segments: [number, number, number, number][]) => ({
      label: "edge",
      segments,
      line: "wall" as const,
      nozzle: false,
      on: "edge" as const,
    });
    const spots = placeBalloons(
      {
        sheet: {
          drawn: [0, 0, 2, 1],
          round: false,
          edges: {
            floor: edge([[0, 0, 2, 0]]),
            roof: edge([[2, 1, 0, 1]]),
            hole: edge([[0.8, 0.6, 1.2, 0.6]]),
          },
        } as never,
      },
      f,
      240,
    );
    expect([spots.floor!.inside, spots.roof!.inside, spots.hole!.inside]).toEqual([false, false, true]);
    expect(spots.roof!.y).toBeLessThan(f.Y(1));
    expect(spots.hole!.y).toBeLessThan(f.Y(0.6));
  });
});
