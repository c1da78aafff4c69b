import type { CaseView } from "../client/views";
import { type Patch, patchAt } from "../set/useCase";

/** A field of the open case that a number of some unit can go into. */
export interface Target {
  says: string;
  patch: (typed: unknown) => Patch;
  unit: string;
  tables: boolean;
}

/** Parameters, settings and given conditions whose unit is this one; every unit where it is null. */
export function targetsOf(view: CaseView, unit: string | null): Target[] {
  const found: Target[] = view.parameters.map((p) => ({
    says: `parameter ${p.name}`,
    unit: p.unit,
    tables: false,
    patch: (t) => patchAt(["parameters", p.name], t),
  }));
  for (const n of view.active) {
    const p = view.phenomena[n]!;
    for (const s of p.settings)
      if (s.kind === "quantity" || s.kind === "formula")
        found.push({
          says: `${p.label}: ${s.label}`,
          unit: s.unit,
          tables: false,
          patch: (t) => patchAt(["phenomena", n, s.name], t),
        });
    for (const kind of [...p.member_kinds, ...p.pairings])
      for (const m of Object.keys((view.data.phenomena[n]?.[kind.key] ?? {}) as object))
        for (const s of kind.settings)
          found.push({
            says: `${m.replace(/_/g, " ")}: ${s.label}`,
            unit: s.unit,
            tables: false,
            patch: (t) => patchAt(["phenomena", n, kind.key, m, s.name], t),
          });
  }
  for (const row of view.ledger.rows)
    for (const column of view.ledger.columns) {
      const cell = row.cells[column.id];
      const condition = cell?.kind
        ? view.phenomena[column.phenomenon]?.conditions.find((c) => c.on === row.on && c.name === cell.kind)
        : undefined;
      for (const s of condition?.params ?? []) {
        if (s.kind !== "formula" && s.kind !== "quantity") continue;
        const others = Object.fromEntries(
          (condition!.one_of.includes(s.name) ? condition!.one_of : [])
            .filter((o) => o !== s.name)
            .map((o) => [o, null]),
        );
        const section = row.on === "start" ? "start" : "conditions";
        found.push({
          says: `${row.label}${row.on === "start" ? ", at the start" : ""}: ${column.label.toLowerCase()}, ${s.label}`,
          unit: s.unit,
          tables: s.kind === "formula" && row.on !== "start",
          patch: (t) =>
            patchAt([section, row.place, column.id], { kind: cell!.kind, ...others, [s.name]: t }),
        });
      }
    }
  return unit === null ? found : found.filter((t) => t.unit === unit);
}
