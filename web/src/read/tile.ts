/** One picture of Read: its field, its layers, its scale. */
import type { FramesView } from "../client/views";
import type { Scale } from "../drawing/colour";

export const OVER = {
  frame: "this frame",
  mean: "mean over time",
  low: "lowest over time",
  high: "highest over time",
  deviation: "deviation over time",
};
export type Over = keyof typeof OVER;
export interface Layers {
  lines: boolean;
  stream: boolean;
  arrows: boolean;
  walls: boolean;
  points: boolean;
  smooth: boolean;
  opacity: number;
}
export interface Tile {
  id: number;
  name: string;
  over: Over;
  layers: Layers;
  vector: string; // that lines along a stream and arrows are of; "" is the first one
  flux: string; // a quantity: edges show what of it passes them; "" is the field beside them
  kept: Partial<Scale>;
}
export const PLAIN: Layers = {
  lines: false,
  stream: false,
  arrows: false,
  walls: false,
  points: true,
  smooth: false,
  opacity: 1,
};

/** The scale of a field: of its whole run, then what was set for it. */
export function scaleOf(
  info: Pick<FramesView["fields"][string], "range" | "centred"> | undefined,
  kept: Partial<Scale>,
  ends?: [number, number] | null,
): Scale {
  const [least, high] = ends ?? info?.range ?? [0, 1];
  const low = Math.abs(least) < 1e-9 * Math.abs(high) ? 0 : least; // round-off is no range
  const top = Math.max(Math.abs(low), Math.abs(high)),
    centred = !!info?.centred && !ends;
  const own = centred
    ? { low: -top, high: top }
    : { low, high: high > low ? high : low + (Math.abs(low) || 1) * 1e-3 };
  return { ...own, steps: 256, reversed: false, centred, log: false, ...kept };
}
