/** What the finder reaches: entries made of the open case, and which of them are meant. */
import type { CaseView, ProofView, RunView, ShelfCard, SumView } from "../client/views";
import type { Action } from "./actions";

/** Where an entry leads. `at` is where in the case file a value stands. */
export type Way =
  | { to: "place"; place: string; column?: string }
  | { to: "values"; section: string; at: string }
  | { to: "tab"; tab: "stages" | "readouts" | "vessel"; at: string }
  | { to: "part"; part: string }
  | { to: "field"; name: string }
  | { to: "instrument"; tab: string }
  | { to: "sum"; text: string }
  | { to: "proof"; name: string }
  | { to: "board" }
  | { to: "case"; id: string }
  | { to: "run"; id: string; frames: number }
  | { to: "screen"; screen: "shelf" | "set" | "fire" | "read" }
  | { to: "action"; action: Action }
  | { to: "theme" };

export interface Entry {
  words: string;
  note: string;
  more?: string; // other words for it
  after?: boolean; // behind what belongs to the case
  way: Way;
}

/** Words that people type for each other. */
const ALIKE = [
  ["viscosity", "mu", "thick", "rheology"],
  ["density", "rho", "weight", "heavy"],
  ["temperature", "heat", "warm", "hot", "thermal"],
  ["conductivity", "lambda", "conduction"],
  ["heat_capacity", "heat capacity", "cp", "specific heat"],
  ["diffusivity", "diffusion", "spreading", "d"],
  ["speed", "velocity", "flow rate", "u"],
  ["pressure", "p", "head", "drop"],
  ["inlet", "inflow", "feed", "entry", "supply", "in"],
  ["outlet", "outflow", "exit", "drain", "out"],
  ["wall", "no slip", "side"],
  ["species", "solute", "concentration", "component"],
  ["reaction", "rate", "kinetics", "chemistry"],
  ["gravity", "g", "buoyancy"],
  ["grid", "mesh", "cells", "resolution", "cell size"],
  ["stage", "transient", "steady", "time", "duration", "until"],
  ["series", "sweep", "curve", "ramp"],
  ["section", "profile", "line", "cut"],
  ["box", "integral", "average", "volume"],
  ["history", "spectrum", "residence time", "frequency"],
  ["edge", "flux", "wall"],
  ["parameters", "variables", "constants"],
  ["readout", "result", "output", "number"],
  ["taste", "preview", "quick", "coarse"],
  ["fire", "run", "solve", "start", "compute"],
  ["board", "phenomena", "physics", "models"],
  ["undo", "back", "revert"],
];

const plain = (text: string) => text.replace(/_/g, " ").toLowerCase();
const words = (text: string) =>
  plain(text)
    .split(/[^a-z0-9+]+/)
    .filter(Boolean);

/** Other words for those of a text. */
export function alike(text: string): string {
  const mine = plain(text);
  return ALIKE.filter((set) => set.some((w) => w.length > 2 && mine.includes(w)))
    .flat()
    .join(" ");
}

/** How well an entry answers what was typed: more is better, 0 is not at all. */
export function score(entry: Entry, typed: string): number {
  const asked = words(typed);
  if (!asked.length) return 1;
  const own = words(entry.words),
    note = words(`${entry.note} ${entry.more ?? ""}`),
    other = words(alike(`${entry.words} ${entry.more ?? ""}`));
  let sum = 0;
  for (const w of asked) {
    const best = own.includes(w)
      ? 10
      : own.some((o) => o.startsWith(w))
        ? 8
        : w.length > 2 && own.some((o) => o.includes(w))
          ? 5
          : note.some((o) => o.startsWith(w))
            ? 4
            : other.includes(w) || (w.length > 2 && other.some((o) => o.startsWith(w)))
              ? 3
              : 0;
    if (!best) return 0;
    sum += best;
  }
  const told = sum + (own[0] === asked[0] ? 2 : 0) - 0.05 * own.length;
  return entry.after ? 0.4 * told : told;
}

/** The best answers, best first; what is equal stays in its order. */
export function found(entries: Entry[], typed: string, most: number): Entry[] {
  return entries
    .map((entry, k) => ({ entry, k, s: score(entry, typed) }))
    .filter((e) => e.s > 0)
    .sort((a, b) => b.s - a.s || a.k - b.k)
    .slice(0, most)
    .map((e) => e.entry);
}

/** What a stage of a kind asks for. */
const OF_STAGE: Record<string, Record<string, string>> = {
  steady: { aim: "aim", settle: "settled at", most: "most sweeps" },
  transient: { until: "until", frame_every: "frame every", longest_step: "longest step", ends: "ends once" },
  series: { values: "values", aim: "aim", settle: "settled at", most: "most sweeps" },
};

