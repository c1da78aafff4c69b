/** Keyboard: single letters never act while a field has focus. */
import { useEffect, useRef } from "react";

export type Keys = Record<string, (() => void) | (() => unknown)>;

export function nameOf(e: KeyboardEvent): string {
  const key = e.key.length === 1 ? e.key.toLowerCase() : e.key;
  const held = `${e.ctrlKey || e.metaKey ? "ctrl+" : ""}${e.shiftKey && e.key.length > 1 ? "shift+" : ""}`;
  if ((e.ctrlKey || e.metaKey) && e.shiftKey && e.key.length === 1) return `ctrl+shift+${key}`;
  return held + key;
}

export function typing(target: EventTarget | null): boolean {
  const el = target as HTMLElement | null;
  return (
    !!el &&
    (/^(INPUT|TEXTAREA)$/.test(el.tagName) ||
      el.isContentEditable ||
      !!el.closest("[role=combobox], [role=listbox]"))
  );
}

/** A closed list has been told not to open: the keys are the screen's. */
const isShortcutOnList = (e: KeyboardEvent, name: string) =>
  name === "ctrl+Enter" && !!(e.target as HTMLElement | null)?.closest("[role=combobox]");

/** Who listens: what is on the screen before what is everywhere, the newest first. */
const listening: { keys: { current: Keys }; everywhere: boolean }[] = [];

function act(e: KeyboardEvent): void {
  const name = nameOf(e);
  if (e.defaultPrevented && !isShortcutOnList(e, name)) return;
  if (typing(e.target) && !name.startsWith("ctrl+") && name !== "Escape") return;
  if (typing(e.target) && (name === "ctrl+z" || name === "ctrl+shift+z" || name === "ctrl+y")) return;
  const inTurn = [...listening].reverse().sort((a, b) => Number(a.everywhere) - Number(b.everywhere));
  const found = inTurn.find((l) => l.keys.current[name])?.keys.current[name];
  if (!found) return;
  e.preventDefault();
  found();
}

/** Keys of what is on the screen; `everywhere` ones act where nothing there wants them. */
export function useKeys(keys: Keys, everywhere = false): void {
  const latest = useRef(keys);
  latest.current = keys;
  useEffect(() => {
    const mine = { keys: latest, everywhere };
    if (!listening.length) addEventListener("keydown", act);
    listening.push(mine);
    return () => {
      listening.splice(listening.indexOf(mine), 1);
      if (!listening.length) removeEventListener("keydown", act);
    };
  }, [everywhere]);
}
