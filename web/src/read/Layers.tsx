import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { Popover } from "radix-ui";
import { useMemo, useRef } from "react";
import { api } from "../client";
import type { FieldData, FramesView, Point, Segment } from "../client/views";
import { css, mostOf, type Scale, share } from "../drawing/colour";
import { type Fit, linePath } from "../drawing/fit";
import { arrows, beside, contour, levels, streamlines } from "../drawing/lines";
import { show } from "../drawing/number";
import type { Window } from "../drawing/painter";
import { chosenOf, type Vector, vectorsOf } from "../drawing/vectors";
import { Choose } from "../parts/Choose";
import { told as refused } from "../set/TypedInput";
import { PhotoFields } from "./Photo";
import { useReadingOf } from "./reading";
import { type Layers, scaleOf } from "./tile";
import { keyOf, useField, useFrame, useListing, useSeen } from "./useField";

const COUNT = 11; // lines of equal value between the ends of the scale
const NET = 30; // px between arrows
const APART = 15; // px between lines along the stream
const DOT = 2.2; // px of radius of a thing that is followed
export const METRES: Record<string, number> = { um: 1e-6, mm: 1e-3, cm: 1e-2, m: 1, km: 1e3 };
const PIECE = 7; // px of an edge that has one colour
const ASIDE = 4.5; // px of a screen that its sides are drawn aside
const [LONG, LETTER] = [72, 6.7]; // px of a legend, and of a sign in it

/** Lines of equal value, at even steps of the colour scale. */
export function EqualLines({
  field,
  frames,
  scale,
  f,
}: {
  field: FieldData;
  frames: FramesView;
  scale: Scale;
  f: Fit;
}) {
  const found = useMemo(
    () => levels(scale, COUNT).map((l) => contour(field, frames.x, frames.y, l)),
    [field, frames.x, frames.y, scale],
  );
  const d = found.flat().map((segment) => linePath(segment, f));
  return (
    <g role="img" aria-label={`${COUNT} lines of equal value`}>
      <path d={d.join("")} stroke="var(--enamel)" strokeWidth={2.2} fill="none" opacity={0.7} />
      <path d={d.join("")} stroke="var(--soot)" strokeWidth={0.9} fill="none" />
    </g>
  );
}

function useVector(vector: Vector): [FieldData | null, FieldData | null] {
  const { run } = useSeen();
  const frame = useFrame();
  const [u, v] = vector.parts;
  const along = useField(keyOf(run.id, frame.id, u), u).field;
  const across = useField(keyOf(run.id, frame.id, v), v).field;
  return [along, across];
}

/** Lines along the stream of this frame, with arrows. */
export function StreamLines({ vector, f }: { vector: Vector; f: Fit }) {
  const { frames } = useSeen();
  const [u, v] = useVector(vector);
  const side = Math.min(
    (frames.x[frames.x.length - 1]! - frames.x[0]!) * f.scale,
    (frames.y[frames.y.length - 1]! - frames.y[0]!) * f.tall,
  );
  const tall = Number((f.tall / f.scale).toFixed(9)); // the same at every zoom
  const across = Math.round(Math.min(40, Math.max(3, side / APART)));
  const lines = useMemo(
    () => (u && v ? streamlines(u, v, frames.x, frames.y, across, tall) : []),
    [u, v, frames.x, frames.y, across, tall],
  );
  return (
    <g role="img" aria-label={`${lines.length} lines along the stream`}>
      {lines.map((line, k) => {
        const d = linePath(line, f),
          m = Math.floor(line.length / 2),
          [a, b] = [line[m - 1]!, line[m]!];
        const turn = (Math.atan2(f.Y(b[1]) - f.Y(a[1]), f.X(b[0]) - f.X(a[0])) * 180) / Math.PI;
        return (
          <g key={k}>
            <path d={d} stroke="var(--enamel)" strokeWidth={2.6} fill="none" opacity={0.75} />
            <path d={d} stroke="var(--soot)" strokeWidth={1.1} fill="none" />
            <path
              transform={`translate(${f.X(b[0])} ${f.Y(b[1])}) rotate(${turn})`}
              d="M-5 -3.4L3 0L-5 3.4Z"
              fill="var(--soot)"
              stroke="var(--enamel)"
              strokeWidth={0.8}
            />
          </g>
        );
      })}
    </g>
  );
}

