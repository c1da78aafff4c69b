import { useEffect, useState } from "react";
import type { FieldData } from "../client/views";
import type { Scale } from "../drawing/colour";
import { show } from "../drawing/number";

/** One control for the colour scale: range, steps, direction. */
export function ScaleControl({ scale, unit, field, own, onChange, onReset }: {
  scale: Scale; unit: string; field: FieldData | null; own: boolean; onChange: (s: Partial<Scale>) => void; onReset: () => void;
}) {
  return (
    <div className="flex flex-none items-center gap-2 border-b border-hair bg-dip px-2.5 py-1 text-[12px] text-ink2">
      <span className="cap">Scale</span>
      <NumberField label="low" value={scale.low} onKeep={(low) => low < scale.high && onChange({ low })} />
      <NumberField label="high" value={scale.high} onKeep={(high) => high > scale.low && onChange({ high })} />
      <span className="text-ink3">{unit || "plain number"}</span>
      <NumberField label="steps" value={scale.steps} narrow onKeep={(v) => onChange({ steps: Math.min(256, Math.max(2, Math.round(v))) })} />
      <button className={`btn small ${scale.reversed ? "on" : ""}`} aria-pressed={scale.reversed} onClick={() => onChange({ reversed: !scale.reversed })}>Reverse <kbd>R</kbd></button>
      <button className="btn small quiet" disabled={!field} onClick={() => field && onChange({ low: field.low, high: field.high > field.low ? field.high : field.low + 1 })}>Fit to frame</button>
      <button className="btn small quiet" disabled={own} onClick={onReset}>Whole run</button>
    </div>
  );
}

function NumberField({ label, value, narrow, onKeep }: { label: string; value: number; narrow?: boolean; onKeep: (v: number) => void }) {
  const shown = show(value, 4).replace("−", "-");
  const [text, setText] = useState(shown);
  useEffect(() => setText(shown), [shown]);
  const keep = () => {
    const v = Number(text.replace("−", "-"));
    if (text.trim() !== "" && Number.isFinite(v)) onKeep(v);
    else setText(shown);
  };
  return (
    <label className="flex items-center gap-1">{label}
      <input className="in text-right" style={{ width: narrow ? 46 : 74 }} value={text} onChange={(e) => setText(e.target.value)} onBlur={keep} onKeyDown={(e) => e.key === "Enter" && keep()} />
    </label>
  );
}
