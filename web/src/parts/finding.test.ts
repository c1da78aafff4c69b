import { describe, expect, it } from "vitest";
import type { CaseView } from "../client/views";
import { alike, type Entry, found, ofCase, score } from "./finding";

const entry = (words: string, note = "value", more = ""): Entry => ({
  words,
  note,
  more,
  way: { to: "screen", screen: "set" },
});

describe("the finder", () => {
  it("puts words that begin so before those that only hold it, and both before notes", () => {
    const all = [entry("time", "viscous"), entry("kinematic viscosity"), entry("viscosity")];
    expect(found(all, "visc", 9).map((e) => e.words)).toEqual(["viscosity", "kinematic viscosity", "time"]);
  });
  it("puts what belongs to the case before relations of the same name", () => {
    const all = [{ ...entry("diffusivity of a particle"), after: true }, entry("diffusivity", "of dye")];
    expect(found(all, "diffus", 9).map((e) => e.note)).toEqual(["of dye", "value"]);
    expect(found(all, "particle", 9)).toHaveLength(1);
  });
  it("wants every word that was typed", () => {
    const all = [entry("inlet", "edge"), entry("inlet", "parameter")];
    expect(found(all, "inlet edge", 9)).toEqual([all[0]]);
    expect(score(all[0]!, "outlet")).toBe(0);
  });
  it("knows common words for the same", () => {
    expect(score(entry("viscosity"), "mu")).toBeGreaterThan(0);
    expect(score(entry("inlet", "edge"), "feed")).toBeGreaterThan(0);
    expect(score(entry("cell size", "grid"), "mesh")).toBeGreaterThan(0);
    expect(alike("lid")).not.toContain("feed");
  });
  it("shows everything in its order where nothing is typed, and no more than it should", () => {
    const all = Array.from({ length: 9 }, (_, k) => entry(`place ${k}`));
    expect(found(all, " ", 4)).toEqual(all.slice(0, 4));
  });
  it("reaches values, members, conditions, readouts, stages, parts and fields of a case", () => {
    const setting = { name: "density", label: "density", dimension: "density" };
    const view = {
      active: ["species"],
      phenomena: {
        species: {
          name: "species",
          label: "Species",
          about: "How it spreads.",
          settings: [setting],
          member_kinds: [{ name: "solute", key: "members", settings: [{ name: "diffusivity" }] }],
          conditions: [{ on: "edge", label: "held at a value" }],
        },
      },
      parameters: [{ name: "span_length", value: "0.1", unit: "m" }],
      ledger: {
        rows: [{ place: "inlet", label: "Inlet", on: "edge" }],
        columns: [{ id: "salt", phenomenon: "species" }],
      },
      sheet: { parts: { channel: {} } },
      fields: { salt: { label: "Salt", symbol: "c" } },
      data: {
        phenomena: { species: { members: { salt: {} } } },
        readouts: { drop: { label: "Pressure drop" } },
        stages: { settle: { mode: "steady" } },
      },
    } as unknown as CaseView;
    const ways = Object.fromEntries(ofCase(view, () => "edge").map((e) => [`${e.words}, ${e.note}`, e.way]));
    expect(ways["density, species, value"]).toEqual({
      to: "values",
      section: "species",
      at: "phenomena/species/density",
    });
    expect(ways["salt, solute of species"]).toMatchObject({
      at: "phenomena/species/members/salt/diffusivity",
    });
    expect(ways["held at a value, species, what an edge may do"]).toEqual({
      to: "place",
      place: "inlet",
      column: "salt",
    });
    expect(Object.keys(ways)).toEqual(
      expect.arrayContaining([
        "Inlet, edge",
        "span length, parameter, 0.1 m",
        "Pressure drop, readout",
        "settle, stage, steady",
        "channel, part of the vessel",
        "Salt, field, in Read",
        "Cell size, grid",
      ]),
    );
  });
});
