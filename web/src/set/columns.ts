import { useCallback, useState } from "react";
import type { CaseView, ColumnView } from "../client/views";
import { remembered } from "../parts/remembered";

/** How columns stand: by phenomenon "folded", by column id "hidden". */
export type Put = Record<string, "folded" | "hidden" | undefined>;

/** One column, or those of a phenomenon folded into one. */
export interface Slot {
  key: string;
  phenomenon: string;
  column: ColumnView | null;
  inside: ColumnView[];
}

/** The ledger's columns by phenomenon. */
export function grouped(view: CaseView): { phenomenon: string; columns: ColumnView[] }[] {
  const found = new Map<string, ColumnView[]>();
  for (const c of view.ledger.columns) found.set(c.phenomenon, [...(found.get(c.phenomenon) ?? []), c]);
  return [...found].map(([phenomenon, columns]) => ({ phenomenon, columns }));
}

/** What stands across, in order. */
export function slotsOf(view: CaseView, put: Put): Slot[] {
  return grouped(view).flatMap(({ phenomenon, columns }): Slot[] => {
    const left = columns.filter((c) => put[c.id] !== "hidden");
    if (!left.length) return [];
    if (put[phenomenon] === "folded")
      return [{ key: `folded ${phenomenon}`, phenomenon, column: null, inside: left }];
    return left.map((column) => ({ key: column.id, phenomenon, column, inside: [column] }));
  });
}

/** Which columns of a case are shown, remembered on this machine. */
export function useShownColumns(id: string) {
  const key = `columns ${id}`;
  const [put, setPut] = useState<Put>(() => remembered(key, {}));
  const [alone, setAlone] = useState<string | null>(null);
  const [before, setBefore] = useState<Put>({});
  const keep = useCallback(
    (to: Put) => {
      setPut(to);
      localStorage.setItem(key, JSON.stringify(to));
    },
    [key],
  );
  return {
    put,
    alone,
    set: (what: string, how: Put[string]) => {
      setAlone(null);
      keep({ ...put, [what]: how });
    },
    all: () => {
      setAlone(null);
      keep({});
    },
    /** One column by itself, or as it was before. */
    only: (column: string | null, others: string[]) => {
      if (column) {
        if (!alone) setBefore(put);
        setPut(Object.fromEntries(others.map((c) => [c, "hidden"])));
      } else setPut(before);
      setAlone(column);
    },
  };
}

export type ShownColumns = ReturnType<typeof useShownColumns>;
