/** Numbers as they are shown: true minus, no more digits than they carry. */
export function show(value: number | null | undefined, digits = 4): string {
  if (value === null || value === undefined || !Number.isFinite(value)) return "–";
  if (value === 0) return "0";
  const size = Math.abs(value);
  const text =
    size >= 1e5 || size < 1e-3
      ? value.toExponential(Math.max(0, digits - 1))
      : String(Number(value.toPrecision(digits)));
  return text.replace(/-/g, "−").replace("e+", "e");
}

/** Seconds in words: "8 s", "3 min", "1.5 h". */
export function span(seconds: number): string {
  if (seconds < 90) return `${Math.max(1, Math.round(seconds))} s`;
  if (seconds < 5400) return `${Math.round(seconds / 60)} min`;
  return `${(seconds / 3600).toFixed(1)} h`;
}

/** As many digits as tell neighbouring ticks apart. */
export function digits(splits: (number | null)[]): number {
  const known = splits.filter((v): v is number => v !== null && v !== 0),
    top = Math.max(...known.map(Math.abs));
  const step = Math.min(
    ...known
      .slice(1)
      .map((v, k) => Math.abs(v - known[k]!))
      .filter((d) => d > 0),
  );
  return Number.isFinite(step) && step > 0
    ? Math.min(9, Math.max(3, Math.ceil(Math.log10(top / step) - 1e-9) + 1))
    : 3;
}

/** About five round numbers between low and high. */
export function ticks(low: number, high: number, count = 5): number[] {
  if (!(high - low > 1e-12 * Math.max(Math.abs(low), Math.abs(high)))) return [low]; // nothing between them can be told apart
  const raw = (high - low) / count;
  const power = 10 ** Math.floor(Math.log10(raw));
  const step = [1, 2, 2.5, 5, 10].map((s) => s * power).find((s) => s >= raw) ?? raw;
  const found: number[] = [];
  for (let v = Math.ceil(low / step - 1e-9) * step; v <= high + 1e-9 * step; v += step)
    found.push(Math.abs(v) < 1e-12 * step ? 0 : v);
  return found;
}

/** Powers of ten, and where those are few their doubles and fives, between low and high. */
export function logTicks(low: number, high: number): number[] {
  if (!(low > 0 && high > low)) return [];
  const decades = Math.log10(high / low),
    within = decades > 3 ? [1] : decades > 1.2 ? [1, 2, 5] : [1, 1.5, 2, 3, 5, 7];
  const stride = Math.max(1, Math.ceil(decades / 7)),
    found: number[] = [];
  for (let k = Math.floor(Math.log10(low)); k <= Math.ceil(Math.log10(high)); k++) {
    if (k % stride) continue;
    for (const m of within) {
      const v = m * 10 ** k;
      if (v >= low * (1 - 1e-9) && v <= high * (1 + 1e-9)) found.push(v);
    }
  }
  return found;
}
