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
  return !!el && (/^(INPUT|TEXTAREA|SELECT)$/.test(el.tagName) || el.isContentEditable);
}

export function useKeys(keys: Keys): void {
  const latest = useRef(keys);
  latest.current = keys;
  useEffect(() => {
    const act = (e: KeyboardEvent) => {
      const name = nameOf(e);
      const found = latest.current[name];
      if (!found || e.defaultPrevented) return;
      if (typing(e.target) && !name.startsWith("ctrl+") && name !== "Escape") return;
      if (typing(e.target) && (name === "ctrl+z" || name === "ctrl+shift+z" || name === "ctrl+y")) return;
      e.preventDefault();
      found();
    };
    addEventListener("keydown", act);
    return () => removeEventListener("keydown", act);
  }, []);
}
