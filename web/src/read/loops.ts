import type { AgainstView } from "../client/views";

type Values = (number | null | undefined)[];

/** Lines over rising places, one for each way up and down: one ink for each curve. */
export function loopsOf(
  curves: { told: Pick<AgainstView, "x" | "y" | "legs" | "round">; label: string }[],
  newest: boolean,
): { x: number[]; lines: { label: string; values: Values; ink: number }[] } {
  const found = curves.flatMap(({ told, label }, ink) => {
    const from = newest && told.round !== null ? Math.max(told.round - 1, 0) : 0;
    return told.legs
      .filter((leg) => leg.last > from)
      .map((leg) => {
        const at = new Map<number, number | null>();
        for (let k = Math.max(leg.first, from); k <= leg.last; k++)
          if (told.x[k] !== null && told.x[k] !== undefined) at.set(told.x[k]!, told.y[k] ?? null);
        return { label, ink, at };
      });
  });
  const x = [...new Set(found.flatMap((f) => [...f.at.keys()]))].sort((a, b) => a - b);
  return {
    x,
    lines: found.map((f) => ({ label: f.label, ink: f.ink, values: x.map((p) => f.at.get(p)) })),
  };
}

/** The same lines one on top of the other, where each goes one way only; null where one does not. */
export function stackOf(drawn: ReturnType<typeof loopsOf>): ReturnType<typeof loopsOf>["lines"] | null {
  if (drawn.lines.length < 2 || new Set(drawn.lines.map((l) => l.ink)).size < drawn.lines.length) return null;
  let below: Values = drawn.x.map(() => 0);
  return drawn.lines.map((line) => {
    below = line.values.map((v, k) =>
      v === null || v === undefined || below[k] == null ? null : below[k]! + v,
    );
    return { ...line, values: below };
  });
}
