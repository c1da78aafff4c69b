import { memo, type ReactNode, useMemo, useState } from "react";
import type { CaseView, RowView } from "../client/views";
import { LETTER, placeBalloons, type Spot } from "../drawing/balloons";
import {
  anchorOf,
  closer,
  type Fit,
  fit,
  ratioOf,
  reach,
  ringPath,
  segmentPath,
  WHOLE,
  type Zoom,
  zoomed,
} from "../drawing/fit";
import { show } from "../drawing/number";
import { useKeys } from "../parts/keys";
import { useSize } from "../parts/useSize";
import { Dimensions, type Size } from "./Dimensions";
import { balloonOf } from "./Ledger";
import { isPicked, type Picked, useRested } from "./picking";
import { TitleBlock } from "./TitleBlock";

export const MARGINS = { left: 92, right: 56, top: 66, bottom: 178 };

/** The vessel as an engineering sheet. A click on an edge or zone picks its place. */
export function Sheet({
  view,
  part,
  shaping,
  stretched,
  showGrid,
  showDimensions,
  onPick,
  onSize,
  under,
  drawing,
  card,
}: {
  view: CaseView;
  part: string | null;
  shaping: boolean;
  stretched: boolean;
  showGrid: boolean;
  showDimensions: boolean;
  onPick: (p: Picked, more: boolean) => void;
  onSize: (size: Size) => void;
  under: ((f: Fit) => ReactNode) | null;
  drawing: (f: Fit) => ReactNode;
  card: (f: Fit) => ReactNode;
}) {
  const { ref, width, height } = useSize<HTMLDivElement>();
  const [zoom, setZoom] = useState<Zoom>(WHOLE);
  const f = useMemo(
    () => zoomed(fit(view.sheet.drawn, width, height, MARGINS, stretched), zoom),
    [view.sheet.drawn, width, height, stretched, zoom],
  );
  const step = (factor: number) => setZoom((z) => closer(z, factor, width / 2, height / 2));
  useKeys({
    "+": () => step(1.4),
    "=": () => step(1.4),
    "-": () => step(1 / 1.4),
    "0": () => setZoom(WHOLE),
  });
  const around = view.sheet.round
    ? "turned about the axis"
    : `depth ${String(view.data.vessel.depth ?? "1 m")}`;
  return (
    <div
      ref={ref}
      className="relative min-h-0 flex-1 overflow-hidden bg-well"
      onWheel={(e) => {
        if ((e.target as HTMLElement).closest(".card")) return;
        const box = e.currentTarget.getBoundingClientRect();
        if (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY))
          setZoom((z) =>
            z.times === 1 ? z : { ...z, dx: z.dx - (e.shiftKey ? e.deltaY : e.deltaX), dy: z.dy },
          );
        else setZoom((z) => closer(z, Math.exp(-e.deltaY / 400), e.clientX - box.left, e.clientY - box.top));
      }}
    >
      {width > 0 && under?.(f)}
      {width > 0 && (
        <svg
          className="dwg"
          viewBox={`0 0 ${width} ${height}`}
          role="group"
          aria-label={`Sheet of ${view.name}`}
        >
          <SheetPatterns />
          <Frame width={width} height={height} />
          <clipPath id="inframe">
            <rect x={15} y={15} width={width - 30} height={height - 30} />
          </clipPath>
          <g clipPath="url(#inframe)">
            {view.sheet.round && <Mirrored view={view} f={f} />}
            <Vessel view={view} f={f} onPick={onPick} fill={!under} />
            <Lit view={view} f={f} />
            {showGrid && <GridLines view={view} f={f} />}
            <Balloons view={view} f={f} width={width} within={!shaping} onPick={onPick} />
            {drawing(f)}
            {showDimensions && <Dimensions view={view} f={f} part={part} onSize={onSize} />}
          </g>
          {zoom.times > 1 && (
            <text
              className="n"
              x={30}
              y={height - 66}
              style={HALO}
            >{`${show(zoom.times, 3)} times closer; 0 shows it whole`}</text>
          )}
          <Legend
            x={30}
            y={height - 46}
            screens={Object.values(view.sheet.edges).some((e) => e.on === "screen")}
          />
          <text
            className="ref"
            x={30}
            y={height - 26}
          >{`Lengths in mm, ${around}, drawn ${ratioOf(f)}`}</text>
          <TitleBlock view={view} x={width - 15} y={height - 15} />
        </svg>
      )}
      {width > 0 && card(f)}
    </div>
  );
}

