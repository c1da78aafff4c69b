/** Where one is, and what is remembered between visits: view state only. */
import { create } from "zustand";

export type Screen = "shelf" | "set" | "fire" | "read";
export interface Place {
  screen: Screen;
  caseId: string | null;
  runId: string | null;
}

interface ViewState extends Place {
  variant: string; // of the open case; "" is the base
  theme: "light" | "dark";
  finder: boolean;
  keys: boolean;
  sums: boolean; // side sums are open
  tasting: boolean; // a taste follows an edit
  go: (to: Partial<Place>) => void;
  setVariant: (variant: string) => void;
  setTheme: (theme: "light" | "dark") => void;
  setFinder: (open: boolean) => void;
  setKeys: (open: boolean) => void;
  setSums: (open: boolean) => void;
  setTasting: (on: boolean) => void;
}

export function readPath(path: string): Place {
  const [, screen, caseId, runId] = path.split("/");
  const known: Screen[] = ["set", "fire", "read"];
  const found = known.find((s) => s === screen);
  return found && caseId
    ? { screen: found, caseId, runId: runId ?? null }
    : { screen: "shelf", caseId: null, runId: null };
}

export function pathOf({ screen, caseId, runId }: Place): string {
  if (screen === "shelf" || !caseId) return "/";
  return `/${screen}/${caseId}${runId && screen !== "set" ? `/${runId}` : ""}`;
}

export const useView = create<ViewState>((set, get) => ({
  ...readPath(location.pathname),
  variant: "",
  theme: (localStorage.getItem("theme") as "light" | "dark" | null) ?? "light",
  finder: false,
  keys: false,
  sums: false,
  tasting: localStorage.getItem("tasting") !== "off",
  go: (to) => {
    const { screen, caseId, runId } = { ...get(), ...to };
    set({ screen, caseId, runId, finder: false, ...(caseId === get().caseId ? {} : { variant: "" }) });
    const path = pathOf({ screen, caseId, runId });
    if (path !== location.pathname) history.pushState(null, "", path);
  },
  setVariant: (variant) => set({ variant }),
  setTheme: (theme) => {
    localStorage.setItem("theme", theme);
    set({ theme });
  },
  setFinder: (finder) => set({ finder }),
  setKeys: (keys) => set({ keys }),
  setSums: (sums) => set({ sums }),
  setTasting: (tasting) => {
    localStorage.setItem("tasting", tasting ? "on" : "off");
    set({ tasting });
  },
}));

addEventListener("popstate", () => useView.setState(readPath(location.pathname)));
