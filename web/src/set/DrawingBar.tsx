import { Popover } from "radix-ui";
import { useState } from "react";
import type { CaseView } from "../client/views";
import { copied, dragged, type Entries, mirrored } from "../drawing/shapes";
import { Choose } from "../parts/Choose";
import type { Does, Tool } from "./Drawing";
import { useAttempt } from "./useAttempt";
import { type OpenCase, patchAt } from "./useCase";

export const TOOLS: [Tool, string, string, string][] = [
  ["places", "Places", "V", "M3 2L12 7L8 8L6 12Z"],
  ["parts", "Parts", "M", "M7 1V13M1 7H13M5 3L7 1L9 3M5 11L7 13L9 11M3 5L1 7L3 9M11 5L13 7L11 9"],
  ["rectangle", "Rectangle", "R", "M2 4H12V10H2Z"],
  ["circle", "Circle", "C", "M12 7A5 5 0 1 1 2 7A5 5 0 1 1 12 7Z"],
  ["polygon", "Polygon", "P", "M7 2L12 6L10 12H4L2 6Z"],
  ["duct", "Duct", "U", "M2 12V5A3 3 0 0 1 5 2H12M5 12V7A2 2 0 0 1 7 5H12"],
  ["arc", "Arc", "A", "M2 12A10 10 0 0 1 12 2V6A6 6 0 0 0 6 12Z"],
  ["plate", "Plate", "L", "M2 7H12M2 5V9M12 5V9"],
  ["screen", "Screen", "E", "M2 7H3M5 7H6M8 7H9M11 7H12M2 5V9M12 5V9"],
  ["fill", "Fill at the start", "F", "M2 3V12H12V3M2 8C4 6.5 5.5 9.5 7 8S10 6.5 12 8"],
  ["nozzle", "Nozzle", "O", "M2 3V11M12 3V11M4 7H10M8 5L10 7L8 9"],
];
const DOES: [Does, string][] = [
  ["add", "opens space"],
  ["cut", "is cut out"],
  ["zone", "marks a zone"],
];

