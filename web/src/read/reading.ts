/** What is being looked at in Read: pictures, frame, instruments. View state only. */
import { create } from "zustand";
import { useShallow } from "zustand/react/shallow";
import type { Box, FramesView, Point } from "../client/views";
import type { Scale } from "../drawing/colour";
import { WHOLE, type Zoom } from "../drawing/fit";
import { frameOf, OF_CASE, stretches, tileOf } from "./kept";
import { type Layers, PLAIN, type Tile } from "./tile";

export interface Section {
  x0: number;
  y0: number;
  x1: number;
  y1: number;
  radius: number;
}
export interface Photo {
  url: string;
  name: string;
  x: number;
  y: number;
  width: number;
  ratio: number;
  opacity: number;
}
export type Tool = "section" | "box" | "pin" | null;
export const TABS = {
  section: "Section",
  box: "Box",
  wall: "Edge",
  probes: "Probes",
  history: "History",
  list: "List",
  fields: "Formulas",
};
export type Tab = keyof typeof TABS;
export const SPEEDS = [1, 2, 5, 10, 20, 30, 60];
export const MOST_TILES = 4;

interface Reading {
  caseId: string;
  run: string;
  tiles: Tile[];
  active: number;
  at: number;
  count: number; // of the run's frames, when it was last opened
  playing: boolean;
  perSecond: number;
  loop: boolean;
  since: string;
  until: string; // span of what is told over time
  zoom: Zoom;
  stretched: boolean;
  hover: Point | null;
  tool: Tool;
  first: Point | null;
  section: Section | null;
  box: Box | null;
  pins: Point[];
  wall: [string, string] | null;
  history: string | null;
  tab: Tab;
  locked: Record<string, Partial<Scale>>; // by field: the same on every picture, in every run
  photo: Photo | null;
  measured: Record<string, string>; // tables laid over curves, as text, by what they lie over
  change: (to: Partial<Reading>) => void;
  open: (caseId: string, run: string, frames: FramesView) => void;
  changeTile: (to: Partial<Tile> | ((t: Tile) => Partial<Tile>), id?: number) => void;
  keepScale: (name: string, to: Partial<Scale> | null) => void;
  toggleLock: (name: string, scale: Scale) => void;
  layer: (name: keyof Omit<Layers, "opacity">) => void;
  setTiles: (count: number, names: string[]) => void;
  step: (d: number, count: number) => void;
  point: (at: Point) => void;
  clear: () => void;
}

