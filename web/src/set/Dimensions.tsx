import { useState } from "react";
import type { CaseView } from "../client/views";
import type { Fit } from "../drawing/fit";
import { Refusal } from "../client";
import { typedText, typedValue } from "./TypedInput";
import { patchAt, type OpenCase } from "./useCase";

/** A dimension taken hold of: where it is typed, and where its number stands on the sheet (px). */
export interface Size { path: string[]; typed: string; x: number; y: number }

/** Dimension lines with slash ticks. A number is a field: a click edits what is typed there. */
export function Dimensions({ view, f, part, onSize }: { view: CaseView; f: Fit; part: string | null; onSize: (size: Size) => void }) {
  const [x0, y0] = view.sheet.drawn;
  const bottom = f.Y(y0), left = f.X(x0);
  let across = 0, up = 0, turned = 0;
  const many = Object.keys(view.sheet.parts).length > 4, first = Object.keys(view.sheet.parts)[0];
  return <>{view.sheet.dimensions.filter((d) => !many || d.part === first || d.part === part).map((d) => {
    const [ax, ay, bx, by] = [f.X(d.from[0]), f.Y(d.from[1]), f.X(d.to[0]), f.Y(d.to[1])];
    const key = d.path.join("/");
    const pick = (x: number, y: number) => ({ className: "n dimtext", role: "button", tabIndex: -1, "aria-label": `${d.path.slice(-2).join(" ")}: ${d.typed}`, onClick: () => onSize({ path: d.path, typed: d.typed, x, y }) });
    if (d.axis === "x") {
      const y = bottom + 62 + 20 * across++;
      return (
        <g key={key}>
          <path className="thin" d={`M${ax} ${ay + 10}V${y + 5}M${bx} ${by + 10}V${y + 5}M${ax - 5} ${y}H${bx + 5}`} strokeOpacity={0.8} />
          <path className="tickmark" d={`M${ax - 3} ${y + 3}l6 -6M${bx - 3} ${y + 3}l6 -6`} />
          <text x={(ax + bx) / 2} y={y - 4} textAnchor="middle" {...pick((ax + bx) / 2, y)}>{d.text}<title>{d.typed}</title></text>
        </g>
      );
    }
    if (d.axis === "y") {
      const x = left - 30 - 22 * up++;
      return (
        <g key={key}>
          <path className="thin" d={`M${ax - 10} ${ay}H${x - 5}M${ax - 10} ${by}H${x - 5}M${x} ${ay + 5}V${by - 5}`} strokeOpacity={0.8} />
          <path className="tickmark" d={`M${x - 3} ${ay + 3}l6 -6M${x - 3} ${by + 3}l6 -6`} />
          <text transform={`translate(${x - 4} ${(ay + by) / 2}) rotate(-90)`} textAnchor="middle" {...pick(x + 60, (ay + by) / 2)}>{d.text}<title>{d.typed}</title></text>
        </g>
      );
    }
    const angle = [0.25, -0.25, 0.12, -0.12][turned++ % 4]! * Math.PI, far = (bx - ax) * Math.cos(angle) + 10;
    const [ex, ey] = [ax + far, ay - (ay - by || (bx - ax) * (f.tall / f.scale)) * Math.sin(angle) - 10 * Math.sign(angle)];
    return (
      <g key={key}>
        <path className="thin" d={`M${ax} ${ay}L${ex} ${ey}`} strokeOpacity={0.8} />
        <path className="tickmark" d={`M${ex - 3} ${ey + 3}l6 -6`} />
        <text x={ex + 6} y={ey + 4} {...pick(ex + 40, ey)} style={{ paintOrder: "stroke", stroke: "var(--well)", strokeWidth: 4 }}>{d.text}<title>{d.typed}</title></text>
      </g>
    );
  })}</>;
}

/** The field that opens over a dimension: any formula of parameters, with units. */
export function SizeField({ open, size, onClose }: { open: OpenCase; size: Size; onClose: () => void }) {
  const [text, setText] = useState(typedText(size.typed));
  const [trouble, setTrouble] = useState("");
  const keep = async () => {
    try {
      await open.tryEdit(patchAt(size.path, typedValue(text)), `${size.path.slice(-2).join(" ")} = ${text}`);
      onClose();
    } catch (e) {
      setTrouble(e instanceof Refusal ? e.faults.map((f) => `${f.says}. ${f.cure}`).join(" ") || e.message : String(e));
    }
  };
  return (
    <div className="card" style={{ left: Math.max(8, size.x - 90), top: Math.max(8, size.y - 16), width: 210 }} role="dialog" aria-label={`Size: ${size.path.slice(-2).join(" ")}`}>
      <div className="flex flex-col gap-1 p-2">
        <label className="text-[11.5px] text-ink3" htmlFor="size-field">{size.path.slice(-2).join(", ").replace(/_/g, " ")}</label>
        <input id="size-field" className={`in ${trouble ? "bad" : ""}`} autoFocus value={text} onFocus={(e) => e.target.select()} onChange={(e) => setText(e.target.value)}
          onKeyDown={(e) => { if (e.key === "Enter") void keep(); if (e.key === "Escape") { e.stopPropagation(); onClose(); } }} onBlur={() => !trouble && text === size.typed && onClose()} />
        {trouble ? <p role="alert" className="text-[11.5px] text-copper">{trouble}</p> : <p className="text-[11.5px] text-ink3">Enter keeps it; parameters may be named.</p>}
      </div>
    </div>
  );
}
