/** How the shelf is looked at: remembered between visits, but for what was typed. */
import { create } from "zustand";
import type { Sort } from "./order";

interface Look {
  text: string;
  phenomenon: string;
  sort: Sort;
  list: boolean;
  folded: string[];
}
const FIRST: Look = { text: "", phenomenon: "", sort: "touched", list: false, folded: [] };

function remembered(): Look {
  try {
    return { ...FIRST, ...(JSON.parse(localStorage.getItem("shelf") ?? "{}") as Partial<Look>) };
  } catch {
    return FIRST;
  }
}

const useStore = create<Look>(() => remembered());

export function useLook(): [Look, (to: Partial<Look>) => void] {
  const look = useStore();
  return [
    look,
    (to) => {
      useStore.setState(to);
      const { sort, list, folded } = useStore.getState();
      localStorage.setItem("shelf", JSON.stringify({ sort, list, folded }));
    },
  ];
}
