import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../client";
import type { MatterEntry } from "../client/views";
import { Faults } from "../parts/Faults";
import { capital } from "./TypedInput";

/** `id` where it is kept already. */
export interface Own {
  label: string;
  source: string;
  properties: Record<string, string>;
  id: string | null;
}

const PROPERTIES: [string, string][] = [
  ["density", "kg/m3"],
  ["viscosity", "Pa s"],
  ["heat capacity", "J/(kg K)"],
  ["heat conductivity", "W/(m K)"],
  ["thermal expansion", "1/K"],
];

/** A material of one's own: numbers with units, or laws of temperature; kept for every case. */
export function OwnMatter({
  own,
  onClose,
  onKept,
}: {
  own: Own;
  onClose: () => void;
  onKept: (m: MatterEntry | null) => void;
}) {
  const [now, setNow] = useState(own);
  const [error, setError] = useState<unknown>(null);
  const queries = useQueryClient();
  const fresh = async (act: () => Promise<MatterEntry | null>) => {
    try {
      const kept = await act();
      await queries.invalidateQueries({
        predicate: (q) => q.queryKey[0] === "matters" || q.queryKey[0] === "matter",
      });
      onKept(kept);
    } catch (e) {
      setError(e);
    }
  };
  const keep = () =>
    fresh(async () => {
      const properties = Object.fromEntries(
        PROPERTIES.map(([n]) => [n, (now.properties[n] ?? "").trim()]).filter(([, v]) => v),
      ) as Record<string, string>;
      const { id } = await api.keepMatter({ label: now.label, source: now.source, properties });
      return { id, label: now.label.trim(), share: "", own: true };
    });
  const line = (label: string, value: string, hint: string, set: (v: string) => void) => (
    <label key={label} className="grid grid-cols-[120px_1fr] items-center gap-2 text-[12.5px] text-ink2">
      {label}
      <input className="in" value={value} placeholder={hint} onChange={(e) => set(e.target.value)} />
    </label>
  );
  return (
    <form
      className="flex flex-col gap-1.5"
      aria-label="Material of your own"
      onSubmit={(e) => {
        e.preventDefault();
        void keep();
      }}
    >
      {line("Name", now.label, "such as pressed-out pulp", (label) => setNow({ ...now, label }))}
      {line("Where it is from", now.source, "lab sheet, supplier, book", (source) =>
        setNow({ ...now, source }),
      )}
      {PROPERTIES.map(([n, unit]) =>
        line(capital(n), now.properties[n] ?? "", `1 ${unit}, or a law of temperature`, (v) =>
          setNow({ ...now, properties: { ...now.properties, [n]: v } }),
        ),
      )}
      <Faults error={error} onClose={() => setError(null)} />
      <div className="flex gap-2">
        <button type="submit" className="btn primary" disabled={!now.label.trim()}>
          Keep it
        </button>
        <button type="button" className="btn quiet" onClick={onClose}>
          Leave it
        </button>
        {own.id && (
          <button
            type="button"
            className="btn quiet ml-auto"
            onClick={() =>
              void fresh(async () => {
                await api.dropMatter(own.id!);
                return null;
              })
            }
          >
            Drop it
          </button>
        )}
      </div>
    </form>
  );
}