/** Arrows as long as the stream is fast; the longest one is told. */
export function Arrows({ vector, f, window }: { vector: Vector; f: Fit; window: Window }) {
  const { frames, view } = useSeen();
  const [u, v] = useVector(vector);
  const [x0, y0, x1, y1] = view.sheet.box;
  const seen: Window = [
    Math.max(x0, window[0]),
    Math.max(y0, window[1]),
    Math.min(x1, window[2]),
    Math.min(y1, window[3]),
  ];
  const gap = NET / f.scale,
    rise = NET / f.tall,
    mark = [...seen, gap, rise].join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: the numbers in the mark count, not the new array
  const found = useMemo(
    () => (u && v ? arrows(u, v, frames.x, frames.y, seen, gap, rise) : []),
    [u, v, frames.x, frames.y, mark],
  );
  const fastest = Math.max(...found.map((a) => Math.hypot(a.u, a.v)), 0);
  if (!fastest) return null;
  const long = (0.9 * NET) / fastest;
  const d = found
    .filter((a) => Math.hypot(a.u, a.v) > 0.02 * fastest)
    .map((a) => {
      const way = [a.u * f.scale, -a.v * f.tall] as const,
        size0 = Math.hypot(...way) || 1,
        length = Math.hypot(a.u, a.v) * long; // as the sheet turns it, as long as it is fast
      const [dx, dy] = [(way[0] / size0) * length, (way[1] / size0) * length],
        [px, py] = [f.X(a.at[0]) - dx / 2, f.Y(a.at[1]) - dy / 2];
      const size = Math.hypot(dx, dy),
        head = Math.min(6, 0.45 * size),
        [ex, ey] = [dx / size, dy / size];
      const wing = (s: number) =>
        `M${(px + dx).toFixed(1)} ${(py + dy).toFixed(1)}l${(-head * ex - s * 0.5 * head * ey).toFixed(1)} ${(-head * ey + s * 0.5 * head * ex).toFixed(1)}`;
      return `M${px.toFixed(1)} ${py.toFixed(1)}l${dx.toFixed(1)} ${dy.toFixed(1)}${wing(1)}${wing(-1)}`;
    })
    .join("");
  return (
    <g role="img" aria-label={`${found.length} arrows, the longest ${show(fastest, 3)} ${vector.unit}`}>
      <path d={d} stroke="var(--enamel)" strokeWidth={2.8} fill="none" opacity={0.7} />
      <path d={d} stroke="var(--soot)" strokeWidth={1.2} fill="none" strokeLinecap="round" />
    </g>
  );
}

interface Piece {
  from: Point;
  to: Point;
  value: number;
}

/** Edges coloured by the value beside them; screens on both of their sides. */
export function WallColours({ field, scale, f }: { field: FieldData; scale: Scale; f: Fit }) {
  const { frames, view } = useSeen();
  const piece = PIECE / f.scale;
  const [walls, sides] = useMemo(() => {
    const lines = (on: boolean, turned: boolean) =>
      Object.values(view.sheet.edges)
        .filter((e) => (e.on === "screen") === on)
        .flatMap((e) =>
          beside(
            field,
            frames.x,
            frames.y,
            turned ? e.segments.map(([a, b, c, d]) => [c, d, a, b] as Segment) : e.segments,
            piece,
          ),
        );
    return [lines(false, false), [lines(true, false), lines(true, true)]];
  }, [field, frames.x, frames.y, view.sheet.edges, piece]);
  return (
    <g role="img" aria-label={`edges in ${walls.length + sides[0]!.length} colours`}>
      <Coloured pieces={walls} scale={scale} f={f} />
      {sides.map((pieces, k) => (
        <Coloured key={k} pieces={pieces} scale={scale} f={f} aside={ASIDE} />
      ))}
    </g>
  );
}

/** `aside`: px to the left of its way that a piece is drawn. */
function Coloured({
  pieces,
  scale,
  f,
  aside = 0,
}: {
  pieces: Piece[];
  scale: Scale;
  f: Fit;
  aside?: number;
}) {
  const line = (p: Piece) => {
    const [ax, ay, bx, by] = [f.X(p.from[0]), f.Y(p.from[1]), f.X(p.to[0]), f.Y(p.to[1])];
    const long = Math.hypot(bx - ax, by - ay) || 1,
      [dx, dy] = [(-aside * (by - ay)) / long, (aside * (bx - ax)) / long];
    return `M${(ax + dx).toFixed(1)} ${(ay + dy).toFixed(1)}L${(bx + dx).toFixed(1)} ${(by + dy).toFixed(1)}`;
  };
  return (
    <>
      <path d={pieces.map(line).join("")} stroke="var(--soot)" strokeWidth={8} fill="none" />
      {pieces.map((p, k) => (
        <path key={k} d={line(p)} stroke={css(share(p.value, scale), scale)} strokeWidth={5.4} fill="none" />
      ))}
    </>
  );
}

