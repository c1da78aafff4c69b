/** Which place is picked, shared by ledger, sheet and cards, so that only what shows it is drawn anew. */
import { useEffect, useState } from "react";
import { create } from "zustand";
import type { RowView } from "../client/views";

/** What is picked, and further places of its kind that an edit reaches too. */
export interface Picked {
  place: string;
  on: RowView["on"];
  column: string | null;
  also?: string[];
}

export const isPicked = (picked: Picked | null, place: string, on: RowView["on"]) =>
  picked?.on === on && (picked.place === place || !!picked.also?.includes(place));

/** Picked with one more place, or without it where it was picked before. */
export function withMore(picked: Picked | null, more: Picked): Picked {
  if (!picked || picked.on !== more.on) return more;
  const all = [picked.place, ...(picked.also ?? [])];
  const left = all.includes(more.place) ? all.filter((p) => p !== more.place) : [...all, more.place];
  return left.length ? { ...picked, place: left[0]!, also: left.slice(1) } : more;
}

export const usePicking = create<{ picked: Picked | null; pick: (p: Picked | null) => void }>((set) => ({
  picked: null,
  pick: (picked) => set({ picked }),
}));

const LAG = 90; // ms; while keys are held, the sheet waits until they rest

/** What is picked once it rests: for what is costly to draw. */
export function useRested(): Picked | null {
  const picked = usePicking((s) => s.picked);
  const [rested, setRested] = useState(picked);
  useEffect(() => {
    const timer = setTimeout(() => setRested(picked), LAG);
    return () => clearTimeout(timer);
  }, [picked]);
  return rested;
}
