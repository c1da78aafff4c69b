import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { api } from "../client";
import type { FieldData, FramesView, ShelfCard } from "../client/views";
import { mostOf, type Scale } from "../drawing/colour";
import { type Fit, fit, isLong, linePath, ringPath } from "../drawing/fit";
import { contour, levels, streamlines } from "../drawing/lines";
import { show } from "../drawing/number";
import { chosenOf, vectorsOf } from "../drawing/vectors";
import { FieldCanvas } from "../parts/FieldCanvas";
import { frameOf, scaleOfPicture } from "../read/kept";
import { scaleOf } from "../read/tile";

export const [WIDTH, HEIGHT] = [300, 168];
const ACROSS = 9; // lines along the stream across the shorter side

/** The picture chosen for the case, else what its last run is about, else its outline. `still`: what
 * is not there yet may be fetched. */
export function CardPicture({ card, still }: { card: ShelfCard; still: boolean }) {
  const shot = card.picture,
    look = card.look ?? null;
  const frames = useQuery({
    queryKey: ["frames", shot?.run],
    queryFn: () => api.frames(shot!.run),
    enabled: !!shot && still,
    staleTime: 60_000,
  });
  const known = frames.data?.fields;
  const picture = look && known && look.field in known ? look : null;
  const name = picture?.field ?? frames.data?.chief ?? "";
  const frame =
    frames.data?.frames[picture ? frameOf(picture, frames.data.frames) : frames.data.frames.length - 1];
  const over = picture && picture.over !== "frame" ? picture.over : "";
  const field = useQuery({
    queryKey: over ? ["over", shot?.run, name, over] : ["field", shot?.run, frame?.id, name],
    queryFn: () => (over ? api.over(shot!.run, name, over, "", "") : api.field(shot!.run, frame!.id, name)),
    enabled: !!name && !!frame && still,
    staleTime: 60_000,
  }).data;
  const scale = useMemo<Scale>(() => {
    if (picture) return scaleOfPicture(picture, known![name]);
    const most = field && mostOf(field.values);
    return scaleOf(most && known ? { ...known[name]!, range: most } : undefined, {});
  }, [picture, known, name, field]);
  if (!card.sheet)
    return (
      <div className="flex h-[168px] items-center justify-center border-b border-hair bg-well px-6 text-center text-copper">
        {card.trouble || "Nothing drawn yet."}
      </div>
    );
  const box = card.sheet.box;
  const stretched = picture?.stretched ?? isLong(box[2] - box[0], box[3] - box[1]);
  const f = fit(box, WIDTH, HEIGHT, { left: 14, right: 14, top: 12, bottom: field ? 22 : 12 }, stretched);
  return (
    <div className="relative flex h-[168px] justify-center overflow-hidden border-b border-hair bg-well">
      <div className="relative" style={{ width: WIDTH, height: HEIGHT }}>
        {field && (
          <div className="absolute" style={{ left: f.X(box[0]), top: f.Y(box[3]) }}>
            <FieldCanvas
              field={field}
              x={frames.data!.x}
              y={frames.data!.y}
              scale={scale}
              width={f.width}
              height={f.height}
              label={`${known![name]!.label} of the last run, ${show(scale.low, 3)} to ${show(scale.high, 3)} ${known![name]!.unit}`}
            />
          </div>
        )}
        <svg className="dwg" viewBox={`0 0 ${WIDTH} ${HEIGHT}`} aria-hidden="true">
          {field && picture?.layers.includes("lines") && (
            <Lines field={field} scale={scale} net={frames.data!} f={f} />
          )}
          {field && frame && picture?.layers.includes("stream") && (
            <Streams
              run={shot!.run}
              frame={frame.id}
              fields={known!}
              vector={picture.vector}
              net={frames.data!}
              f={f}
              still={still}
            />
          )}
          <path className="wall" d={ringPath(card.sheet.rings, f)} />
        </svg>
        {field && (
          <span className="absolute inset-x-[14px] bottom-[3px] flex justify-between gap-2 whitespace-nowrap text-[11px] text-ink3">
            <span className="truncate">{`${known![name]!.label}${stretched ? ", stretched" : ""}`}</span>
            <span className="num">{`${show(scale.low, 2)} to ${show(scale.high, 3)} ${known![name]!.unit}`}</span>
          </span>
        )}
      </div>
    </div>
  );
}

type On = { net: { x: number[]; y: number[] }; f: Fit };

function Lines({ field, scale, net, f }: On & { field: FieldData; scale: Scale }) {
  const found = useMemo(
    () => levels(scale, 7).flatMap((l) => contour(field, net.x, net.y, l)),
    [field, scale, net],
  );
  return (
    <path
      d={found.map((segment) => linePath(segment, f)).join("")}
      stroke="var(--soot)"
      strokeWidth={0.7}
      fill="none"
    />
  );
}

function Streams({
  run,
  frame,
  fields,
  vector,
  net,
  f,
  still,
}: On & { run: string; frame: number; fields: FramesView["fields"]; vector: string; still: boolean }) {
  const parts = chosenOf(vectorsOf(fields), vector)?.parts;
  const part = (k: 0 | 1) => ({
    queryKey: ["field", run, frame, parts?.[k]],
    queryFn: () => api.field(run, frame, parts![k]),
    enabled: !!parts && still,
    staleTime: 60_000,
  });
  const u = useQuery(part(0)).data,
    v = useQuery(part(1)).data;
  const tall = f.tall / f.scale;
  const lines = useMemo(() => {
    if (!u || !v) return [];
    return streamlines(u, v, net.x, net.y, ACROSS, tall);
  }, [u, v, net, tall]);
  const d = lines.map((line) => linePath(line, f)).join("");
  return (
    <g fill="none">
      <path d={d} stroke="var(--enamel)" strokeWidth={1.8} opacity={0.6} />
      <path d={d} stroke="var(--soot)" strokeWidth={0.8} />
    </g>
  );
}
