/** A curve that goes up and down again: one line for each way, over rising places; undefined where
 * only another way has a place, so that the line goes on. */
export function legsOf(
  label: string,
  x: number[],
  y: (number | null)[],
): { x: number[]; lines: { label: string; values: (number | null | undefined)[] }[] } {
  const turns = [0];
  let way = 0;
  for (let k = 1; k < x.length; k++) {
    const now = Math.sign(x[k]! - x[k - 1]!);
    if (now && way && now !== way) turns.push(k - 1);
    way = now || way;
  }
  if (turns.length === 1 && way >= 0) return { x, lines: [{ label, values: y }] };
  const places = [...new Set(x)].sort((a, b) => a - b);
  const lines = turns.map((from, n) => {
    const to = turns[n + 1] ?? x.length - 1,
      mine = new Map<number, number | null>();
    for (let k = from; k <= to; k++) mine.set(x[k]!, y[k]!);
    const up = x[to]! >= x[from]!;
    const words =
      turns.length === 1 ? label : `${label}, ${up ? "up" : "down"}${turns.length > 2 ? ` ${n + 1}` : ""}`;
    return { label: words, values: places.map((p) => mine.get(p)) };
  });
  return { x: places, lines };
}

/** "time, s" or "cell voltage, V". */
export const axisOf = ({ name, unit }: { name: string; unit: string }) =>
  `${name.replace(/_/g, " ")}${unit ? `, ${unit}` : ""}`;
