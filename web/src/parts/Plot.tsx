import { useEffect, useMemo, useRef } from "react";
import uPlot from "uplot";
import { digits, show } from "../drawing/number";
import { useSize } from "./useSize";

const INKS = ["--d1", "--d2", "--d3", "--d4", "--d5", "--d6"];
const LEVEL = 1e-9; // of a value, below which it does not change
const DASHES: number[][] = [[], [6, 3], [2, 2], [8, 2, 2, 2], [1, 3], [10, 4]];
const FILL = "2e"; // how much of an ink what is filled has

export interface Line {
  label: string;
  values: (number | null | undefined)[];
  /** Which ink it has; its own where none is told. Lines of one ink are named once. */
  ink?: number;
}
/** What was measured, at its own places. */
export interface Points {
  label: string;
  x: number[];
  y: number[];
}

/** A frame with at most a few lines; dashes repeat what the inks say. */
export function Plot({
  x,
  lines,
  xLabel,
  unit,
  log = false,
  mark,
  points,
  filled = false,
}: {
  x: number[];
  lines: Line[];
  xLabel: string;
  unit?: string;
  log?: boolean;
  mark?: number | null;
  points?: Points | null;
  /** Whether what lies between each line and the one before is filled, from nought on. */
  filled?: boolean;
}) {
  const { ref, width, height } = useSize<HTMLDivElement>();
  const plot = useRef<uPlot | null>(null);
  const names = [...lines.map((l) => `${l.label} ${l.ink ?? ""}`), points?.label ?? ""].join("|");
  const named = lines
    .map((l, k) => ({ label: l.label, ink: l.ink ?? k }))
    .filter((l, k, all) => all.findIndex((o) => o.ink === l.ink) === k);
  const data = useMemo(() => {
    const own = [x, ...lines.map((l) => l.values)] as uPlot.AlignedData;
    return points ? uPlot.join([own, sorted(points)]) : own;
  }, [x, lines, points]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: a plot is made anew for other names only; what is drawn in it follows below
  useEffect(() => {
    if (!ref.current || width < 40 || height < 40) return;
    const style = getComputedStyle(document.documentElement);
    const ink = (name: string) => style.getPropertyValue(name).trim();
    const axis = (size: number): uPlot.Axis => ({
      stroke: ink("--ink2"),
      font: "11px 'Spline Sans Mono'",
      size,
      gap: 3,
      grid: { stroke: ink("--hair2"), width: 1 },
      ticks: { stroke: ink("--slateline"), width: 1, size: 4 },
      values: (_u, splits) => {
        const d = digits(splits);
        return splits.map((v) => (v === null ? "" : brief(v, d)));
      },
    });
    plot.current = new uPlot(
      {
        width,
        height: height,
        legend: { show: false },
        cursor: { y: false, points: { size: 6 } },
        padding: [6, 10, 0, 2],
        scales: {
          x: { time: false },
          y: log ? { distr: 3 } : { range: (_u, low, high) => padded(low, high) },
        },
        axes: [axis(24), log ? { ...axis(54), splits: (_u, _k, low, high) => decades(low, high) } : axis(54)],
        bands: filled
          ? lines.slice(1).map((l, k) => ({
              series: [k + 2, k + 1] as [number, number],
              fill: ink(INKS[(l.ink ?? k + 1) % INKS.length]!) + FILL,
            }))
          : [],
        series: [
          {},
          ...lines.map((l, k) => ({
            label: l.label,
            stroke: ink(INKS[(l.ink ?? k) % INKS.length]!),
            dash: DASHES[(l.ink ?? k) % INKS.length],
            width: 1.5,
            points: { show: false },
            spanGaps: false,
            ...(filled && k === 0 ? { fill: ink(INKS[0]!) + FILL } : {}),
          })),
          ...(points
            ? [
                {
                  label: points.label,
                  stroke: ink("--copper"),
                  paths: () => null,
                  points: { show: true, size: 6, width: 1.4, fill: ink("--well") },
                },
              ]
            : []),
        ],
      },
      data,
      ref.current,
    );
    return () => {
      plot.current?.destroy();
      plot.current = null;
    };
    // the plot is made anew only when its frame or its set of lines changes
  }, [width, height, names, log, filled]);
  useEffect(() => {
    plot.current?.setData(data);
  }, [data]);
  const at = mark === undefined || mark === null || x.length < 2 ? null : mark;
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      {(named.length > 1 || points) && (
        <div className="flex flex-wrap gap-x-3 px-2 pt-1 text-[11px] text-ink2">
          {named.map(({ label, ink }) => (
            <span key={label} className="flex items-center gap-1">
              <svg width="18" height="6" aria-hidden="true">
                <path
                  d="M0 3H18"
                  stroke={`var(${INKS[ink % INKS.length]})`}
                  strokeWidth="1.6"
                  strokeDasharray={DASHES[ink % INKS.length]!.join(" ")}
                />
              </svg>
              {label}
            </span>
          ))}
          {points && (
            <span className="flex items-center gap-1">
              <svg width="10" height="8" aria-hidden="true">
                <circle cx="5" cy="4" r="2.8" fill="none" stroke="var(--copper)" strokeWidth="1.4" />
              </svg>
              {points.label}
            </span>
          )}
        </div>
      )}
      <div ref={ref} className="relative min-h-0 flex-1 overflow-hidden" />
      <div className="flex justify-between px-2 pb-1 text-[11px] text-ink3">
        <span>{unit ? `in ${unit}` : ""}</span>
        <span>{at !== null ? `${xLabel}, now ${show(at)}` : xLabel}</span>
      </div>
    </div>
  );
}

/** Points in the order of their places, as the plot wants them. */
function sorted(points: Points): uPlot.AlignedData {
  const order = points.x.map((_, k) => k).sort((a, b) => points.x[a]! - points.x[b]!);
  return [order.map((k) => points.x[k]!), order.map((k) => points.y[k]!)];
}

/** A tick's number, without trailing zeros. */
function brief(v: number, digits: number): string {
  return show(v, digits).replace(/\.?0+e/, "e");
}

/** Whole powers of ten between two bounds, at most seven of them. */
export function decades(low: number, high: number): number[] {
  const first = Math.ceil(Math.log10(low) - 1e-9),
    last = Math.floor(Math.log10(high) + 1e-9);
  if (!(last >= first)) return [low, high];
  const stride = Math.max(1, Math.ceil((last - first + 1) / 7));
  return Array.from(
    { length: Math.floor((last - first) / stride) + 1 },
    (_, k) => 10 ** (first + k * stride),
  );
}

/** The ends of an axis: some room around what is drawn. What differs by rounding alone is level: an axis cannot be divided that finely. */
export function padded(low: number, high: number): [number, number] {
  if (!Number.isFinite(low) || !Number.isFinite(high)) return [0, 1];
  const size = Math.max(Math.abs(low), Math.abs(high)),
    isLevel = high - low <= LEVEL * size;
  const room = isLevel ? size * 0.1 || 1 : 0.06 * (high - low);
  return [low - room, high + room];
}
