import { describe, expect, it } from "vitest";
import type { PhenomenonView } from "../client/views";
import { pairsOf } from "./values";

const kind = (name: string, key: string) => ({ name, key, column: true, least: 1, settings: [] });
const beds = { member_kinds: [kind("gas", "gases"), kind("solid", "solids")] } as unknown as PhenomenonView;
const given = { gases: { air: {} }, solids: { sand: {}, grit: {}, ash: {} } };

describe("pairs of members", () => {
  it("of two kinds are each with each", () => {
    const pairing = { kinds: ["gas", "solid"] as [string, string], key: "drags", settings: [] };
    expect(pairsOf(beds, pairing, given)).toEqual(["air-sand", "air-grit", "air-ash"]);
  });
  it("of one kind come once each, in the order of their names in the case", () => {
    const pairing = { kinds: ["solid", "solid"] as [string, string], key: "knocks", settings: [] };
    expect(pairsOf(beds, pairing, given)).toEqual(["sand-grit", "sand-ash", "grit-ash"]);
  });
  it("are none while nothing is named", () => {
    const pairing = { kinds: ["gas", "gas"] as [string, string], key: "x", settings: [] };
    expect(pairsOf(beds, pairing, {})).toEqual([]);
  });
});
