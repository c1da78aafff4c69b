/** What the shelf shows, in which order: found by words, filtered, sorted, in groups, in rows. */
import type { ShelfCard } from "../client/views";
import { meets } from "../set/values";

export const SORTS = {
  touched: "changed last",
  name: "by name",
  runs: "most runs",
  open: "most to settle",
} as const;
export type Sort = keyof typeof SORTS;

/** Cases that hold every word, in their name, summary or phenomena, and the phenomenon asked for. */
export function found(cards: ShelfCard[], text: string, phenomenon: string, sort: Sort): ShelfCard[] {
  const kept = cards.filter(
    (c) =>
      (!phenomenon || c.phenomena.includes(phenomenon)) && meets(text, c.name, c.summary, ...c.phenomena),
  );
  const by: Record<Sort, (a: ShelfCard, b: ShelfCard) => number> = {
    touched: (a, b) => b.touched - a.touched,
    name: (a, b) => a.name.localeCompare(b.name, undefined, { numeric: true }),
    runs: (a, b) => b.runs - a.runs,
    open: (a, b) => b.missing - a.missing,
  };
  return kept.sort(by[sort]);
}

/** Phenomena of any case, the most used first, with how many cases use each. */
export function phenomenaOf(cards: ShelfCard[]): [string, number][] {
  const count = new Map<string, number>();
  for (const c of cards) for (const p of c.phenomena) count.set(p, (count.get(p) ?? 0) + 1);
  return [...count].sort((a, b) => b[1] - a[1] || a[0].localeCompare(b[0]));
}

export type Row = { heading: string; count: number; folded: boolean } | { cards: ShelfCard[]; first: number };

/** Rows of at most `across` cards below the headings of their groups; one group needs no heading. */
export function rowsOf(cards: ShelfCard[], across: number, folded: readonly string[]): Row[] {
  const groups: [string, ShelfCard[]][] = [
    ["Mine", cards.filter((c) => !c.demo)],
    ["Demo", cards.filter((c) => c.demo)],
  ];
  const there = groups.filter(([, mine]) => mine.length > 0);
  const rows: Row[] = [];
  let first = 0;
  for (const [heading, mine] of there) {
    const shut = there.length > 1 && folded.includes(heading);
    if (there.length > 1) rows.push({ heading, count: mine.length, folded: shut });
    if (shut) continue;
    for (let k = 0; k < mine.length; k += across) {
      const part = mine.slice(k, k + across);
      rows.push({ cards: part, first });
      first += part.length;
    }
  }
  return rows;
}

/** The case that keys lead to from the one at `at`: `across` sideways, `down` to the row below. */
export function moved(rows: Row[], at: number, across: number, down: number): number {
  const lines = rows.flatMap((r) => ("cards" in r ? [r] : []));
  const last = lines[lines.length - 1];
  if (!last) return -1;
  const end = last.first + last.cards.length - 1;
  if (at < 0) return across > 1 ? end : 0;
  if (across) return Math.min(end, Math.max(0, at + across));
  const row = lines.findIndex((r) => at < r.first + r.cards.length),
    to = lines[Math.min(lines.length - 1, Math.max(0, row + down))]!;
  return to.first + Math.min(at - lines[row]!.first, to.cards.length - 1);
}
