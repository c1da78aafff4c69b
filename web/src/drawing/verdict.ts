import { show } from "./number";

/** Solved over paper, in words, and how they look. */
export function verdict(ratio: number): [string, string] {
  if (ratio >= 0.83 && ratio <= 1.2) return ["agrees", "text-verdigris"];
  return ratio >= 0.5 && ratio <= 2
    ? ["worth a look", "text-copper"]
    : ["doubt one of them", "text-copper font-semibold"];
}

/** What was measured: "7 to 8". */
export const range = (m: [number, number]) =>
  m[0] === m[1] ? show(m[0], 4) : `${show(m[0], 4)} to ${show(m[1], 4)}`;

/** A solved value against what was measured: inside the range, or by how much beyond its nearer end. */
export function against(solved: number, [low, high]: [number, number]): string {
  if (solved >= low && solved <= high && low !== high) return "within";
  const end = Math.abs(solved - low) < Math.abs(solved - high) ? low : high;
  if (end === 0) return solved === 0 ? "equal" : solved > 0 ? "above" : "below";
  const by = ((solved - end) / Math.abs(end)) * 100;
  return Math.abs(by) < 0.05 ? "equal" : `${show(Math.abs(by), 2)} % ${by > 0 ? "above" : "below"}`;
}