export const useReading = create<Reading>((set, get) => ({
  caseId: "",
  run: "",
  tiles: [],
  active: 0,
  at: 0,
  count: 0,
  playing: false,
  perSecond: 10,
  loop: true,
  since: "",
  until: "",
  zoom: WHOLE,
  stretched: false,
  hover: null,
  tool: null,
  first: null,
  section: null,
  box: null,
  pins: [],
  wall: null,
  history: null,
  tab: "section",
  locked: {},
  photo: null,
  measured: {},
  change: (to) => set(to),
  open: (caseId, run, frames) => {
    const was = get(),
      same = was.caseId === caseId;
    const count = frames.frames.length;
    if (same && was.run === run) {
      // who stands at the newest frame of a run that goes on stays there
      if (count !== was.count)
        set({ count, at: was.at === was.count - 1 ? count - 1 : Math.min(was.at, count - 1) });
      return;
    }
    const known = (name: string) => (name in frames.fields ? name : frames.chief);
    const first = frames.pictures[OF_CASE],
      picture = first && first.field in frames.fields ? first : null;
    const tiles =
      same && was.tiles.length
        ? was.tiles.map((t) => ({ ...t, name: known(t.name) }))
        : [
            picture
              ? tileOf(picture, 1)
              : {
                  id: 1,
                  name: frames.chief,
                  over: "frame" as const,
                  layers: PLAIN,
                  vector: "",
                  flux: "",
                  kept: {},
                },
          ];
    set({
      caseId,
      run,
      tiles,
      at: same ? count - 1 : frameOf(picture, frames.frames),
      count,
      playing: false,
      hover: null,
      tool: null,
      first: null,
    });
    if (!same)
      set({
        active: 1,
        zoom: WHOLE,
        stretched: stretches(picture, frames),
        section: null,
        box: null,
        pins: [],
        wall: null,
        history: null,
        tab: "section",
        locked: {},
        photo: null,
        since: "",
        until: "",
      });
  },
  changeTile: (to, id) =>
    set((s) => ({
      tiles: s.tiles.map((t) =>
        t.id === (id ?? s.active) ? { ...t, ...(typeof to === "function" ? to(t) : to) } : t,
      ),
    })),
  keepScale: (name, to) => {
    const s = get();
    if (name in s.locked)
      return set({ locked: { ...s.locked, [name]: to ? { ...s.locked[name], ...to } : {} } });
    s.changeTile((t) => ({ kept: to ? { ...t.kept, ...to } : {} }));
  },
  toggleLock: (name, scale) =>
    set((s) => {
      if (!(name in s.locked)) return { locked: { ...s.locked, [name]: scale } };
      const { [name]: own, ...rest } = s.locked;
      return { locked: rest, tiles: s.tiles.map((t) => (t.name === name ? { ...t, kept: own! } : t)) };
    }),
  layer: (name) => get().changeTile((t) => ({ layers: { ...t.layers, [name]: !t.layers[name] } })),
  setTiles: (count, names) =>
    set((s) => {
      const tiles = s.tiles.slice(0, count);
      while (tiles.length < count) {
        const used = tiles.map((t) => t.name),
          id = Math.max(...tiles.map((t) => t.id)) + 1;
        tiles.push({
          ...tiles[0]!,
          id,
          name: names.find((n) => !used.includes(n)) ?? tiles[0]!.name,
          kept: {},
          over: "frame",
        });
      }
      return { tiles, active: tiles.some((t) => t.id === s.active) ? s.active : tiles[0]!.id };
    }),
  step: (d, count) => set((s) => ({ playing: false, at: Math.min(count - 1, Math.max(0, s.at + d)) })),
  point: (p) =>
    set((s) => {
      if (s.tool === "pin") return { pins: [...s.pins, p].slice(-5), tab: "probes" as const, tool: null };
      if (!s.tool) return {};
      if (!s.first) return { first: p };
      const end = s.tool === "section" ? straight(s.first, p) : p;
      const drawn =
        s.tool === "section"
          ? { section: { x0: s.first[0], y0: s.first[1], x1: end[0], y1: end[1], radius: 0 } }
          : { box: [...s.first, ...end] as Box };
      return { ...drawn, tab: s.tool, tool: null, first: null };
    }),
  clear: () =>
    set((s) =>
      s.tool
        ? { tool: null, first: null }
        : { section: null, box: null, wall: null, history: null, pins: [] },
    ),
}));

/** Parts of it; only a change of those draws anew, so that playing does not draw everything. */
export const useReadingOf = <K extends keyof Reading>(...keys: K[]) =>
  useReading(useShallow((s) => Object.fromEntries(keys.map((k) => [k, s[k]])) as Pick<Reading, K>));

/** Close to level or upright lines snap to it. */
export function straight([x0, y0]: Point, [x, y]: Point): Point {
  const [dx, dy] = [Math.abs(x - x0), Math.abs(y - y0)];
  if (dx < 0.06 * dy) return [x0, y];
  return dy < 0.06 * dx ? [x, y0] : [x, y];
}

const SECONDS: Record<string, number> = { ms: 1e-3, s: 1, min: 60, h: 3600 };

/** "12.5 s" as a time, "12.5" or "0.8 V" as the axis has it, "#30" as a number: the frame meant, -1
 * for none. */
export function frameAt(text: string, frames: { value: number; shown: number }[]): number {
  const typed = text.trim(),
    number = /^#\s*(\d+)$/.exec(typed);
  if (number) return Math.min(frames.length, Math.max(1, Number(number[1]))) - 1;
  const told = /^(-?[\d.]+(?:e-?\d+)?)\s*([^\d\s.]\S*)?$/i.exec(typed.replace(",", "."));
  if (!told || !frames.length || Number.isNaN(Number(told[1]))) return -1;
  const scale = SECONDS[(told[2] ?? "").toLowerCase()],
    at = Number(told[1]) * (scale ?? 1);
  const away = (k: number) => Math.abs((scale ? frames[k]!.value : frames[k]!.shown) - at);
  return frames.reduce((best, _, k) => (away(k) < away(best) ? k : best), 0);
}