/** Everything of the open case that has a name. */
export function ofCase(view: CaseView, placeWords: (on: string) => string): Entry[] {
  const list: Entry[] = [];
  for (const r of view.ledger.rows)
    list.push({
      words: r.label,
      note: placeWords(r.on),
      more: r.place,
      way: { to: "place", place: r.place },
    });
  for (const p of view.parameters)
    list.push({
      words: p.name.replace(/_/g, " "),
      note: `parameter, ${p.value} ${p.unit}`,
      way: { to: "values", section: "parameters", at: `parameters/${p.name}` },
    });
  for (const n of view.active) {
    const p = view.phenomena[n]!;
    for (const s of p.settings)
      list.push({
        words: s.label,
        note: `${p.label.toLowerCase()}, value`,
        more: `${s.name} ${s.dimension}`,
        way: { to: "values", section: n, at: `phenomena/${n}/${s.name}` },
      });
    for (const kind of p.member_kinds)
      for (const m of Object.keys((view.data.phenomena[n]?.[kind.key] ?? {}) as object)) {
        for (const s of kind.settings)
          list.push({
            words: s.label,
            note: `of ${m.replace(/_/g, " ")}`,
            more: `${s.name} ${p.label}`,
            way: { to: "values", section: n, at: `phenomena/${n}/${kind.key}/${m}/${s.name}` },
          });
        list.push({
          words: m.replace(/_/g, " "),
          note: `${kind.name} of ${p.label.toLowerCase()}`,
          way: {
            to: "values",
            section: n,
            at: `phenomena/${n}/${kind.key}/${m}/${kind.settings[0]?.name ?? ""}`,
          },
        });
      }
    for (const c of p.conditions) {
      const row = view.ledger.rows.find((r) => r.on === c.on);
      if (row)
        list.push({
          words: c.label,
          note: `${p.label.toLowerCase()}, what ${c.on === "edge" ? "an edge" : "a place"} may do`,
          way: {
            to: "place",
            place: row.place,
            column: view.ledger.columns.find((k) => k.phenomenon === n)?.id,
          },
        });
    }
  }
  for (const p of Object.values(view.phenomena))
    list.push({
      words: p.label,
      note: view.active.includes(p.name) ? "phenomenon in use" : "phenomenon",
      more: p.about,
      way: view.active.includes(p.name)
        ? { to: "values", section: p.name, at: `phenomena/${p.name}/${p.settings[0]?.name ?? ""}` }
        : { to: "board" },
    });
  for (const [n, r] of Object.entries(view.data.readouts ?? {}))
    list.push({
      words: String(r.label ?? n.replace(/_/g, " ")),
      note: "readout",
      way: { to: "tab", tab: "readouts", at: `readouts/${n}` },
    });
  for (const [n, s] of Object.entries(view.data.stages ?? {})) {
    const own = OF_STAGE[String(s.mode ?? "steady")] ?? {},
      name = n.replace(/_/g, " ");
    list.push({
      words: name,
      note: `stage, ${String(s.mode ?? "steady")}`,
      way: { to: "tab", tab: "stages", at: `stages/${n}/${Object.keys(own)[0] ?? ""}` },
    });
    for (const [key, words] of Object.entries(own))
      list.push({
        words,
        note: `of the stage ${name}`,
        way: { to: "tab", tab: "stages", at: `stages/${n}/${key}` },
      });
  }
  list.push({ words: "Cell size", note: "grid", way: { to: "tab", tab: "stages", at: "grid/size" } });
  for (const n of Object.keys(view.sheet.parts))
    list.push({ words: n.replace(/_/g, " "), note: "part of the vessel", way: { to: "part", part: n } });
  for (const [n, f] of Object.entries(view.fields))
    list.push({ words: f.label, note: "field, in Read", more: f.symbol, way: { to: "field", name: n } });
  return list;
}

const RUNS = 40; // the newest ones

export const ofRuns = (runs: RunView[]): Entry[] =>
  runs.slice(0, RUNS).map((r) => ({
    words: `run ${r.number}`,
    note: `${r.variant ? `${r.variant}, ` : ""}${r.status}`,
    way: { to: "run", id: r.id, frames: r.frames },
  }));

export const ofSums = (sums: SumView[]): Entry[] =>
  sums.map((s) => ({
    words: s.label,
    note: s.group,
    more: `${s.summary} side sum relation`,
    after: true,
    way: { to: "sum", text: s.label },
  }));

export const ofProofs = (proofs: ProofView[]): Entry[] =>
  proofs.map((p) => ({
    words: p.title,
    note: "proof, as a case of its own",
    more: `${p.name} ${p.summary} published literature benchmark`,
    way: { to: "proof", name: p.name },
    after: true,
  }));

export const ofCases = (cases: ShelfCard[]): Entry[] =>
  cases.map((c) => ({
    words: c.name,
    note: "case",
    more: c.phenomena.join(" "),
    way: { to: "case", id: c.id },
  }));
