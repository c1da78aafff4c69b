import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { api } from "../client";
import type { CaseView, TasteView } from "../client/views";

const PAUSE = 900; // ms without an edit before a taste is made

export interface Tasting {
  taste: TasteView | null;
  busy: boolean;
  now: () => void;
  clear: () => void;
}

/** A coarse solve of the case as it stands: after a pause in editing where `follows`, or on demand.
 * An edit takes it back.
 */
export function useTaste(view: CaseView | undefined, follows: boolean): Tasting {
  const [taste, setTaste] = useState<TasteView | null>(null);
  const [busy, setBusy] = useState(false);
  const asked = useRef(0),
    seen = useRef<string | null>(null);
  const said = useMemo(() => view && JSON.stringify([view.id, view.variant, view.data]), [view]);
  const now = useCallback(() => {
    if (!view?.can_run) return;
    const mine = ++asked.current;
    setBusy(true);
    api.taste(view.id, view.variant).then(
      (found) => {
        if (mine === asked.current) {
          setBusy(false);
          if (found.status !== "taken back") setTaste(found);
        }
      },
      () => {
        if (mine === asked.current) setBusy(false);
      },
    );
  }, [view]);
  const latest = useRef(now);
  latest.current = now;
  const clear = useCallback(() => {
    asked.current++;
    setTaste(null);
    setBusy(false);
  }, []);
  useEffect(() => {
    const before = seen.current;
    seen.current = said ?? null;
    if (!said || before === null || before === said) return;
    clear(); // what was seen is of an older case
    if (!follows) return;
    const timer = setTimeout(() => latest.current(), PAUSE);
    return () => clearTimeout(timer);
  }, [said, follows, clear]);
  return { taste, busy, now, clear };
}