/** What of a quantity passes the edges into the vessel in this frame, with a scale of its own. */
function useEdgeFluxes(quantity: string) {
  const { run } = useSeen();
  const frame = useFrame();
  const { data, error } = useQuery({
    queryKey: ["edge-fluxes", run.id, frame.id, quantity],
    queryFn: () => api.edgeFluxes(run.id, frame.id, quantity),
    staleTime: Infinity,
    retry: false,
    placeholderData: keepPreviousData,
  });
  return useMemo(() => {
    const label = `${quantity.replace(/_/g, " ")} into the vessel`;
    if (!data) return { label, error, pieces: [], scale: null, unit: "" };
    // at corners of a wall what passes has no bound: a few large ones do not leave the rest dark
    const [low, high] = mostOf(data.pieces.map((p) => p[4])) ?? [0, 0],
      scale = scaleOf({ range: [low, high], centred: low < 0 && high > 0 }, {});
    const pieces: Piece[] = data.pieces.map(([a, b, c, d, value]) => ({ from: [a, b], to: [c, d], value }));
    return { label, error, pieces, unit: data.unit, scale };
  }, [data, error, quantity]);
}

/** Edges coloured by it. */
export function EdgeFluxes({ quantity, f }: { quantity: string; f: Fit }) {
  const { label, pieces, scale, unit } = useEdgeFluxes(quantity);
  if (!scale) return null;
  return (
    <g role="img" aria-label={`${label}, ${show(scale.low, 3)} to ${show(scale.high, 3)} ${unit}`}>
      <Coloured pieces={pieces} scale={scale} f={f} />
    </g>
  );
}

/** Its colours, in the upper right corner of a picture that is so wide. */
export function FluxLegend({ quantity, width }: { quantity: string; width: number }) {
  const { label, error, scale, unit } = useEdgeFluxes(quantity);
  if (error || !scale)
    return (
      <text className="n" x={width - 12} y={22} textAnchor="end">
        {error ? `${label}: ${refused(error)}` : ""}
      </text>
    );
  const high = `${show(scale.high, 3)} ${unit}`,
    right = width - 12 - LETTER * (high.length + 1);
  return (
    <g>
      <text className="n" x={right - LONG - 6} y={22} textAnchor="end">
        {`edges: ${label}  ${show(scale.low, 3)}`}
      </text>
      {Array.from({ length: LONG / 4 }, (_, k) => (
        <rect
          key={k}
          x={right - LONG + 4 * k}
          y={13}
          width={4.4}
          height={10}
          fill={css((k + 0.5) / (LONG / 4), scale)}
        />
      ))}
      <text className="n" x={width - 12} y={22} textAnchor="end">
        {high}
      </text>
    </g>
  );
}

/** What a run follows one by one, as points or as lines; hollow points have come to an end. */
export function Points({ name, f }: { name: string; f: Fit }) {
  const { frames } = useSeen();
  const told = useListing(name);
  const listing = frames.listings[name]!;
  if (!told) return null;
  const column = (n: string) => listing.entries.findIndex((e) => e.name === n),
    wide = listing.entries.length;
  const [x, y] = [column("x"), column("y")],
    kind = listing.entries.findIndex((e) => e.words.length > 0);
  if (x < 0 || y < 0) return null;
  const metres = (k: number) => METRES[listing.entries[k]!.unit] ?? 1;
  if (listing.line)
    return (
      <Joined
        label={`${listing.label.toLowerCase()}, as lines`}
        d={joined(told, wide, [x, y, column(listing.line)], (px, py) => [
          f.X(px * metres(x)),
          f.Y(py * metres(y)),
        ])}
      />
    );
  const dots = ["", ""];
  for (let row = 0; row < told.rows; row++) {
    const at = (k: number) => told.values[row * wide + k]!;
    const ended = kind >= 0 && at(kind) > 0 ? 1 : 0;
    const [px, py] = [f.X(at(x) * metres(x)), f.Y(at(y) * metres(y))];
    dots[ended] +=
      `M${(px - DOT).toFixed(1)} ${py.toFixed(1)}a${DOT} ${DOT} 0 1 0 ${2 * DOT} 0a${DOT} ${DOT} 0 1 0 ${-2 * DOT} 0`;
  }
  return (
    <g role="img" aria-label={`${told.of} ${listing.label.toLowerCase()}`}>
      <path d={dots[0]} fill="var(--soot)" stroke="var(--enamel)" strokeWidth={0.8} />
      <path d={dots[1]} fill="none" stroke="var(--enamel)" strokeWidth={2} opacity={0.7} />
      <path d={dots[1]} fill="none" stroke="var(--soot)" strokeWidth={0.9} />
    </g>
  );
}

