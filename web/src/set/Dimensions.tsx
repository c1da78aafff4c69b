import { useState } from "react";
import { Refusal } from "../client";
import type { CaseView } from "../client/views";
import type { Fit } from "../drawing/fit";
import { typedText, typedValue } from "./TypedInput";
import { type OpenCase, patchAt } from "./useCase";

/** A dimension taken hold of: where it is typed, and where its number stands on the sheet (px). */
export interface Size {
  path: string[];
  typed: string;
  index: [number, number] | null;
  x: number;
  y: number;
}

const HALO = { paintOrder: "stroke", stroke: "var(--well)", strokeWidth: 4 } as const;

/** Dimension lines with slash ticks. A number is a field: a click edits what is typed there. */
export function Dimensions({
  view,
  f,
  part,
  onSize,
}: {
  view: CaseView;
  f: Fit;
  part: string | null;
  onSize: (size: Size) => void;
}) {
  const [x0, y0] = view.sheet.drawn;
  const bottom = f.Y(y0),
    left = f.X(x0);
  let across = 0,
    up = 0;
  const many = Object.keys(view.sheet.parts).length > 4,
    first = Object.keys(view.sheet.parts)[0];
  return (
    <>
      {view.sheet.dimensions
        .filter((d) => (d.chosen ? d.part === part : !many || d.part === first || d.part === part))
        .map((d) => {
          const [ax, ay, bx, by] = [f.X(d.begin[0]), f.Y(d.begin[1]), f.X(d.end[0]), f.Y(d.end[1])];
          const key = d.path.join("/");
          const pick = (x: number, y: number) => ({
            className: "n dimtext",
            role: "button",
            tabIndex: -1,
            "aria-label": `${nameOf(d)}: ${d.typed}`,
            onClick: () => onSize({ path: d.path, typed: d.typed, index: d.index, x, y }),
          });
          if (d.axis === "x") {
            const y = bottom + 62 + 20 * across++;
            return (
              <g key={key}>
                <path
                  className="thin"
                  d={`M${ax} ${ay + 10}V${y + 5}M${bx} ${by + 10}V${y + 5}M${ax - 5} ${y}H${bx + 5}`}
                  strokeOpacity={0.8}
                />
                <path className="tickmark" d={`M${ax - 3} ${y + 3}l6 -6M${bx - 3} ${y + 3}l6 -6`} />
                <text x={(ax + bx) / 2} y={y - 4} textAnchor="middle" {...pick((ax + bx) / 2, y)}>
                  {d.text}
                  <title>{d.typed}</title>
                </text>
              </g>
            );
          }
          if (d.axis === "y") {
            const x = left - 30 - 22 * up++;
            return (
              <g key={key}>
                <path
                  className="thin"
                  d={`M${ax - 10} ${ay}H${x - 5}M${ax - 10} ${by}H${x - 5}M${x} ${ay + 5}V${by - 5}`}
                  strokeOpacity={0.8}
                />
                <path className="tickmark" d={`M${x - 3} ${ay + 3}l6 -6M${x - 3} ${by + 3}l6 -6`} />
                <text
                  transform={`translate(${x - 4} ${(ay + by) / 2}) rotate(-90)`}
                  textAnchor="middle"
                  {...pick(x + 60, (ay + by) / 2)}
                >
                  {d.text}
                  <title>{d.typed}</title>
                </text>
              </g>
            );
          }
          if (d.axis === "at") {
            // one below the other beside a point, off to the side the middle of the vessel is not
            const outward = ax > f.X((view.sheet.box[0] + view.sheet.box[2]) / 2) ? 1 : -1;
            const y = ay - 5 + (d.index ? 12 * d.index[1] : 0),
              x = ax + 8 * outward;
            return (
              <text
                key={key + String(d.index)}
                x={x}
                y={y}
                textAnchor={outward > 0 ? "start" : "end"}
                {...pick(x, y)}
                style={HALO}
              >
                {d.text}
                <title>{d.typed}</title>
              </text>
            );
          }
          const [rx, ry] = [bx - ax, ay - by],
            [c, s] = [Math.cos(d.angle), Math.sin(d.angle)];
          const [ex, ey] = [ax + rx * c + 10 * Math.sign(c), ay - ry * s - 10 * Math.sign(s)];
          return (
            <g key={key}>
              <path className="thin" d={`M${ax} ${ay}L${ex} ${ey}`} strokeOpacity={0.8} />
              <path className="tickmark" d={`M${ex - 3} ${ey + 3}l6 -6`} />
              <text x={ex + 6} y={ey + 4} {...pick(ex + 40, ey)} style={HALO}>
                {d.text}
                <title>{d.typed}</title>
              </text>
            </g>
          );
        })}
    </>
  );
}

/** A size in words: "space width", "wedge point 2 x". */
const nameOf = (s: { path: string[]; index: [number, number] | null }) =>
  s.index ? `${s.path.at(-2)} point ${s.index[0] + 1} ${"xy"[s.index[1]]}` : s.path.slice(-2).join(" ");

/** The field that opens over a dimension: any formula of parameters, with units. */
export function SizeField({
  view,
  open,
  size,
  onClose,
}: {
  view: CaseView;
  open: OpenCase;
  size: Size;
  onClose: () => void;
}) {
  const [text, setText] = useState(typedText(size.typed));
  const [trouble, setTrouble] = useState("");
  const keep = async () => {
    try {
      await open.tryEdit(
        patchAt(size.path, valueAt(view, size, typedValue(text))),
        `${nameOf(size)} = ${text}`,
      );
      onClose();
    } catch (e) {
      setTrouble(
        e instanceof Refusal ? e.faults.map((f) => `${f.says}. ${f.cure}`).join(" ") || e.message : String(e),
      );
    }
  };
  return (
    <div
      className="card"
      style={{ left: Math.max(8, size.x - 90), top: Math.max(8, size.y - 16), width: 210 }}
      role="dialog"
      aria-label={`Size: ${nameOf(size)}`}
    >
      <div className="flex flex-col gap-1 p-2">
        <label className="text-[11.5px] text-ink3" htmlFor="size-field">
          {nameOf(size).replace(/_/g, " ")}
        </label>
        <input
          id="size-field"
          className={`in ${trouble ? "bad" : ""}`}
          autoFocus
          value={text}
          onFocus={(e) => e.target.select()}
          onChange={(e) => setText(e.target.value)}
          onKeyDown={(e) => {
            if (e.key === "Enter") void keep();
            if (e.key === "Escape") {
              e.stopPropagation();
              onClose();
            }
          }}
          onBlur={() => !trouble && text === size.typed && onClose()}
        />
        {trouble ? (
          <p role="alert" className="text-[11.5px] text-copper">
            {trouble}
          </p>
        ) : (
          <p className="text-[11.5px] text-ink3">Enter keeps it; parameters may be named.</p>
        )}
      </div>
    </div>
  );
}

/** What stands at a size's path afterwards: a list of points is written as a whole. */
function valueAt(view: CaseView, size: Size, typed: unknown): unknown {
  if (!size.index) return typed;
  const [k, axis] = size.index,
    points = view.data.vessel.parts[size.path[2]!]!.points as unknown[][];
  return points.map((p, m) => (m === k ? p.map((c, a) => (a === axis ? typed : c)) : p));
}