/** The other half of a turned vessel: an outline that nothing can be done to. */
function Mirrored({ view, f }: { view: CaseView; f: Fit }) {
  const rings = view.sheet.rings.map((r) => r.map(([x, y]) => [x, -y] as [number, number]));
  return (
    <path d={ringPath(rings, f)} fill="none" stroke="var(--slateline)" strokeWidth={1} aria-hidden="true" />
  );
}

export function SheetPatterns() {
  const stripes = (id: string, ink: string) => (
    <pattern id={id} width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
      <rect width="5" height="5" fill="var(--dip)" />
      <path d="M0 0V5" stroke={ink} strokeWidth="1" />
    </pattern>
  );
  return (
    <defs>
      {stripes("hatch", "var(--soot)")}
      {stripes("hatch-lit", "var(--copperfill)")}
    </defs>
  );
}

export function Frame({ width, height }: { width: number; height: number }) {
  const columns = 6,
    rows = 5;
  return (
    <g>
      <rect className="frame" x={15} y={15} width={width - 30} height={height - 30} />
      {Array.from({ length: columns }, (_, k) => {
        const step = (width - 30) / columns,
          x = 15 + k * step;
        return (
          <g key={k}>
            <text className="ref" x={x + step / 2} y={11.5} textAnchor="middle">
              {k + 1}
            </text>
            {k > 0 && <path className="thin" d={`M${x} 2V15M${x} ${height - 15}V${height - 2}`} />}
          </g>
        );
      })}
      {Array.from({ length: rows }, (_, k) => {
        const step = (height - 30) / rows,
          y = 15 + k * step;
        return (
          <g key={k}>
            <text className="ref" x={8} y={y + step / 2 + 4} textAnchor="middle">
              {"ABCDE"[k]}
            </text>
            {k > 0 && <path className="thin" d={`M2 ${y}H15M${width - 15} ${y}H${width - 2}`} />}
          </g>
        );
      })}
    </g>
  );
}

const LINES: Partial<Record<CaseView["sheet"]["edges"][string]["line"], string>> = {
  mirror: "axisline",
  wall: "wall",
  repeat: "repeatline",
  screen: "screenline",
  between: "borderline",
};

/** Walls hatched on their outer side, open edges dashed, zones tinted. */
export const Vessel = memo(function Vessel({
  view,
  f,
  onPick,
  fill = true,
}: {
  view: CaseView;
  f: Fit;
  onPick?: (p: Picked, more: boolean) => void;
  fill?: boolean;
}) {
  const rings = ringPath(view.sheet.rings, f);
  const holes = ringPath(view.sheet.rings.slice(1), f);
  const edges = Object.entries(view.sheet.edges);
  return (
    <g>
      <mask id="outside" maskUnits="userSpaceOnUse" x="-10000" y="-10000" width="20000" height="20000">
        <rect x="-10000" y="-10000" width="20000" height="20000" fill="white" />
        <path d={rings} fill="black" fillRule="evenodd" />
      </mask>
      <path
        d={rings}
        fill="none"
        stroke="url(#hatch)"
        strokeWidth={16}
        strokeLinejoin="miter"
        mask="url(#outside)"
      />
      {holes && <path d={holes} fill="url(#hatch)" fillRule="evenodd" opacity={fill ? 1 : 0} />}
      {edges
        .filter(([, e]) => !["wall", "screen", "between"].includes(e.line))
        .map(([n, e]) => (
          <path
            key={n}
            d={segmentPath(e.segments, f)}
            stroke="var(--well)"
            strokeWidth={17}
            strokeLinecap="square"
            fill="none"
            mask="url(#outside)"
          />
        ))}
      {fill && (
        <path
          d={rings}
          fillRule="evenodd"
          fill="var(--zone2)"
          className={onPick ? "cursor-pointer" : ""}
          onClick={(e) => onPick?.({ place: "space", on: "zone", column: null }, e.shiftKey)}
        />
      )}
      {fill &&
        Object.entries(view.sheet.zones).map(([z, shapes], k) => (
          <path
            key={z}
            d={ringPath(shapes, f)}
            fillRule="evenodd"
            fill={k % 2 ? "var(--zone3)" : "var(--zone1)"}
            stroke="var(--ink2)"
            strokeWidth={0.7}
            strokeDasharray="2 3"
            className={onPick ? "cursor-pointer" : ""}
            onClick={(e) => onPick?.({ place: z, on: "zone", column: null }, e.shiftKey)}
          />
        ))}
      {edges.map(([name, e]) => {
        const kind = LINES[e.line] ?? "openline";
        const d = segmentPath(e.segments, f);
        return (
          <g
            key={name}
            className={onPick ? "cursor-pointer" : ""}
            onClick={(event) => onPick?.({ place: name, on: e.on, column: null }, event.shiftKey)}
          >
            {e.line === "missing" && (
              <path d={d} stroke="var(--copperfill)" strokeWidth={9} opacity={0.3} fill="none" />
            )}
            <path d={d} className={kind} />
            {onPick && <path d={d} stroke="transparent" strokeWidth={14} fill="none" />}
            {(e.line === "in" || e.line === "out") && <Chevrons e={e} f={f} inward={e.line === "in"} />}
          </g>
        );
      })}
    </g>
  );
});

