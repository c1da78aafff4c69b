import { Dialog } from "radix-ui";
import { useView } from "../state";

const KEYS: [string, string][] = [
  ["1 to 4", "Shelf, Set, Fire, Read"],
  ["/", "find anything"],
  ["Arrows", "move in the ledger and on the shelf"],
  ["Enter", "edit the place, or open the case"],
  ["Esc", "close, keep nothing"],
  ["Ctrl Z", "undo"],
  ["Ctrl Shift Z", "redo"],
  ["N", "next thing to settle"],
  ["G", "grid on the sheet"],
  ["D", "dimensions"],
  ["T", "taste: a coarse solve"],
  ["K", "side sums (in Read: lock the scale)"],
  ["Ctrl Enter", "fire"],
  ["V, M", "on the sheet: places, parts"],
  [
    "R C P U A L E O",
    "draw a rectangle, circle, polygon, duct, arc, plate, screen, nozzle; Enter puts one in the middle",
  ],
  ["F", "fill a box at the start"],
  ["Wheel, + -, 0", "closer, further, the whole sheet"],
  ["Arrows, Delete", "move a part by a step (Shift: ten), drop it"],
  ["Space", "play or hold frames"],
  ["Left, Right", "frame back, on"],
  ["S", "Set: a scale for each axis. Read: draw a section"],
  ["B, P, W", "Read: draw a box, pin a probe, look at an edge"],
  [
    "M L V A E T",
    "Read: smooth, lines of equal value, along the stream, arrows, edges in colour, what is followed",
  ],
  ["R, [ ], X", "Read: reverse the colour scale, move its ends inwards, stretch the picture"],
  ["?", "this list"],
];

export function KeyList() {
  const { keys, setKeys } = useView();
  return (
    <Dialog.Root open={keys} onOpenChange={setKeys}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-[rgba(35,31,29,.28)]" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed left-1/2 top-24 z-30 w-[430px] -translate-x-1/2 rounded-md border border-t-[3px] border-rim border-t-copperfill bg-enamel p-4"
        >
          <Dialog.Title className="cap mb-2 text-[13px] text-soot">All keys</Dialog.Title>
          <dl className="grid grid-cols-[110px_1fr] gap-y-1.5 text-[13px]">
            {KEYS.map(([k, words]) => [
              <dt key={k}>
                <kbd>{k}</kbd>
              </dt>,
              <dd key={words}>{words}</dd>,
            ])}
          </dl>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
