import { expect, it } from "vitest";
import type { ShelfCard } from "../client/views";
import { found, moved, phenomenaOf, rowsOf } from "./order";

const card = (name: string, more: Partial<ShelfCard> = {}) =>
  ({
    id: name,
    name,
    summary: "",
    touched: 0,
    demo: null,
    phenomena: [],
    runs: 0,
    missing: 0,
    ...more,
  }) as ShelfCard;
const some = [
  card("Rinse 10", { touched: 1, phenomena: ["flow"], runs: 3 }),
  card("Rinse 9", { touched: 3, phenomena: ["flow", "heat"], missing: 2 }),
  card("Trays", { touched: 2, demo: "trays", summary: "salt_bath, warm", phenomena: ["species", "flow"] }),
];
const names = (cards: ShelfCard[]) => cards.map((c) => c.name);

it("finds by words anywhere, filters by a phenomenon, sorts", () => {
  expect(names(found(some, "salt bath", "", "touched"))).toEqual(["Trays"]);
  expect(names(found(some, "RINSE", "heat", "touched"))).toEqual(["Rinse 9"]);
  expect(names(found(some, "", "", "touched"))).toEqual(["Rinse 9", "Trays", "Rinse 10"]);
  expect(names(found(some, "", "", "name"))).toEqual(["Rinse 9", "Rinse 10", "Trays"]);
  expect(names(found(some, "", "", "runs"))[0]).toBe("Rinse 10");
  expect(names(found(some, "", "", "open"))[0]).toBe("Rinse 9");
  expect(phenomenaOf(some)).toEqual([
    ["flow", 3],
    ["heat", 1],
    ["species", 1],
  ]);
});

it("lays cases out in rows below their groups", () => {
  const rows = rowsOf(some, 2, []);
  expect(rows.map((r) => ("cards" in r ? names(r.cards) : r.heading))).toEqual([
    "Mine",
    ["Rinse 10", "Rinse 9"],
    "Demo",
    ["Trays"],
  ]);
  expect(rowsOf(some, 2, ["Mine"]).map((r) => ("cards" in r ? r.first : r.count))).toEqual([2, 1, 0]);
  expect(rowsOf(some.slice(0, 2), 2, ["Mine"])).toHaveLength(1); // one group has no heading and no fold
});

it("moves among them by keys", () => {
  const rows = rowsOf([...some.slice(0, 2), card("a"), some[2]!], 2, []);
  expect([moved(rows, -1, 0, 1), moved(rows, -1, 1e6, 0)]).toEqual([0, 3]);
  expect(moved(rows, 0, 1, 0)).toBe(1);
  expect(moved(rows, 1, 0, 1)).toBe(2); // the row below is shorter
  expect(moved(rows, 2, 0, 1)).toBe(3);
  expect(moved(rows, 3, 1, 0)).toBe(3);
  expect(moved(rows, 3, 0, -1)).toBe(2);
  expect(moved([], 0, 1, 0)).toBe(-1);
});
