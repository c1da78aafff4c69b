/** Which fields are the two parts of one vector. */
import type { FramesView } from "../client/views";

export interface Vector {
  name: string;
  label: string;
  unit: string;
  parts: [string, string];
}

/** Every vector whose two parts a run has, in the order of its fields. */
export function vectorsOf(fields: FramesView["fields"]): Vector[] {
  const found = new Map<string, (string | undefined)[]>();
  for (const [name, field] of Object.entries(fields)) {
    if (!field.component) continue;
    const [vector, axis] = field.component,
      owner = name.includes(".") ? `${name.slice(0, name.indexOf("."))}.` : "";
    const parts = found.get(owner + vector) ?? [];
    parts[axis] = name;
    found.set(owner + vector, parts);
  }
  return [...found].flatMap(([name, [u, v]]) =>
    u && v
      ? [
          {
            name,
            label: name.replace(/[._]/g, " "),
            unit: fields[u]!.unit,
            parts: [u, v] as [string, string],
          },
        ]
      : [],
  );
}

/** The one that was chosen, else the first. */
export const chosenOf = (vectors: Vector[], name: string): Vector | null =>
  vectors.find((v) => v.name === name) ?? vectors[0] ?? null;
