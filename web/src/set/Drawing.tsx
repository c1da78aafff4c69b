import { type PointerEvent, type ReactNode, useRef, useState } from "react";
import type { CaseView, Point } from "../client/views";
import type { Fit } from "../drawing/fit";
import { show } from "../drawing/number";
import {
  dragged,
  drawn,
  ghost,
  handlesOf,
  isThin,
  shifted,
  snap,
  step,
  stops,
  typedLength,
} from "../drawing/shapes";
import { useKeys } from "../parts/keys";
import { type Patch, patchAt } from "./useCase";

export type Tool =
  | "places"
  | "parts"
  | "nozzle"
  | "fill"
  | "rectangle"
  | "circle"
  | "polygon"
  | "duct"
  | "arc"
  | "plate"
  | "screen";
export type Does = "add" | "cut" | "zone";

const NEAR = 9; // pixels within which something snaps
const THROUGH: Tool[] = ["polygon", "duct"];

interface Drag {
  part: string;
  nozzle: boolean;
  handle: string;
  from: Point;
  by: Point;
  guides: [number | null, number | null];
}

/** Drawing over the sheet: parts are taken hold of, drawn, stretched; nozzles slide along their side. */
export function Drawing({
  view,
  f,
  tool,
  does,
  part,
  onFill,
  onPart,
  onPatch,
  onTool,
}: {
  view: CaseView;
  f: Fit;
  tool: Tool;
  does: Does;
  part: string | null;
  onFill: (low: Point, high: Point) => void;
  onPart: (name: string | null) => void;
  onPatch: (patch: Patch, label: string) => void;
  onTool: (tool: Tool) => void;
}) {
  const [drag, setDrag] = useState<Drag | null>(null);
  const [begun, setBegun] = useState<Point | null>(null);
  const [points, setPoints] = useState<Point[]>([]);
  const [here, setHere] = useState<Point | null>(null);
  const surface = useRef<SVGRectElement>(null);
  const round = step(f.scale),
    high = step(f.tall),
    near = NEAR / f.scale,
    nearUp = NEAR / f.tall;
  const across = stops(view.sheet, 0, part ?? ""),
    up = stops(view.sheet, 1, part ?? "");
  const parts = view.data.vessel.parts,
    nozzles = view.data.vessel.nozzles ?? {};
  const free = (stem: string) => {
    let k = 1;
    while (parts[`${stem}${k}`] || nozzles[`${stem}${k}`]) k++;
    return `${stem}${k}`;
  };
  const spot = (e: PointerEvent): Point => {
    const box = surface.current!.ownerSVGElement!.getBoundingClientRect();
    return [f.x(e.clientX - box.left), f.y(e.clientY - box.top)];
  };
  const settled = (p: Point): [Point, Drag["guides"]] => {
    const sx = snap([p[0]], 0, near, across, round),
      sy = snap([p[1]], 0, nearUp, up, high);
    return [
      [p[0] + sx.by, p[1] + sy.by],
      [sx.at, sy.at],
    ];
  };
  const put = (entries: Record<string, unknown>) => {
    const name = free(entries.does === "screen" ? "screen" : String(entries.shape));
    onPatch(patchAt(["vessel", "parts", name], entries), `draw ${name}`);
    onPart(name);
    onTool("parts");
    setBegun(null);
    setPoints([]);
  };
  // nothing can be cut out of, or marked, where no space is open: there a part opens some
  const doing = (...drawnAt: Point[]): Does => {
    const [x0, y0, x1, y1] = view.sheet.box;
    const mean = (k: 0 | 1) => drawnAt.reduce((sum, p) => sum + p[k], 0) / drawnAt.length;
    const [x, y] = [mean(0), mean(1)];
    return x < x0 || x > x1 || y < y0 || y > y1 ? "add" : does;
  };
  const finish = () => {
    if (points.length >= (tool === "polygon" ? 3 : 2))
      put(drawn(tool, doing(...points), points[0]!, points[0]!, points));
  };
  const move = (e: PointerEvent) => {
    const now = spot(e);
    if (!drag) {
      if (tool !== "parts") setHere(settled(now)[0]);
      return;
    }
    const shift: Point = [now[0] - drag.from[0], now[1] - drag.from[1]];
    if (drag.nozzle) {
      setDrag({ ...drag, by: shift });
      return;
    }
    const g = view.sheet.parts[drag.part]!;
    const at = handlesOf(g).find((h) => h.id === drag.handle)?.at;
    const [x0, y0, x1, y1] = g.box;
    const edges: [number[], number[]] = at
      ? [[at[0]], [at[1]]]
      : [
          [x0, x1, (x0 + x1) / 2],
          [y0, y1, (y0 + y1) / 2],
        ];
    const sx = snap(edges[0], shift[0], near, across, round),
      sy = snap(edges[1], shift[1], nearUp, up, high);
    const [fixX, fixY] = [/^(top|bottom)$/.test(drag.handle), /^(left|right|radius)$/.test(drag.handle)];
    setDrag({
      ...drag,
      by: [fixX ? 0 : shift[0] + sx.by, fixY ? 0 : shift[1] + sy.by],
      guides: [fixX ? null : sx.at, fixY ? null : sy.at],
    });
  };
  const drop = () => {
    if (!drag) return;
    setDrag(null);
    const [dx, dy] = drag.by;
    if (Math.hypot(dx * f.scale, dy * f.tall) < 2) return;
    if (drag.nozzle) return slide(drag.part, dx, dy);
    const typed = parts[drag.part]!;
    onPatch(
      patchAt(["vessel", "parts", drag.part], dragged(String(typed.shape), typed, drag.handle, dx, dy)),
      `${drag.handle ? "stretch" : "move"} ${drag.part}`,
    );
  };
  const slide = (name: string, dx: number, dy: number) => {
    const n = nozzles[name]!,
      side = view.sheet.sides.find((s) => s.part === n.part && s.side === n.side);
    if (!side) return;
    const [low, high] = ["top", "left"].includes(side.side) ? [side.end, side.begin] : [side.begin, side.end];
    const length = Math.hypot(high[0] - low[0], high[1] - low[1]);
    const along = ((high[0] - low[0]) * dx + (high[1] - low[1]) * dy) / length;
    onPatch(
      patchAt(["vessel", "nozzles", name, "at"], shifted(n.at, Math.round(along / round) * round)),
      `slide ${name}`,
    );
  };
  const nozzleAt = (p: Point) => {
    const found = view.sheet.sides
      .map((s) => ({ s, ...project(p, s.begin, s.end) }))
      .filter((k) => k.away < 24 / Math.min(f.scale, f.tall))
      .sort((a, b) => a.away - b.away)[0];
    if (!found) return;
    const { s } = found,
      back = ["top", "left"].includes(s.side);
    const at = Math.round((back ? found.length - found.along : found.along) / round) * round;
    const bore =
      Math.min(Math.max(Number((found.length / 4).toPrecision(1)), round), 2 * at, 2 * (found.length - at)) ||
      found.length / 4;
    const name = free("nozzle");
    onPatch(
      patchAt(["vessel", "nozzles", name], {
        part: s.part,
        side: s.side,
        at: typedLength(at),
        bore: typedLength(bore),
      }),
      `nozzle on ${s.part} ${s.side}`,
    );
    onPart(name);
    onTool("parts");
  };
  const nudge = (dx: number, dy: number) => {
    if (part && parts[part])
      onPatch(
        patchAt(
          ["vessel", "parts", part],
          dragged(String(parts[part]!.shape), parts[part]!, "", dx * round, dy * high),
        ),
        `move ${part}`,
      );
    else if (part && nozzles[part]) slide(part, dx * round, dy * high);
  };
  useKeys(
    tool === "places"
      ? {}
      : {
          ArrowLeft: () => nudge(-1, 0),
          ArrowRight: () => nudge(1, 0),
          ArrowUp: () => nudge(0, 1),
          ArrowDown: () => nudge(0, -1),
          "shift+ArrowLeft": () => nudge(-10, 0),
          "shift+ArrowRight": () => nudge(10, 0),
          "shift+ArrowUp": () => nudge(0, 10),
          "shift+ArrowDown": () => nudge(0, -10),
          Delete: () => {
            if (part) {
              onPatch(patchAt(["vessel", parts[part] ? "parts" : "nozzles", part], null), `drop ${part}`);
              onPart(null);
            }
          },
          Backspace: () => setPoints(points.slice(0, -1)),
          Enter: () => {
            if (points.length) finish();
            else if (!["parts", "nozzle", "fill"].includes(tool)) put(middle(tool, does, view));
          },
          Escape: () => {
            setPoints([]);
            setBegun(null);
            setDrag(null);
            onTool(tool === "parts" ? "places" : "parts");
          },
        },
  );
  if (tool === "places") return null;
  const chosen = part ? view.sheet.parts[part] : undefined;
  const small =
    !!chosen &&
    Math.min((chosen.box[2] - chosen.box[0]) * f.scale, (chosen.box[3] - chosen.box[1]) * f.tall) < 40;
  const line = (ring: Point[], closed = true) =>
    ring.map(([x, y], k) => `${k ? "L" : "M"}${f.X(x).toFixed(1)} ${f.Y(y).toFixed(1)}`).join("") +
    (closed ? "Z" : "");
  const fresh = begun && here ? drawn(tool, doing(begun, here), begun, here, []) : null;
  const guide = (g: Drag["guides"]) => (
    <>
      {g[0] !== null && <path d={`M${f.X(g[0])} 16V2000`} className="guide" />}
      {g[1] !== null && <path d={`M16 ${f.Y(g[1])}H4000`} className="guide" />}
    </>
  );
  return (
    <g role="group" className={tool === "parts" ? "" : "cursor-crosshair"} aria-label="Drawing">
      <rect
        ref={surface}
        x={16}
        y={16}
        width="100%"
        height="100%"
        fill="transparent"
        onPointerMove={move}
        onPointerUp={(e) => {
          if (begun && here && Math.hypot((here[0] - begun[0]) / round, (here[1] - begun[1]) / high) > 1) {
            if (tool === "fill") {
              setBegun(null);
              onFill(
                [Math.min(begun[0], here[0]), Math.min(begun[1], here[1])],
                [Math.max(begun[0], here[0]), Math.max(begun[1], here[1])],
              );
            } else put(drawn(tool, doing(begun, here), begun, here, []));
          } else {
            if (begun && tool === "screen") setPoints([...points, begun]);
            setBegun(null);
            drop();
          }
          e.stopPropagation();
        }}
        onPointerDown={(e) => {
          const p = settled(spot(e))[0];
          if (tool === "parts") onPart(null);
          else if (tool === "nozzle") nozzleAt(spot(e));
          else if (THROUGH.includes(tool)) setPoints([...points, p]);
          else {
            setBegun(p);
            setHere(p);
            e.currentTarget.setPointerCapture(e.pointerId);
          }
        }}
        onDoubleClick={finish}
      />
      {tool === "parts" &&
        Object.entries(view.sheet.parts).map(([n, g]) => {
          const d = line(ghost(g, "", 0, 0), !isThin(g.shape));
          return (
            <path
              key={n}
              d={d}
              fill={isThin(g.shape) ? "none" : "transparent"}
              stroke={n === part ? "var(--copperfill)" : "var(--slate)"}
              strokeWidth={n === part ? 2 : 1}
              strokeDasharray={n === part ? undefined : "4 3"}
              className="cursor-move"
              {...holds(n, false, "")}
            >
              <title>{n.replace(/_/g, " ")}</title>
            </path>
          );
        })}
      {tool === "parts" &&
        Object.entries(view.sheet.nozzles).map(([n, m]) => (
          <path
            key={n}
            d={`M${f.X(m.begin[0])} ${f.Y(m.begin[1])}L${f.X(m.end[0])} ${f.Y(m.end[1])}`}
            stroke={n === part ? "var(--copperfill)" : "var(--slate)"}
            strokeWidth={7}
            strokeOpacity={0.75}
            className="cursor-move"
            {...holds(n, true, "")}
          >
            <title>{n.replace(/_/g, " ")}</title>
          </path>
        ))}
      {tool === "parts" &&
        chosen &&
        handlesOf(chosen)
          .filter((h) => !small || h.says === "corner" || !h.says.endsWith("side"))
          .map((h) => (
            <rect
              key={h.id}
              x={f.X(h.at[0]) - 4.5}
              y={f.Y(h.at[1]) - 4.5}
              width={9}
              height={9}
              fill="var(--well)"
              stroke="var(--copperfill)"
              strokeWidth={1.6}
              className="cursor-pointer"
              {...holds(part!, false, h.id)}
            >
              <title>{h.says}</title>
            </rect>
          ))}
      <g pointerEvents="none">
        {drag && !drag.nozzle && (
          <path
            d={line(
              ghost(view.sheet.parts[drag.part]!, drag.handle, ...drag.by),
              !isThin(view.sheet.parts[drag.part]!.shape) &&
                (view.sheet.parts[drag.part]!.shape !== "duct" || drag.handle === ""),
            )}
            className="ghost"
          />
        )}
        {drag?.nozzle &&
          (() => {
            const m = view.sheet.nozzles[drag.part]!;
            return (
              <path
                d={`M${f.X(m.begin[0] + drag.by[0])} ${f.Y(m.begin[1] + drag.by[1])}L${f.X(m.end[0] + drag.by[0])} ${f.Y(m.end[1] + drag.by[1])}`}
                className="ghost"
                strokeWidth={5}
              />
            );
          })()}
        {drag && guide(drag.guides)}
        {drag && (
          <Says
            f={f}
            at={[drag.from[0] + drag.by[0], drag.from[1] + drag.by[1]]}
          >{`${signed(drag.by[0])} / ${signed(drag.by[1])} mm`}</Says>
        )}
        {fresh &&
          here &&
          begun &&
          (tool === "circle" || tool === "arc" ? (
            <ellipse
              cx={f.X(begun[0])}
              cy={f.Y(begun[1])}
              rx={Math.hypot(here[0] - begun[0], here[1] - begun[1]) * f.scale}
              ry={Math.hypot(here[0] - begun[0], here[1] - begun[1]) * f.tall}
              className="ghost"
            />
          ) : tool === "plate" || tool === "screen" ? (
            <path
              d={line(
                fresh.shape === "line"
                  ? [begun, here]
                  : String(fresh.along) === "x"
                    ? [begun, [here[0], begun[1]]]
                    : [begun, [begun[0], here[1]]],
                false,
              )}
              className="ghost"
            />
          ) : (
            <path d={line([begun, [here[0], begun[1]], here, [begun[0], here[1]]])} className="ghost" />
          ))}
        {points.length > 0 && (
          <path
            d={line([...points, ...(here ? [here] : [])], tool === "polygon" && points.length > 1)}
            className="ghost"
          />
        )}
        {points.map((p, k) => (
          <circle key={k} cx={f.X(p[0])} cy={f.Y(p[1])} r={3.4} fill="var(--copperfill)" />
        ))}
        {here && tool !== "parts" && guide(settled(here)[1])}
        {here && tool !== "parts" && (
          <Says f={f} at={here}>
            {begun
              ? `${show(Math.abs(here[0] - begun[0]) * 1e3, 4)} x ${show(Math.abs(here[1] - begun[1]) * 1e3, 4)} mm`
              : `x ${show(here[0] * 1e3, 4)}, y ${show(here[1] * 1e3, 4)} mm`}
          </Says>
        )}
      </g>
    </g>
  );

  function holds(name: string, nozzle: boolean, handle: string) {
    return {
      onPointerDown: (e: PointerEvent) => {
        e.stopPropagation();
        onPart(name);
        setDrag({ part: name, nozzle, handle, from: spot(e), by: [0, 0], guides: [null, null] });
        surface.current!.setPointerCapture(e.pointerId);
      },
    };
  }
}

