/** Tables in time: typed rows, and rows made for common shapes. */
export type Row = [string, string];

/** Rows as pasted from a spreadsheet or typed: time and value, parted by tab, semicolon, comma or wide space. */
export function rowsOf(text: string, unit: string): Row[] {
  return text
    .split(/\r?\n/)
    .map((l) => l.trim())
    .filter(Boolean)
    .map((line) => {
      const parts = line
        .split(/\t|;|,|\s{2,}/)
        .map((p) => p.trim())
        .filter(Boolean);
      const cells =
        parts.length === 1 ? (/^(\S+(?:\s(?:s|ms|min|h))?)\s+(.+)$/.exec(line)?.slice(1) ?? parts) : parts;
      return [withUnit(cells[0] ?? "", "s"), withUnit(cells[1] ?? "", unit)] as Row;
    });
}

const withUnit = (text: string, unit: string) =>
  /^-?[\d.]+(e[-+]?\d+)?$/i.test(text) && unit ? `${text} ${unit}` : text;

export const textOf = (rows: unknown[][]): string => rows.map((r) => r.map(String).join("\t")).join("\n");

export const WAVES = ["ramp", "triangle", "sine", "pulse", "breath"] as const;
export type Wave = (typeof WAVES)[number];
export interface Shape {
  wave: Wave;
  low: number;
  high: number;
  begin: number;
  period: number;
  times: number;
  unit: string;
}

const SMOOTH = 24; // rows per period of what is round

/** Rows of a shape between low and high (in `unit`), from `begin` (s), each period long. */
export function made({ wave, low, high, begin, period, times, unit }: Shape): Row[] {
  const rows: [number, number][] = [];
  const at = (t: number, share: number) => rows.push([begin + t, low + share * (high - low)]);
  const count = wave === "ramp" ? 1 : Math.max(1, Math.round(times));
  if (begin > 0) rows.push([0, wave === "sine" ? (low + high) / 2 : low]);
  for (let k = 0; k < count; k++) {
    const t = k * period;
    if (wave === "ramp") {
      at(0, 0);
      at(period, 1);
    }
    if (wave === "triangle") {
      at(t, 0);
      at(t + period / 2, 1);
    }
    if (wave === "pulse") {
      at(t, 0);
      at(t + 0.02 * period, 1);
      at(t + 0.5 * period, 1);
      at(t + 0.52 * period, 0);
    }
    if (wave === "sine")
      for (let m = 0; m < SMOOTH; m++)
        at(t + (m * period) / SMOOTH, 0.5 + 0.5 * Math.sin((2 * Math.PI * m) / SMOOTH));
    // in for two fifths of the period, out for half of it, a rest (common practice for a quiet adult)
    if (wave === "breath")
      for (let m = 0; m < SMOOTH; m++) {
        const s = m / SMOOTH;
        at(
          t + s * period,
          s < 0.4
            ? 0.5 + 0.5 * Math.sin((Math.PI * s) / 0.4)
            : s < 0.9
              ? 0.5 - 0.5 * Math.sin((Math.PI * (s - 0.4)) / 0.5) * 0.8
              : 0.5,
        );
      }
  }
  if (wave !== "ramp")
    rows.push([begin + count * period, wave === "sine" || wave === "breath" ? (low + high) / 2 : low]);
  return rows
    .filter((r, k) => k === 0 || r[0] > rows[k - 1]![0])
    .map(([t, v]) => [`${tidy(t)} s`, `${tidy(v)} ${unit}`.trim()]);
}

const tidy = (v: number) => Number(v.toPrecision(6));