/** The edges that are picked. */
function Lit({ view, f }: { view: CaseView; f: Fit }) {
  const picked = useRested();
  return (
    <g pointerEvents="none">
      {Object.entries(view.sheet.edges)
        .filter(([name, e]) => isPicked(picked, name, e.on))
        .map(([name, e]) => {
          const d = segmentPath(e.segments, f);
          return (
            <g key={name}>
              <path d={d} stroke="var(--copperfill)" strokeWidth={13} opacity={0.22} fill="none" />
              <path
                d={d}
                className={LINES[e.line] ?? "openline"}
                style={{ stroke: "var(--copperfill)", strokeWidth: 2.6 }}
              />
            </g>
          );
        })}
    </g>
  );
}

function Chevrons({ e, f, inward }: { e: CaseView["sheet"]["edges"][string]; f: Fit; inward: boolean }) {
  const a = anchorOf(e.segments, f);
  const [tx, ty] = [-a.ny, a.nx];
  const span = Math.min(
    e.segments.reduce((s, k) => s + reach(k, f), 0),
    120,
  );
  const turn = (Math.atan2(a.ny, a.nx) * 180) / Math.PI - 90 + (inward ? 180 : 0);
  const count = span > 60 ? 3 : span > 24 ? 2 : 1;
  return (
    <>
      {Array.from({ length: count }, (_, k) => {
        const s = (k - (count - 1) / 2) * (span / count);
        return (
          <path
            key={k}
            className={`chev ${inward ? "in" : ""}`}
            transform={`translate(${a.x + s * tx + a.nx * 9} ${a.y + s * ty + a.ny * 9}) rotate(${turn})`}
            d={inward ? "M-4.2 -3.6L0 3.6L4.2 -3.6Z" : "M-4.2 -3.6L0 3.6L4.2 -3.6"}
          />
        );
      })}
    </>
  );
}

const HALO = { paintOrder: "stroke", stroke: "var(--well)", strokeWidth: 4 } as const;
const SLIVER = 10; // per cent open: such cells are the ones that cost accuracy

function GridLines({ view, f }: { view: CaseView; f: Fit }) {
  if (!view.grid) return null;
  const { x, y, nx, ny, cells, cut } = view.grid;
  const drawn = x.length > 0 && y.length > 0;
  const box = ([i, j]: [number, number, number]) =>
    `M${f.X(x[i]!).toFixed(1)} ${f.Y(y[j]!).toFixed(1)}H${f.X(x[i + 1]!).toFixed(1)}V${f.Y(y[j + 1]!).toFixed(1)}H${f.X(x[i]!).toFixed(1)}Z`;
  const slivers = cut.filter((c) => c[2] < SLIVER);
  const [x0, y0, x1, y1] = view.sheet.box;
  return (
    <g pointerEvents="none">
      <clipPath id="inside">
        <path d={ringPath(view.sheet.rings, f)} clipRule="evenodd" />
      </clipPath>
      <g clipPath="url(#inside)" stroke="var(--slate)" strokeWidth={0.45} opacity={0.75}>
        {x.map((v) => (
          <path key={v} d={`M${f.X(v)} ${f.Y(y0)}V${f.Y(y1)}`} />
        ))}
        {y.map((v) => (
          <path key={v} d={`M${f.X(x0)} ${f.Y(v)}H${f.X(x1)}`} />
        ))}
      </g>
      {drawn && cut.length > 0 && (
        <g>
          <path d={cut.map(box).join("")} fill="var(--slate)" fillOpacity={0.22} />
          <path d={slivers.map(box).join("")} fill="var(--copperfill)" fillOpacity={0.5} />
        </g>
      )}
      <text
        x={30}
        y={36}
        className="n"
        style={HALO}
      >{`${nx} x ${ny} lines, ${cells.toLocaleString("en").replace(/,/g, " ")} open cells${view.cost ? `, smallest ${show(view.cost.smallest * 1e3, 2)} mm, about ${show(view.cost.memory / 1e6, 2)} MB` : ""}`}</text>
      {cut.length > 0 && (
        <text
          x={30}
          y={51}
          className="n"
          style={HALO}
        >{`${cut.length} cut by walls${slivers.length ? `, ${slivers.length} of them to less than a tenth (copper)` : ""}`}</text>
      )}
    </g>
  );
}

