/** Values that a series applies, as typed: from a range, up and down again, and as numbers to be drawn. */

const NUMBER = /^\s*(-?\d*\.?\d+(?:e[-+]?\d+)?)\s*(.*)$/i;

/** "1.5 V" as a number and its unit; null for a formula. */
export function partsOf(text: string): { number: number; unit: string } | null {
  const found = NUMBER.exec(text);
  return found && !/[+*(]|\s-|^-|\s\/|^\//.test(found[2]!)
    ? { number: Number(found[1]), unit: found[2]!.trim() }
    : null;
}

const neat = (v: number) => String(Number(v.toPrecision(8)));

/** `count` values from one to another, both included; `back` goes down again without saying the top
 * twice. Null where an end is no number, units differ or there are too few. */
export function ranged(from: string, to: string, count: number, back: boolean): string[] | null {
  const [a, b] = [partsOf(from), partsOf(to)];
  if (!a || !b || (a.unit && b.unit && a.unit !== b.unit) || !Number.isInteger(count) || count < 2)
    return null;
  const unit = a.unit || b.unit;
  const up = Array.from({ length: count }, (_, k) => a.number + ((b.number - a.number) * k) / (count - 1));
  const all = back ? [...up, ...up.slice(0, -1).reverse()] : up;
  return all.map((v) => `${neat(v)} ${unit}`.trim());
}

/** A list as typed, with commas between. */
export const listOf = (text: string) =>
  text
    .split(",")
    .map((v) => v.trim())
    .filter(Boolean);

/** What a list applies one after the other; null where a formula or several units stand in it. */
export function appliedOf(values: unknown[]): { values: number[]; unit: string } | null {
  const parts = values.map((v) => (typeof v === "number" ? { number: v, unit: "" } : partsOf(String(v))));
  const units = new Set(parts.map((p) => p?.unit));
  return parts.length && parts.every(Boolean) && units.size === 1
    ? { values: parts.map((p) => p!.number), unit: parts[0]!.unit }
    : null;
}