const signed = (v: number) => `${v < 0 ? "−" : "+"}${show(Math.abs(v) * 1e3, 4)}`;

function Says({ f, at, children }: { f: Fit; at: Point; children: ReactNode }) {
  return (
    <text
      className="n"
      x={f.X(at[0]) + 12}
      y={f.Y(at[1]) - 12}
      style={{ paintOrder: "stroke", stroke: "var(--well)", strokeWidth: 4, fill: "var(--copper)" }}
    >
      {children}
    </text>
  );
}

/** Where a point lies beside a straight side (m). */
function project(p: Point, a: Point, b: Point) {
  const length = Math.hypot(b[0] - a[0], b[1] - a[1]);
  const along = Math.min(
    length,
    Math.max(0, ((p[0] - a[0]) * (b[0] - a[0]) + (p[1] - a[1]) * (b[1] - a[1])) / length),
  );
  const [x, y] = [a[0] + (along / length) * (b[0] - a[0]), a[1] + (along / length) * (b[1] - a[1])];
  return { length, along, away: Math.hypot(p[0] - x, p[1] - y) };
}

/** A part of modest size in the middle, for those who draw by keyboard. */
function middle(tool: Tool, does: Does, view: CaseView) {
  const [x0, y0, x1, y1] = view.sheet.box,
    [w, h] = [x1 - x0, y1 - y0];
  const [a, b]: [Point, Point] = [
    [x0 + 0.4 * w, y0 + 0.4 * h],
    [x0 + 0.6 * w, y0 + 0.6 * h],
  ];
  const round = step(1, Math.min(w, h) / 100);
  const tidy = (p: Point): Point => [Math.round(p[0] / round) * round, Math.round(p[1] / round) * round];
  return drawn(
    tool,
    does,
    tidy(a),
    tidy(b),
    [a, [b[0], a[1]] as Point, b].map((p) => tidy(p as Point)),
  );
}