/** `within`: also those that stand inside the vessel, where sizes may be wanted instead. */
function Balloons({
  view,
  f,
  width,
  within,
  onPick,
}: {
  view: CaseView;
  f: Fit;
  width: number;
  within: boolean;
  onPick: (p: Picked, more: boolean) => void;
}) {
  const picked = useRested();
  const spots = useMemo(() => placeBalloons(view, f, width), [view, f, width]);
  const rows = useMemo(
    () =>
      view.ledger.rows
        .filter((r) => view.sheet.edges[r.place]?.on === r.on)
        .map((row) => ({ row, number: balloonOf(view, row), missing: missingIn(view, row) })),
    [view],
  );
  return rows
    .filter(({ row }) => within || !spots[row.place]!.inside)
    .map(({ row, number, missing }) => (
      <Balloon
        key={row.place}
        row={row}
        number={number}
        missing={missing}
        spot={spots[row.place]!}
        width={width}
        lit={isPicked(picked, row.place, row.on)}
        onPick={onPick}
      />
    ));
}

/** What a place does not say yet, in words. */
const missingIn = (view: CaseView, row: RowView) =>
  view.ledger.columns
    .filter((c) => row.cells[c.id]?.state === "missing")
    .map((c) => c.label.toLowerCase())
    .join(", ");

const Balloon = memo(function Balloon({
  row,
  number,
  missing,
  spot: s,
  width,
  lit,
  onPick,
}: {
  row: RowView;
  number: string;
  missing: string;
  spot: Spot;
  width: number;
  lit: boolean;
  onPick: (p: Picked, more: boolean) => void;
}) {
  const ink = lit ? "var(--copperfill)" : "var(--ink2)";
  const words = missing ? `${row.label}: ${missing}?` : row.label;
  const before = s.x + 13 + LETTER * words.length > width - 18; // its words stand before it
  return (
    <g
      className="cursor-pointer"
      onClick={(e) => onPick({ place: row.place, on: row.on, column: null }, e.shiftKey)}
    >
      {!s.inside && <path d={`M${s.ax} ${s.ay}L${s.x} ${s.y}`} stroke={ink} strokeWidth={lit ? 1.4 : 0.8} />}
      {!s.inside && <circle cx={s.ax} cy={s.ay} r={2.2} fill={ink} />}
      <circle
        cx={s.x}
        cy={s.y}
        r={s.inside ? 7.5 : 9}
        fill={lit ? "var(--copperfill)" : "var(--well)"}
        stroke={ink}
        strokeWidth={s.inside ? 0.7 : 1}
      />
      <text
        className="n"
        x={s.x}
        y={s.y + 4}
        textAnchor="middle"
        style={lit ? { fill: "var(--onfill)" } : undefined}
      >
        {number}
      </text>
      <title>{row.label}</title>
      {(s.named || lit || missing) && (
        <text
          x={before ? s.x - 13 : s.x + 13}
          y={s.y + 4}
          textAnchor={before ? "end" : "start"}
          style={{
            fontWeight: 500,
            fill: missing ? "var(--copper)" : undefined,
            paintOrder: "stroke",
            stroke: "var(--well)",
            strokeWidth: 3,
          }}
        >
          {words}
        </text>
      )}
    </g>
  );
});

function Legend({ x, y, screens }: { x: number; y: number; screens: boolean }) {
  return (
    <g transform={`translate(${x} ${y})`}>
      <rect x={0} y={-8} width={26} height={7} fill="url(#hatch)" stroke="var(--soot)" />
      <text x={32} y={0}>
        wall
      </text>
      <path className="openline" d="M64 -4h26" />
      <text x={96} y={0}>
        open
      </text>
      <path className="chev in" transform="translate(136 -4) rotate(-90)" d="M-4.2 -3.6L0 3.6L4.2 -3.6Z" />
      <text x={146} y={0}>
        in
      </text>
      <path className="chev" transform="translate(168 -4) rotate(-90)" d="M-4.2 -3.6L0 3.6L4.2 -3.6" />
      <text x={178} y={0}>
        out
      </text>
      {screens && (
        <>
          <path className="screenline" d="M206 -4h26" />
          <text x={238} y={0}>
            screen
          </text>
        </>
      )}
    </g>
  );
}