/** What one draws with, and what can be done to the part taken hold of. */
export function DrawingBar({
  view,
  open,
  tool,
  does,
  part,
  onTool,
  onDoes,
}: {
  view: CaseView;
  open: OpenCase;
  tool: Tool;
  does: Does;
  part: string | null;
  onTool: (t: Tool) => void;
  onDoes: (d: Does) => void;
}) {
  const { attempt, fault } = useAttempt(open);
  const typed = part ? view.data.vessel.parts[part] : undefined,
    shape = part ? view.sheet.parts[part] : undefined;
  const free = (stem: string, beside: string[] = []) => {
    let k = 2;
    while (view.data.vessel.parts[`${stem}${k}`] || beside.includes(`${stem}${k}`)) k++;
    return `${stem}${k}`;
  };
  const stem = (part ?? "").replace(/\d+$/, "");
  const [x0, y0, x1, y1] = view.sheet.box;
  const align = (axis: 0 | 1) => {
    const by = ([x0 + x1, y0 + y1][axis]! - shape!.box[axis]! - shape!.box[axis + 2]!) / 2;
    void attempt(
      patchAt(
        ["vessel", "parts", part!],
        dragged(shape!.shape, typed!, "", axis === 0 ? by : 0, axis === 1 ? by : 0),
      ),
      `centre ${part} along ${"xy"[axis]}`,
    );
  };
  const mirror = (axis: 0 | 1) =>
    void attempt(
      patchAt(
        ["vessel", "parts", free(stem)],
        mirrored(shape!, typed!, axis, [(x0 + x1) / 2, (y0 + y1) / 2][axis]!),
      ),
      `mirror ${part}`,
    );
  const repeat = (count: number, dx: number, dy: number) => {
    const names: string[] = [],
      parts: Entries = {};
    for (let k = 1; k < count; k++) {
      const name = free(stem, names);
      names.push(name);
      parts[name] = copied(typed!, k * dx, k * dy);
    }
    void attempt(patchAt(["vessel", "parts"], parts), `repeat ${part} ${count} times`);
  };
  return (
    <div className="flex-none border-b border-hair">
      <div className="flex h-[29px] items-center gap-0.5 px-2" role="toolbar" aria-label="Drawing tools">
        {TOOLS.map(([t, says, key, icon], k) => (
          <button
            type="button"
            key={t}
            className={`btn small ${tool === t ? "on" : "quiet"} ${k === 2 ? "ml-2" : ""}`}
            aria-pressed={tool === t}
            title={`${says} (${key})`}
            onClick={() => onTool(t)}
          >
            <svg viewBox="0 0 14 14" width="13" height="13" aria-hidden="true">
              <path d={icon} fill="none" stroke="currentColor" strokeWidth="1.4" strokeLinejoin="round" />
            </svg>
            {k < 2 ? says : <span className="sr-only">{says}</span>}
          </button>
        ))}
        {!["places", "parts", "nozzle", "plate", "screen", "fill"].includes(tool) && (
          <Choose
            className="in ml-2 w-[112px]"
            label="What the new part does"
            value={does}
            onChoose={(to) => onDoes(to as Does)}
            options={DOES.map(([d, says]) => ({ value: d, label: says }))}
          />
        )}
        {!(tool === "parts" && shape) && (
          <span className="ml-auto truncate text-[11.5px] text-ink3">{HINTS[tool]}</span>
        )}
        {tool === "parts" && shape && typed && (
          <span
            className="ml-auto flex gap-0.5 [&>.btn]:px-1.5"
            role="group"
            aria-label={`What to do with ${part}`}
          >
            <button
              type="button"
              className="btn small"
              onClick={() => align(0)}
              title="Centre it between the vessel's ends"
            >
              Centre x
            </button>
            <button
              type="button"
              className="btn small"
              onClick={() => align(1)}
              title="Centre it between the vessel's lower and upper side"
            >
              Centre y
            </button>
            <button
              type="button"
              className="btn small"
              onClick={() => mirror(0)}
              title="A mirrored copy about the vessel's upright middle"
            >
              Mirror x
            </button>
            <button
              type="button"
              className="btn small"
              onClick={() => mirror(1)}
              title="A mirrored copy about the vessel's level middle"
            >
              Mirror y
            </button>
            <Repeat onRepeat={repeat} pitch={(shape.box[2] - shape.box[0]) * 1.5} />
          </span>
        )}
      </div>
      {fault}
    </div>
  );
}

const HINTS: Record<Tool, string> = {
  places: "",
  parts: "drag, or arrows; Shift for ten steps",
  nozzle: "click on a straight side",
  rectangle: "drag from corner to corner",
  circle: "drag from the middle",
  polygon: "click corner by corner, Enter ends",
  duct: "click along its middle, Enter ends",
  arc: "drag from the middle",
  plate: "drag along x or y",
  screen: "drag across what passes it, or click corner by corner and Enter",
  fill: "drag a box over what it fills, or a level line",
};

function Repeat({
  onRepeat,
  pitch,
}: {
  onRepeat: (count: number, dx: number, dy: number) => void;
  pitch: number;
}) {
  const [count, setCount] = useState("3"),
    [dx, setDx] = useState(String(Number((pitch * 1e3).toPrecision(2)))),
    [dy, setDy] = useState("0");
  const field = (label: string, value: string, set: (v: string) => void) => (
    <label className="flex items-center justify-between gap-2 text-[12px] text-ink2">
      {label}
      <input
        className="in w-[76px]"
        inputMode="decimal"
        value={value}
        onChange={(e) => set(e.target.value)}
      />
    </label>
  );
  const good =
    Number(count) >= 2 &&
    Number(count) <= 200 &&
    [dx, dy].every((v) => Number.isFinite(Number(v))) &&
    (Number(dx) !== 0 || Number(dy) !== 0);
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <button type="button" className="btn small">
          Repeat
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          className="plate z-20 flex w-[210px] flex-col gap-1.5 p-2.5"
          sideOffset={6}
          align="end"
        >
          {field("How many", count, setCount)}
          {field("Pitch x, mm", dx, setDx)}
          {field("Pitch y, mm", dy, setDy)}
          <Popover.Close asChild>
            <button
              type="button"
              className="btn primary small"
              disabled={!good}
              onClick={() => onRepeat(Math.round(Number(count)), Number(dx) / 1e3, Number(dy) / 1e3)}
            >
              Repeat it
            </button>
          </Popover.Close>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