function Joined({ label, d }: { label: string; d: string }) {
  return (
    <g role="img" aria-label={label} fill="none">
      <path d={d} stroke="var(--enamel)" strokeWidth={4} opacity={0.75} />
      <path d={d} stroke="var(--copperfill)" strokeWidth={1.8} />
    </g>
  );
}

/** Rows of a table as lines: those one after the other that carry the same number go on. */
export function joined(
  told: { rows: number; values: ArrayLike<number> },
  wide: number,
  [x, y, line]: [number, number, number],
  place: (x: number, y: number) => [number, number],
): string {
  let d = "";
  for (let row = 0; row < told.rows; row++) {
    const at = (k: number) => told.values[row * wide + k]!;
    const goes = row > 0 && told.values[(row - 1) * wide + line] === at(line);
    const [px, py] = place(at(x), at(y));
    d += `${goes ? "L" : "M"}${px.toFixed(1)} ${py.toFixed(1)}`;
  }
  return d;
}

const KINDS: [keyof Omit<Layers, "opacity">, string, string, string][] = [
  ["smooth", "Smooth", "M", "instead of flat cells"],
  ["lines", "Lines of equal value", "L", "at even steps of the scale"],
  ["stream", "Lines along the stream", "V", "of this frame"],
  ["arrows", "Arrows", "A", "as long as the stream is fast"],
  ["walls", "Edges in colour", "E", "by the value beside them"],
  ["points", "What is followed", "T", "one by one, as points or lines"],
];

/** Which layers the chosen picture has. */
export function LayerList() {
  const { tiles, active, layer, changeTile } = useReadingOf("tiles", "active", "layer", "changeTile");
  const { frames, view } = useSeen();
  const anchor = useRef<HTMLButtonElement>(null);
  const tile = tiles.find((t) => t.id === active)!,
    vectors = useMemo(() => vectorsOf(frames.fields), [frames.fields]),
    vector = chosenOf(vectors, tile.vector);
  const follows = Object.keys(frames.listings).length > 0;
  const known = KINDS.filter(([k]) =>
    k === "points" ? follows : vector || (k !== "stream" && k !== "arrows"),
  );
  const on = known.filter(([k]) => tile.layers[k]).length;
  return (
    <Popover.Root>
      <Popover.Trigger ref={anchor} className="btn small">{`Layers${on ? `, ${on}` : ""}`}</Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          className="z-20 w-[320px] rounded-md border border-t-[3px] border-rim border-t-copperfill bg-enamel p-2.5 text-[12.5px] shadow-lg"
          aria-label="Layers"
        >
          {known.map(([k, words, key, note]) => (
            <label key={k} className="flex h-[25px] items-center gap-2">
              <input
                type="checkbox"
                className="accent-(--copperfill)"
                checked={tile.layers[k]}
                onChange={() => layer(k)}
              />
              {words}
              <span className="text-ink3">{note}</span>
              <kbd className="ml-auto">{key}</kbd>
            </label>
          ))}
          {view.wall_quantities.length > 0 && (
            <div className="flex items-center gap-2 py-0.5">
              Edges show
              <Choose
                className="in ml-auto w-[168px]"
                label="What edges show"
                value={tile.flux}
                options={[
                  { value: "", label: "the field beside them" },
                  ...view.wall_quantities.map((q) => ({
                    value: q,
                    label: `${q.replace(/_/g, " ")} that passes`,
                  })),
                ]}
                onChoose={(to) => changeTile({ flux: to, layers: { ...tile.layers, walls: true } })}
              />
            </div>
          )}
          {vectors.length > 1 && (
            <div className="flex items-center gap-2 py-0.5">
              Lines and arrows of
              <Choose
                className="in ml-auto w-[168px]"
                label="Vector"
                value={vector!.name}
                options={vectors.map((v) => ({ value: v.name, label: v.label }))}
                onChoose={(to) => changeTile({ vector: to })}
              />
            </div>
          )}
          <label className="mt-1 flex items-center gap-2 border-t border-hair pt-2">
            Field shows through
            <input
              type="range"
              className="ml-auto w-[130px] accent-(--copperfill)"
              min={0}
              max={1}
              step={0.05}
              value={1 - tile.layers.opacity}
              onChange={(e) =>
                changeTile({ layers: { ...tile.layers, opacity: 1 - Number(e.target.value) } })
              }
            />
          </label>
          <PhotoFields />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
