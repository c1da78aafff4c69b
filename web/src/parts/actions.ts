/** What keys do, screen by screen: for the list of all keys, and for the finder. */
import type { Screen } from "../state";

export interface Action {
  on: Screen | ""; // "" is everywhere
  keys: string; // as they are shown
  words: string;
  press?: string; // what is pressed, where the finder can do it
}

export const ACTIONS: Action[] = [
  { on: "", keys: "1 to 4", words: "Shelf, Set, Fire, Read" },
  { on: "", keys: "/", words: "find anything" },
  { on: "", keys: "K", words: "side sums", press: "k" },
  { on: "", keys: "?", words: "all keys", press: "?" },
  { on: "shelf", keys: "Arrows, Enter", words: "move among the cases, open one" },
  { on: "shelf", keys: "Page, Home, End", words: "a screen on, the first or last case" },
  { on: "shelf", keys: "F", words: "find a case on the shelf", press: "f" },
  { on: "shelf", keys: "N", words: "a new sheet", press: "n" },
  { on: "shelf", keys: "L", words: "cards, or a dense list", press: "l" },
  { on: "shelf", keys: "Ctrl Z", words: "put back what was removed", press: "ctrl+z" },
  { on: "set", keys: "Arrows, Enter", words: "move in the ledger, edit the place" },
  {
    on: "set",
    keys: "Page, Home, End",
    words: "ten rows on, the first or last column; with Ctrl all the way",
  },
  { on: "set", keys: "N", words: "next thing to settle", press: "n" },
  { on: "set", keys: "B", words: "board of phenomena", press: "b" },
  { on: "set", keys: "W", words: "the lower plate over the whole side, or back", press: "w" },
  { on: "set", keys: "T", words: "taste: a coarse solve", press: "t" },
  { on: "set", keys: "G", words: "grid on the sheet", press: "g" },
  { on: "set", keys: "D", words: "dimensions on the sheet", press: "d" },
  { on: "set", keys: "S", words: "stretch: a scale for each axis", press: "s" },
  { on: "set", keys: "V, M", words: "places, parts" },
  {
    on: "set",
    keys: "R C P U A L E O",
    words:
      "draw a rectangle, circle, polygon, duct, arc, plate, screen, nozzle; Enter puts one in the middle",
  },
  { on: "set", keys: "F", words: "fill a box at the start", press: "f" },
  { on: "set", keys: "Arrows, Delete", words: "move a part by a step (Shift: ten), drop it" },
  { on: "set", keys: "Wheel, + -, 0", words: "closer, further, the whole sheet" },
  { on: "set", keys: "Ctrl Z", words: "undo", press: "ctrl+z" },
  { on: "set", keys: "Ctrl Shift Z", words: "redo", press: "ctrl+shift+z" },
  { on: "set", keys: "Ctrl Enter", words: "fire", press: "ctrl+Enter" },
  { on: "fire", keys: "Ctrl Enter", words: "fire once more", press: "ctrl+Enter" },
  { on: "fire", keys: "Ctrl .", words: "stop the run", press: "ctrl+." },
  { on: "read", keys: "Space", words: "play or hold the frames", press: " " },
  { on: "read", keys: "Left, Right", words: "frame back, on" },
  { on: "read", keys: "Home, End", words: "first frame, last frame" },
  { on: "read", keys: "S", words: "draw a section", press: "s" },
  { on: "read", keys: "B", words: "draw a box", press: "b" },
  { on: "read", keys: "P", words: "pin a probe", press: "p" },
  { on: "read", keys: "W", words: "look at an edge", press: "w" },
  { on: "read", keys: "M", words: "smooth", press: "m" },
  { on: "read", keys: "L", words: "lines of equal value", press: "l" },
  { on: "read", keys: "V", words: "lines along the stream", press: "v" },
  { on: "read", keys: "A", words: "arrows", press: "a" },
  { on: "read", keys: "E", words: "edges in colour", press: "e" },
  { on: "read", keys: "T", words: "what is followed, as points", press: "t" },
  { on: "read", keys: "R", words: "reverse the colour scale", press: "r" },
  { on: "read", keys: "K", words: "lock the colour scale", press: "k" },
  { on: "read", keys: "[ ]", words: "move the ends of the scale inwards" },
  { on: "read", keys: "X", words: "stretch the picture", press: "x" },
  { on: "read", keys: "Esc", words: "clear instruments", press: "Escape" },
];

/** Presses a key as if at the keyboard. */
export function press(name: string): void {
  const parts = name.split("+");
  document.body.dispatchEvent(
    new KeyboardEvent("keydown", {
      key: parts[parts.length - 1]!,
      ctrlKey: parts.includes("ctrl"),
      shiftKey: parts.includes("shift"),
      cancelable: true,
      bubbles: true,
    }),
  );
}
