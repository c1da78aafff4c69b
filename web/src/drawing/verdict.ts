/** Solved over paper, in words, and how they look. */
export function verdict(ratio: number): [string, string] {
  if (ratio >= 0.83 && ratio <= 1.2) return ["agrees", "text-verdigris"];
  return ratio >= 0.5 && ratio <= 2 ? ["worth a look", "text-copper"] : ["doubt one of them", "text-copper font-semibold"];
}
