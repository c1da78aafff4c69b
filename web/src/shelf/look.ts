/** How the shelf is looked at: remembered between visits, but for what was typed. */
import { create } from "zustand";
import { remembered } from "../parts/remembered";
import type { Sort } from "./order";

interface Look {
  text: string;
  phenomenon: string;
  sort: Sort;
  list: boolean;
  folded: string[];
}
const FIRST: Look = { text: "", phenomenon: "", sort: "touched", list: false, folded: [] };

const useStore = create<Look>(() => remembered("shelf", FIRST));

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
