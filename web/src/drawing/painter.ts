/** Painting fields of graded grids onto a canvas. */
import { lookup, type Scale } from "./colour";

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

export interface Picture { values: Float32Array; rows: number; columns: number; x: ArrayLike<number>; y: ArrayLike<number> }

/** Paint the whole picture into a width x height image, y upwards; closed cells stay clear. */
export function paint(picture: Picture, scale: Scale, width: number, height: number): ImageData {
  const image = new ImageData(width, height);
  const { x, y, values, columns } = picture;
  const across = cellsUnder(x, width, x[0]!, x[x.length - 1]!);
  const up = cellsUnder(y, height, y[0]!, y[y.length - 1]!);
  const table = lookup(scale);
  const factor = scale.high > scale.low ? 511 / (scale.high - scale.low) : 0;
  const data = image.data;
  for (let p = 0; p < height; p++) {
    const row = up[height - 1 - p]!;
    if (row < 0) continue;
    let at = p * width * 4;
    for (let q = 0; q < width; q++, at += 4) {
      const column = across[q]!;
      const value = column < 0 ? NaN : values[row * columns + column]!;
      if (value !== value) continue;
      const t = factor ? (value - scale.low) * factor : 255;
      const i = (t < 0 ? 0 : t > 511 ? 511 : Math.round(t)) * 3;
      data[at] = table[i]!;
      data[at + 1] = table[i + 1]!;
      data[at + 2] = table[i + 2]!;
      data[at + 3] = 255;
    }
  }
  return image;
}
