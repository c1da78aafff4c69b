/** Where one is, and what is remembered between visits: view state only. */
import { create } from "zustand";
import { remembered } from "./parts/remembered";

export type Tab = "paper" | "values" | "vessel" | "stages" | "readouts" | "equations";

/** How the plates of Set are laid out: what the lower one shows, its share of the right side, over
 * the whole of it or not; the share of the right side in the page.
 */
export interface Plates {
  tab: Tab;
  lower: number;
  /** The share of the instruments, of the plates beside the picture in Read. */
  instruments: number;
  whole: boolean;
  right: number;
}
const PLATES: Plates = { tab: "paper", lower: 0.36, instruments: 0.46, whole: false, right: 0.43 };

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
  sumsFor: string; // what is looked for in them
  tasting: boolean; // a taste follows an edit
  board: boolean; // the board of phenomena is open
  plates: Plates;
  section: string; // of the values: "" is all of them
  go: (to: Partial<Place>) => void;
  setVariant: (variant: string) => void;
  setTheme: (theme: "light" | "dark") => void;
  setFinder: (open: boolean) => void;
  setKeys: (open: boolean) => void;
  setSums: (open: boolean) => void;
  searchSums: (text: string) => void;
  setTasting: (on: boolean) => void;
  setBoard: (open: boolean) => void;
  lay: (plates: Partial<Plates>) => void;
  /** To the values of a phenomenon, or to all of them (""). */
  showValues: (section: string) => void;
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
  sumsFor: "",
  tasting: localStorage.getItem("tasting") !== "off",
  board: false,
  plates: { ...remembered("plates", PLATES), tab: "paper" },
  section: "",
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
  setSums: (sums) => set({ sums, sumsFor: "" }),
  searchSums: (sumsFor) => set({ sums: true, sumsFor }),
  setBoard: (board) => set({ board }),
  lay: (to) => {
    const plates = { ...get().plates, ...to };
    localStorage.setItem("plates", JSON.stringify(plates));
    set({ plates });
  },
  showValues: (section) => {
    get().lay({ tab: "values" });
    set({ section, board: false });
  },
  setTasting: (tasting) => {
    localStorage.setItem("tasting", tasting ? "on" : "off");
    set({ tasting });
  },
}));

addEventListener("popstate", () => useView.setState(readPath(location.pathname)));
