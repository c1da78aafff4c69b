/** Painting fields of graded grids onto a canvas. */
import { COLOURS, isLog, palette, type Scale } from "./colour";

/** Index of the cell under each pixel centre along one direction; -1 outside. */
export function cellsUnder(nodes: ArrayLike<number>, pixels: number, low: number, high: number): Int32Array {
  const found = new Int32Array(pixels).fill(-1);
  let k = 0;
  for (let p = 0; p < pixels; p++) {
    const at = low + ((p + 0.5) / pixels) * (high - low);
    while (k < nodes.length - 2 && at >= nodes[k + 1]!) k++;
    if (at >= nodes[0]! && at <= nodes[nodes.length - 1]!) found[p] = k;
  }
  return found;
}

/** Even cells, for thumbnails. */
export function evenNodes(count: number, low: number, high: number): Float64Array {
  return Float64Array.from({ length: count + 1 }, (_, i) => low + (i / count) * (high - low));
}

export interface Picture {
  values: Float32Array;
  rows: number;
  columns: number;
  x: ArrayLike<number>;
  y: ArrayLike<number>;
}

/** What of a sheet a picture shows: the place of its left, bottom, right and top end. */
export type Window = [number, number, number, number];

/** For each pixel of a direction the two cells whose middles it lies between, and how far. */
function between(nodes: ArrayLike<number>, cells: Int32Array, pixels: number, low: number, high: number) {
  const other = new Int32Array(pixels),
    part = new Float32Array(pixels),
    last = nodes.length - 2;
  const middle = (k: number) => 0.5 * (nodes[k]! + nodes[k + 1]!);
  for (let p = 0; p < pixels; p++) {
    const k = cells[p]!;
    if (k < 0) continue;
    const at = low + ((p + 0.5) / pixels) * (high - low);
    const next = Math.min(last, Math.max(0, at >= middle(k) ? k + 1 : k - 1));
    other[p] = next;
    part[p] = next === k ? 0 : Math.abs((at - middle(k)) / (middle(next) - middle(k)));
  }
  return { other, part };
}

/** Paint the whole grid into a width x height image, y upwards; closed cells stay clear. */
export function paint(picture: Picture, scale: Scale, width: number, height: number): ImageData {
  const image = new ImageData(width, height);
  pixels(picture, scale, width, height, new Uint32Array(image.data.buffer));
  return image;
}

/** The same into 32-bit pixels. `seen` is the whole grid unless told; smooth goes evenly from middle
 * to middle, else every cell is flat. */
export function pixels(
  picture: Picture,
  scale: Scale,
  width: number,
  height: number,
  out: Uint32Array,
  seen?: Window,
  smooth = false,
): void {
  const { x, y, values, columns } = picture;
  const [x0, y0, x1, y1] = seen ?? [x[0]!, y[0]!, x[x.length - 1]!, y[y.length - 1]!];
  const across = cellsUnder(x, width, x0, x1),
    up = cellsUnder(y, height, y0, y1);
  const side = smooth ? between(x, across, width, x0, x1) : null,
    rise = smooth ? between(y, up, height, y0, y1) : null;
  const colours = palette(scale),
    log = isLog(scale),
    last = COLOURS - 1;
  const low = log ? Math.log(scale.low) : scale.low,
    high = log ? Math.log(scale.high) : scale.high;
  const factor = high > low ? last / (high - low) : 0,
    shift = factor ? -low * factor + 0.5 : last / 2;
  if (!smooth && !log) {
    flat(values, columns, across, up, width, height, colours, factor, shift, out);
    return;
  }
  for (let p = 0; p < height; p++) {
    const row = up[height - 1 - p]!;
    if (row < 0) continue;
    const from = row * columns,
      beside = rise ? rise.other[height - 1 - p]! * columns : 0,
      s = rise ? rise.part[height - 1 - p]! : 0;
    for (let q = 0, at = p * width; q < width; q++, at++) {
      const column = across[q]!;
      let value = column < 0 ? NaN : values[from + column]!;
      if (value !== value) continue;
      if (side && rise) {
        const k = side.other[q]!,
          t = side.part[q]!;
        const b = values[from + k]!,
          c = values[beside + column]!,
          d = values[beside + k]!;
        const own = b === b ? value + t * (b - value) : value;
        const far = c === c ? (d === d ? c + t * (d - c) : c) : d === d ? d : own;
        value = own + s * (far - own);
      }
      if (log) value = value > 0 ? Math.log(value) : low;
      const t = factor ? (value - low) * factor : last / 2;
      out[at] = colours[t < 0 ? 0 : t > last ? last : Math.round(t)]!;
    }
  }
}

/** Flat cells on an even scale: the quick way, which is most of playing. Rows of one row of cells are copies. */
function flat(
  values: Float32Array,
  columns: number,
  across: Int32Array,
  up: Int32Array,
  width: number,
  height: number,
  colours: Uint32Array,
  factor: number,
  shift: number,
  out: Uint32Array,
): void {
  const last = COLOURS - 1;
  let first = 0,
    end = width;
  while (first < end && across[first]! < 0) first++;
  while (end > first && across[end - 1]! < 0) end--;
  for (let p = 0; p < height; p++) {
    const row = up[height - 1 - p]!,
      start = p * width;
    if (row < 0) continue;
    if (p > 0 && row === up[height - p]) {
      out.copyWithin(start, start - width, start);
      continue;
    }
    const from = row * columns;
    for (let q = first; q < end; q++) {
      const value = values[from + across[q]!]!;
      if (value !== value) continue;
      const t = value * factor + shift;
      out[start + q] = colours[t <= 0 ? 0 : t >= last ? last : t | 0]!;
    }
  }
}
