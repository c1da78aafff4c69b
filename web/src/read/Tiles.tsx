import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { api } from "../client";
import type { Point } from "../client/views";
import type { Scale } from "../drawing/colour";
import type { Fit } from "../drawing/fit";
import { show } from "../drawing/number";
import { chosenOf, vectorsOf } from "../drawing/vectors";
import { Choose } from "../parts/Choose";
import { FieldPicture } from "../parts/FieldPicture";
import { Walls } from "../parts/Walls";
import { told as why } from "../set/TypedInput";
import { arcPath } from "./arc";
import { BoxMark } from "./BoxPlate";
import { Arrows, EdgeFluxes, EqualLines, FluxLegend, Points, StreamLines, WallColours } from "./Layers";
import { isStory, ListNumbers } from "./ListPlate";
import { PhotoOnSheet } from "./Photo";
import { type Section, straight, useReading, useReadingOf } from "./reading";
import { OVER, type Over, scaleOf, type Tile } from "./tile";
import { fieldKey, useField, useFrame, useSeen, useWalls } from "./useField";

/** All pictures, linked in time, place and (where locked) scale. */
export function Tiles() {
  const tiles = useReading((s) => s.tiles);
  return (
    <div
      className={`grid min-h-0 flex-1 gap-px bg-hair ${tiles.length > 1 ? "grid-cols-2" : ""} ${tiles.length > 2 ? "grid-rows-2" : ""}`}
      data-pictures=""
    >
      {tiles.map((t, k) => (
        <TileView key={t.id} tile={t} first={k === 0} />
      ))}
    </div>
  );
}

/** Scale of a tile: locked for its field, or its own. */
export function useScale(tile: Tile, ends: [number, number] | null): Scale {
  const { frames } = useSeen();
  const locked = useReading((s) => s.locked[tile.name]);
  const info = frames.fields[tile.name],
    kept = locked ?? tile.kept;
  return useMemo(() => scaleOf(info, kept, ends), [info, kept, ends?.[0], ends?.[1]]);
}

/** The field of a tile and the ends its scale has by itself where it is told over time. */
export function useTile(tile: Tile) {
  const { run } = useSeen();
  const frame = useFrame();
  const { since, until } = useReadingOf("since", "until");
  const { field, error } = useField(
    fieldKey(run.id, frame.id, tile, since, until),
    `${run.id}/${tile.name}/${tile.over}`,
  );
  const ends: [number, number] | null = tile.over === "deviation" && field ? [0, field.high] : null;
  return { field, error, scale: useScale(tile, ends) };
}

