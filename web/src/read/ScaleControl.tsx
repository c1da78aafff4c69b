import { useEffect, useState } from "react";
import { isLog } from "../drawing/colour";
import { digits, show } from "../drawing/number";
import { useReadingOf } from "./reading";
import { useTile } from "./Tiles";
import type { Tile } from "./tile";
import { useSeen } from "./useField";

/** One control for the colour scale of the chosen picture: range, steps, direction, logarithmic, locked. */
export function ScaleControl({ tile }: { tile: Tile }) {
  const { frames } = useSeen();
  const { locked, keepScale, toggleLock } = useReadingOf("locked", "keepScale", "toggleLock");
  const { field, scale } = useTile(tile);
  const info = frames.fields[tile.name];
  const isLocked = tile.name in locked,
    own = Object.keys(locked[tile.name] ?? tile.kept).length === 0;
  const change = (to: Partial<typeof scale>) => keepScale(tile.name, to);
  const toLog = () => {
    if (isLog(scale)) return change({ log: false });
    const top = scale.high > 0 ? scale.high : (field?.high ?? 1);
    change({ log: true, high: top, low: scale.low > 0 ? scale.low : top / 1e3 });
  };
  const figures = Math.max(4, digits([scale.low, scale.high]) + 1); // ends that lie close are told apart
  return (
    <div className="flex flex-none flex-wrap items-center gap-x-1.5 gap-y-1 border-b border-hair bg-dip px-2.5 py-1 text-[12px] text-ink2">
      <span className="cap" title={info?.label}>
        Scale
      </span>
      <NumberField
        label="low"
        value={scale.low}
        figures={figures}
        onKeep={(low) => low < scale.high && change({ low })}
      />
      <NumberField
        label="high"
        value={scale.high}
        figures={figures}
        onKeep={(high) => high > scale.low && change({ high })}
      />
      <span className="text-ink3">{info?.unit || "plain number"}</span>
      <NumberField
        label="steps"
        value={scale.steps}
        narrow
        onKeep={(v) => change({ steps: Math.min(256, Math.max(2, Math.round(v))) })}
      />
      <button
        type="button"
        className={`btn small ${scale.reversed ? "on" : ""}`}
        aria-pressed={scale.reversed}
        onClick={() => change({ reversed: !scale.reversed })}
      >
        Reverse <kbd>R</kbd>
      </button>
      <button
        type="button"
        className={`btn small ${isLog(scale) ? "on" : ""}`}
        aria-pressed={isLog(scale)}
        title="Even steps of ratio; for values above zero"
        onClick={toLog}
      >
        Log
      </button>
      <button
        type="button"
        className={`btn small ${isLocked ? "on" : ""}`}
        aria-pressed={isLocked}
        title="The same scale for this field on every picture and in every run"
        onClick={() => toggleLock(tile.name, scale)}
      >
        {isLocked ? "Locked" : "Lock"} <kbd>K</kbd>
      </button>
      <button
        type="button"
        className="btn small quiet"
        disabled={!field}
        onClick={() =>
          field && change({ low: field.low, high: field.high > field.low ? field.high : field.low + 1 })
        }
        title="The range of what is shown now"
      >
        Fit
      </button>
      <button
        type="button"
        className="btn small quiet"
        disabled={own}
        onClick={() => keepScale(tile.name, null)}
        title="The range of the whole run"
      >
        Whole run
      </button>
    </div>
  );
}

function NumberField({
  label,
  value,
  narrow,
  figures = 4,
  onKeep,
}: {
  label: string;
  value: number;
  narrow?: boolean;
  figures?: number;
  onKeep: (v: number) => void;
}) {
  const shown = show(value, figures).replace("−", "-");
  const [text, setText] = useState(shown);
  useEffect(() => setText(shown), [shown]);
  const keep = () => {
    const v = Number(text.replace("−", "-").replace(",", "."));
    if (text.trim() !== "" && Number.isFinite(v)) onKeep(v);
    else setText(shown);
  };
  return (
    <label className="flex items-center gap-1">
      {label}
      <input
        className="in text-right"
        style={{ width: narrow ? 42 : 76 }}
        value={text}
        onChange={(e) => setText(e.target.value)}
        onBlur={keep}
        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      />
    </label>
  );
}
