/** Colour scales made in OKLab so that lightness rises evenly. */
export type Rgb = [number, number, number];

function oklch(lightness: number, chroma: number, hue: number): Rgb {
  const a = chroma * Math.cos((hue * Math.PI) / 180);
  const b = chroma * Math.sin((hue * Math.PI) / 180);
  const l = (lightness + 0.3963377774 * a + 0.2158037573 * b) ** 3;
  const m = (lightness - 0.1055613458 * a - 0.0638541728 * b) ** 3;
  const s = (lightness - 0.0894841775 * a - 1.291485548 * b) ** 3;
  const gamma = (v: number) => {
    const c = Math.min(1, Math.max(0, v));
    return Math.round(255 * (c <= 0.0031308 ? 12.92 * c : 1.055 * c ** (1 / 2.4) - 0.055));
  };
  return [
    gamma(4.0767416621 * l - 3.3077115913 * m + 0.2309699292 * s),
    gamma(-1.2684380046 * l + 2.6097574011 * m - 0.3413193965 * s),
    gamma(-0.0041960863 * l - 0.7034186147 * m + 1.707614701 * s),
  ];
}

/** Soot to copper to cream, for amounts. */
export const amount = (t: number): Rgb =>
  oklch(0.2 + 0.75 * t, 0.014 + 0.118 * Math.sin(Math.PI * t ** 0.88) ** 1.15, 26 + 62 * t);

/** Verdigris to pale to copper, for differences about zero. */
export const difference = (t: number): Rgb => {
  const s = Math.abs(2 * t - 1);
  return oklch(0.95 - 0.53 * s, 0.012 + 0.105 * s ** 0.9, t < 0.5 ? 178 - 26 * (1 - s) : 48 + 46 * (1 - s));
};

export interface Scale {
  low: number;
  high: number;
  steps: number;
  reversed: boolean;
  centred: boolean;
  log?: boolean;
}

/** Whether a scale can be, and is, logarithmic: both ends above zero. */
export const isLog = (scale: Scale) => !!scale.log && scale.low > 0 && scale.high > scale.low;

const TAIL = 0.02; // of the values lie beyond either end of a scale that nobody chose

/** The ends between which almost all values lie: few very large ones do not leave the rest dark. */
export function mostOf(values: ArrayLike<number>): [number, number] | null {
  const known = Float32Array.from(Array.from(values).filter((v) => v === v)).sort();
  if (!known.length) return null;
  const at = (share: number) => known[Math.round(share * (known.length - 1))]!;
  const [low, high] = [at(TAIL), at(1 - TAIL)];
  return high > low ? [low, high] : [known[0]!, known[known.length - 1]!];
}

/** The share of the scale (0 to 1) a value falls on, before steps. */
export function share(value: number, scale: Scale): number {
  if (isLog(scale))
    return value > 0
      ? Math.min(1, Math.max(0, Math.log(value / scale.low) / Math.log(scale.high / scale.low)))
      : 0;
  const span = scale.high - scale.low;
  return span > 0 ? Math.min(1, Math.max(0, (value - scale.low) / span)) : 0.5;
}

/** The value at a share of the scale. */
export function valueAt(t: number, scale: Scale): number {
  return isLog(scale) ? scale.low * (scale.high / scale.low) ** t : scale.low + t * (scale.high - scale.low);
}

export const COLOURS = 512;

/** The colour at a share of the scale, with steps and direction applied. */
function at(t: number, scale: Scale): Rgb {
  const stepped =
    scale.steps < 256
      ? Math.min(scale.steps - 1, Math.floor(t * scale.steps)) / Math.max(1, scale.steps - 1)
      : t;
  return (scale.centred ? difference : amount)(scale.reversed ? 1 - stepped : stepped);
}

const REMEMBERED = 8;
const palettes = new Map<string, Uint32Array>();

/** 512 colours as 32-bit pixels (alpha, blue, green, red); the newest few are remembered. */
export function palette(scale: Scale): Uint32Array {
  const key = `${scale.steps} ${scale.reversed} ${scale.centred}`;
  let table = palettes.get(key);
  if (!table) {
    table = Uint32Array.from({ length: COLOURS }, (_, i) => {
      const [r, g, b] = at(i / (COLOURS - 1), scale);
      return ((255 << 24) | (b << 16) | (g << 8) | r) >>> 0;
    });
    palettes.set(key, table);
    if (palettes.size > REMEMBERED) palettes.delete(palettes.keys().next().value!);
  }
  return table;
}

export function css(t: number, scale: Scale): string {
  const c = palette(scale)[Math.round((COLOURS - 1) * Math.min(1, Math.max(0, t)))]!;
  return `rgb(${c & 255},${(c >> 8) & 255},${(c >> 16) & 255})`;
}