function TileView({ tile, first }: { tile: Tile; first: boolean }) {
  const { view, run, frames } = useSeen();
  const frame = useFrame();
  const {
    active,
    tiles,
    zoom,
    stretched,
    tool,
    first: begun,
    hover,
    section,
    box,
    pins,
    tab,
    since,
    until,
    change,
    changeTile,
    point,
  } = useReadingOf(
    "active",
    "tiles",
    "zoom",
    "stretched",
    "tool",
    "first",
    "hover",
    "section",
    "box",
    "pins",
    "tab",
    "since",
    "until",
    "change",
    "changeTile",
    "point",
  );
  const info = frames.fields[tile.name];
  const standing = Object.keys(frames.listings).filter((n) => !isStory(frames.listings[n]!));
  const { field, error, scale } = useTile(tile);
  const vector = useMemo(() => chosenOf(vectorsOf(frames.fields), tile.vector), [frames.fields, tile.vector]);
  const walls = useWalls();
  const many = tiles.length > 1,
    on = tile.id === active;
  if (!info) return null;
  return (
    <div
      className={`relative flex min-h-0 min-w-0 ${many && on ? "z-[1] outline-2 -outline-offset-1 outline-(--copperfill)" : ""}`}
      onPointerDownCapture={() => !on && change({ active: tile.id })}
    >
      <FieldPicture
        view={view}
        field={field}
        x={frames.x}
        y={frames.y}
        scale={scale}
        unit={info.unit}
        label={tile.over === "frame" ? info.label : `${info.label}, ${OVER[tile.over]}`}
        smooth={tile.layers.smooth}
        opacity={tile.layers.opacity}
        zoom={zoom}
        stretched={stretched}
        onZoom={(z) => change({ zoom: z })}
        onMove={(x, y) => change({ hover: [x, y] })}
        onLeave={() => change({ hover: null })}
        onDown={(x, y) => point([x, y])}
        under={(f) => <PhotoOnSheet f={f} />}
        notes={(width) =>
          tile.layers.walls && tile.flux ? <FluxLegend quantity={tile.flux} width={width} /> : null
        }
        overlay={({ f, window }) => (
          <>
            <Walls view={view} f={f} moved={walls} />
            {tile.layers.lines && field && <EqualLines field={field} frames={frames} scale={scale} f={f} />}
            {tile.layers.stream && vector && <StreamLines vector={vector} f={f} />}
            {tile.layers.arrows && vector && <Arrows vector={vector} f={f} window={window} />}
            {tile.layers.walls && !tile.flux && field && <WallColours field={field} scale={scale} f={f} />}
            {tile.layers.walls && tile.flux && <EdgeFluxes quantity={tile.flux} f={f} />}
            {tile.layers.points && standing.map((n) => <Points key={n} name={n} f={f} />)}
            {tab === "list" &&
              standing
                .filter((n) => !frames.listings[n]!.line)
                .map((n) => <ListNumbers key={n} name={n} f={f} />)}
            {box && <BoxMark f={f} box={box} />}
            {tool === "box" && begun && hover && <BoxMark f={f} box={[...begun, ...hover]} />}
            {section && <SectionMark f={f} s={section} />}
            {tool === "section" && begun && hover && <Ruler f={f} from={begun} to={straight(begun, hover)} />}
            {pins.map((p, k) => (
              <Pin key={k} f={f} at={p} number={k + 1} />
            ))}
            {many && hover && (
              <path
                d={`M${f.X(hover[0]) - 7} ${f.Y(hover[1])}h14m-7 -7v14`}
                stroke="var(--copper)"
                strokeWidth={1.2}
              />
            )}
          </>
        )}
      >
        <div className="absolute left-2 top-1.5 flex items-center gap-1.5">
          <Choose
            className="in !h-[23px] !w-auto max-w-[170px]"
            label={first ? "Field" : `Field of picture ${tiles.indexOf(tile) + 1}`}
            value={tile.name}
            onChoose={(to) => {
              changeTile({ name: to, kept: {} }, tile.id);
            }}
            toolbar
            options={Object.entries(frames.fields).map(([n, f]) => ({ value: n, label: f.label }))}
          />
          <Choose
            className="in !h-[23px] !w-auto"
            label={first ? "Of which times" : `Of which times, picture ${tiles.indexOf(tile) + 1}`}
            value={tile.over}
            onChoose={(to) => {
              changeTile({ over: to as Over, kept: {} }, tile.id);
            }}
            toolbar
            options={Object.entries(OVER).map(([k, words]) => ({ value: k, label: words }))}
          />
          {tile.over !== "frame" && first && <Times />}
          {tile.over !== "frame" && !first && (
            <span className="text-[11.5px] text-ink3">
              {since || until ? `${since || "start"} to ${until || "end"}` : "whole run"}
            </span>
          )}
        </div>
        {error !== null && (
          <p
            role="alert"
            className="absolute left-2 right-2 top-9 border border-copperfill bg-copperwash px-2 py-1 text-[12px]"
          >
            {why(error)}
          </p>
        )}
        {first && <ProbeCard run={run.id} frame={frame.id} />}
      </FieldPicture>
    </div>
  );
}

/** From when to when a picture over time is told. */
function Times() {
  const { since, until, change } = useReadingOf("since", "until", "change");
  const field = (key: "since" | "until", label: string, hint: string, value: string) => (
    <label className="flex items-center gap-1 text-[12px] text-ink2">
      {label}
      <input
        className="in !h-[23px] w-[70px]"
        defaultValue={value}
        placeholder={hint}
        onBlur={(e) => change({ [key]: e.target.value.trim() })}
        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      />
    </label>
  );
  return (
    <>
      {field("since", "from", "start", since)}
      {field("until", "to", "end", until)}
    </>
  );
}

