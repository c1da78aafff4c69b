import type { PhenomenonView } from "../client/views";

/** Members, or pairs of them, as a case file lists them: name -> values. */
type Listed = Record<string, Record<string, unknown>>;
export const listed = (given: Record<string, unknown>, key: string) => (given[key] ?? {}) as Listed;

/** Names of the pairs of members that have settings together, as a case file lists them. */
export function pairsOf(
  p: PhenomenonView,
  pairing: PhenomenonView["pairings"][number],
  given: Record<string, unknown>,
): string[] {
  const [first, second] = pairing.kinds.map((kind) =>
    p.member_kinds.filter((k) => k.name === kind).flatMap((k) => Object.keys(listed(given, k.key))),
  ) as [string[], string[]];
  return pairing.kinds[0] === pairing.kinds[1]
    ? first.flatMap((a, n) => first.slice(n + 1).map((b) => `${a}-${b}`))
    : first.flatMap((a) => second.map((b) => `${a}-${b}`));
}

const plain = (text: string) => text.replace(/_/g, " ").toLowerCase();

/** Whether every word of what is looked for is named in some words. */
export function meets(find: string, ...words: unknown[]): boolean {
  const told = plain(words.join(" "));
  return plain(find)
    .split(/\s+/)
    .every((w) => told.includes(w));
}
