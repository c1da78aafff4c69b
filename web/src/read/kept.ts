/** Pictures kept with a case: what is seen as an entry of the case file, and back. */
import type { FramesView, PictureView } from "../client/views";
import type { Scale } from "../drawing/colour";
import { isLong } from "../drawing/fit";
import { type Layers, type Over, PLAIN, scaleOf, type Tile } from "./tile";

const span = (lines: number[]) => lines[lines.length - 1]! - lines[0]!;

/** Whether a picture is stretched: as it was kept, else where the vessel is long. */
export const stretches = (picture: PictureView | null | undefined, { x, y }: Pick<FramesView, "x" | "y">) =>
  picture?.stretched ?? isLong(span(x), span(y));

export const OF_CASE = "case"; // the one on the case's card

const NAMES = ["smooth", "lines", "stream", "arrows", "walls", "points"] as const;

/** The frame a kept picture shows: the nearest along its stage, the last one where it says none. */
export function frameOf(
  picture: Pick<PictureView, "stage" | "at"> | null | undefined,
  frames: FramesView["frames"],
): number {
  const last = frames.length - 1;
  if (!picture || last < 0) return last;
  const stage = picture.stage || frames[last]!.stage;
  const mine = frames.flatMap((f, k) => (f.stage === stage ? [k] : []));
  if (!mine.length) return last;
  const at = picture.at;
  if (at === null) return mine[mine.length - 1]!;
  const away = (k: number) => Math.abs(frames[k]!.value - at);
  return mine.reduce((best, k) => (away(k) < away(best) ? k : best));
}

const keptScale = (p: PictureView): Partial<Scale> => ({
  ...(p.low === null ? {} : { low: p.low }),
  ...(p.high === null ? {} : { high: p.high }),
  ...(p.steps === 256 ? {} : { steps: p.steps }),
  ...(p.reversed ? { reversed: true } : {}),
  ...(p.log ? { log: true } : {}),
});

/** A kept picture as Read shows it. */
export function tileOf(p: PictureView, id: number): Tile {
  const on = Object.fromEntries(NAMES.map((n) => [n, p.layers.includes(n)])) as Record<
    (typeof NAMES)[number],
    boolean
  >;
  const layers: Layers = { ...PLAIN, ...on };
  return {
    id,
    name: p.field,
    over: p.over as Over,
    layers,
    vector: p.vector,
    flux: p.flux,
    kept: keptScale(p),
  };
}

/** The scale of a kept picture; by the range of the run where it has no ends of its own. */
export const scaleOfPicture = (p: PictureView, info: FramesView["fields"][string] | undefined): Scale =>
  scaleOf(info, keptScale(p));

/** Takes away what a picture kept under the same name had. */
export const NOTHING: Record<Exclude<keyof PictureView, "field" | "label" | "unit" | "centred">, null> = {
  over: null,
  stage: null,
  at: null,
  low: null,
  high: null,
  steps: null,
  reversed: null,
  log: null,
  stretched: null,
  layers: null,
  vector: null,
  flux: null,
};

/** What is seen, as an entry of the case file; what is as it would be anyway is left out. */
export function pictureOf(
  tile: Tile,
  at: number,
  kept: Partial<Scale>,
  stretched: boolean,
  long: boolean,
  frames: FramesView,
): Record<string, unknown> {
  const last = frames.frames.length - 1,
    frame = frames.frames[Math.min(at, last)]!,
    own = frames.frames.filter((f) => f.stage === frame.stage);
  const unit = frames.fields[tile.name]?.unit ?? "";
  const typed = (v: number, u: string) => `${v}${u ? ` ${u}` : ""}`;
  const layers = NAMES.filter((n) => tile.layers[n]);
  const axis = frames.axes[frame.stage]?.unit ?? "";
  return {
    field: tile.name,
    ...(tile.over === "frame" ? {} : { over: tile.over }),
    ...(frame.stage === frames.frames[last]!.stage ? {} : { stage: frame.stage }),
    ...(frame.id === own[own.length - 1]!.id ? {} : { at: typed(frame.shown, axis) }),
    ...(kept.low === undefined ? {} : { low: typed(kept.low, unit) }),
    ...(kept.high === undefined ? {} : { high: typed(kept.high, unit) }),
    ...(kept.steps === undefined || kept.steps === 256 ? {} : { steps: kept.steps }),
    ...(kept.reversed ? { reversed: true } : {}),
    ...(kept.log ? { log: true } : {}),
    ...(stretched === long ? {} : { stretched }),
    ...(layers.length ? { layers } : {}),
    ...(tile.vector ? { vector: tile.vector } : {}),
    ...(tile.flux ? { flux: tile.flux } : {}),
  };
}