function ProbeCard({ run, frame }: { run: string; frame: number }) {
  const { view, frames } = useSeen();
  const hover = useReading((s) => s.hover),
    playing = useReading((s) => s.playing);
  const [held, setHeld] = useState<Point | null>(null);
  useEffect(() => {
    const wait = setTimeout(() => setHeld(hover), 60);
    return () => clearTimeout(wait);
  }, [hover]);
  const told = useQuery({
    queryKey: ["probe", run, frame, held],
    queryFn: () => api.probe(run, frame, held![0], held![1]),
    enabled: !!held && !playing,
    placeholderData: (old) => old,
    gcTime: 1000,
  }).data;
  const values = Object.entries(told?.values ?? {});
  const span = (n: string) => {
    const r = frames.fields[n]?.range;
    return r ? r[1] - r[0] : 0;
  };
  if (!hover) return null;
  const aside = hover[0] > (view.sheet.box[0] + view.sheet.box[2]) / 2; // the card keeps away from what is pointed at
  return (
    <div
      className={`pointer-events-none absolute bottom-[88px] ${aside ? "left-3" : "right-3"} min-w-[190px] rounded border border-rim bg-enamel px-2.5 py-1.5 text-[12px]`}
      data-testid="probe"
      aria-live="off"
    >
      <div className="flex justify-between gap-3 text-ink3">
        <b className="font-medium text-soot">Here</b>
        <span className="num">{`x ${show(hover[0] * 1e3, 4)}  y ${show(hover[1] * 1e3, 4)} mm`}</span>
      </div>
      {values.length === 0 && <div className="text-ink3">closed here</div>}
      {values.map(([n, v]) => (
        <div key={n} className="flex justify-between gap-3">
          <span className="text-ink2">{v.label}</span>
          <span className="num" data-testid={`probe-${n}`}>
            {show(Math.abs(v.value) < 1e-9 * span(n) ? 0 : v.value, 4)} {v.unit}
          </span>
        </div>
      ))}
    </div>
  );
}

function Ruler({ f, from, to }: { f: Fit; from: Point; to: Point }) {
  return (
    <path
      className="axisline"
      stroke="var(--copperfill)"
      d={`M${f.X(from[0])} ${f.Y(from[1])}L${f.X(to[0])} ${f.Y(to[1])}`}
    />
  );
}

function Pin({ f, at, number }: { f: Fit; at: Point; number: number }) {
  const [x, y] = [f.X(at[0]), f.Y(at[1])];
  return (
    <g>
      <circle cx={x} cy={y} r={3} fill="var(--copperfill)" stroke="var(--enamel)" strokeWidth={1.2} />
      <rect x={x + 4} y={y - 17} width={15} height={15} rx={7} fill="var(--well)" stroke="var(--soot)" />
      <text x={x + 11.5} y={y - 5.5} textAnchor="middle" style={{ font: "500 10.5px var(--font-mono)" }}>
        {number}
      </text>
    </g>
  );
}

function SectionMark({ f, s }: { f: Fit; s: Section }) {
  const d = arcPath(s, f);
  return (
    <g>
      <path d={d} stroke="var(--soot)" strokeWidth={3.4} fill="none" opacity={0.8} />
      <path d={d} stroke="var(--enamel)" strokeWidth={1.6} strokeDasharray="16 3 3 3" fill="none" />
      {(
        [
          [s.x0, s.y0, "A"],
          [s.x1, s.y1, "A"],
        ] as const
      ).map(([x, y, t], k) => (
        <g key={k}>
          <rect
            x={f.X(x) - 8}
            y={f.Y(y) - 8}
            width={16}
            height={16}
            fill="var(--well)"
            stroke="var(--soot)"
          />
          <text x={f.X(x)} y={f.Y(y) + 4.5} textAnchor="middle" style={{ fontWeight: 600 }}>
            {t}
          </text>
        </g>
      ))}
    </g>
  );
}
