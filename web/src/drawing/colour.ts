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

export interface Scale { low: number; high: number; steps: number; reversed: boolean; centred: boolean }

/** The share of the scale (0 to 1) a value falls on, before steps. */
export function share(value: number, scale: Scale): number {
  const span = scale.high - scale.low;
  return span > 0 ? Math.min(1, Math.max(0, (value - scale.low) / span)) : 0.5;
}

/** 512 colours with steps and direction applied. */
export function lookup(scale: Scale): Uint8Array {
  const table = new Uint8Array(512 * 3);
  for (let i = 0; i < 512; i++) {
    let t = i / 511;
    if (scale.steps < 256) t = Math.min(scale.steps - 1, Math.floor(t * scale.steps)) / Math.max(1, scale.steps - 1);
    if (scale.reversed) t = 1 - t;
    table.set((scale.centred ? difference : amount)(t), i * 3);
  }
  return table;
}

export function css(t: number, scale: Scale): string {
  const table = lookup(scale);
  const i = Math.round(511 * Math.min(1, Math.max(0, t))) * 3;
  return `rgb(${table[i]},${table[i + 1]},${table[i + 2]})`;
}
