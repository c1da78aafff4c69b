import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { api } from "../client";
import type { CaseView } from "../client/views";

export type Patch = Record<string, unknown>;

/** A patch that sets (or with null removes) one value deep inside. */
export function patchAt(path: string[], value: unknown): Patch {
  return path.reduceRight<unknown>((inner, key) => ({ [key]: inner }), value) as Patch;
}

/** Two patches as one. */
export function merged(one: Patch, two: Patch): Patch {
  const inner = (v: unknown): v is Patch => typeof v === "object" && v !== null && !Array.isArray(v);
  const all = { ...one };
  for (const [k, v] of Object.entries(two)) {
    const before = all[k];
    all[k] = inner(v) && inner(before) ? merged(before, v) : v;
  }
  return all;
}

let last: Promise<unknown> = Promise.resolve();

/** Changes go out one after the other, so that no answer shows an older case than the one before. */
function inTurn<T>(act: () => Promise<T>): Promise<T> {
  const next = last.then(act, act);
  last = next.catch(() => undefined);
  return next;
}

/** The open case and every way to change it. */
export function useCase(id: string, variant: string) {
  const queries = useQueryClient();
  const [error, setError] = useState<unknown>(null);
  const query = useQuery({ queryKey: ["case", id, variant], queryFn: () => api.case(id, variant) });
  const shown = useCallback(
    (view: CaseView) => {
      queries.setQueryData(["case", id, view.variant], view);
      void queries.invalidateQueries({ queryKey: ["cases"] });
      void queries.invalidateQueries({ queryKey: ["board", id] });
      void queries.invalidateQueries({
        predicate: (q) => q.queryKey[0] === "case" && q.queryKey[1] === id && q.queryKey[2] !== view.variant,
      });
      setError(null);
    },
    [id, queries],
  );
  const take = useCallback(
    async (act: () => Promise<CaseView>): Promise<boolean> => {
      try {
        shown(await inTurn(act));
        return true;
      } catch (e) {
        setError(e);
        return false;
      }
    },
    [shown],
  );
  return {
    view: query.data,
    loading: query.isLoading,
    error: error ?? query.error,
    clear: () => setError(null),
    variant,
    edit: (patch: Patch, label: string) => take(() => api.edit(id, patch, label, variant)),
    /** Changes of the variants themselves. */
    editBase: (patch: Patch, label: string) => take(() => api.edit(id, patch, label)),
    /** Throws the refusal instead of showing it at the top: for fields that show it themselves. */
    tryEdit: async (patch: Patch, label: string) => {
      shown(await inTurn(() => api.edit(id, patch, label, variant)));
    },
    undo: () => take(() => api.undo(id, variant)),
    redo: () => take(() => api.redo(id, variant)),
  };
}

export type OpenCase = ReturnType<typeof useCase>;
