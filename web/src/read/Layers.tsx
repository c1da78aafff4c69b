import { useQuery } from "@tanstack/react-query";
import { useMemo } from "react";
import { api } from "../client";
import type { CaseView, FieldData, FramesView, Point } from "../client/views";
import type { Scale } from "../drawing/colour";
import type { Fit } from "../drawing/fit";
import { contour, levels, streamlines } from "../drawing/lines";

const COUNT = 11; // lines of equal value between the ends of the scale

/** The two fields that are the parts of one vector, if the run has them. */
export function vectorOf(view: CaseView, frames: FramesView): [string, string] | null {
  const parts = Object.entries(view.fields).filter(([n, f]) => f.component && n in frames.fields);
  const along = (axis: number) => parts.find(([, f]) => f.component![1] === axis && f.component![0] === parts[0]![1].component![0])?.[0];
  const [u, v] = parts.length ? [along(0), along(1)] : [];
  return u && v ? [u, v] : null;
}

/** Lines of equal value, at even steps of the colour scale. */
export function EqualLines({ field, frames, scale, f }: { field: FieldData; frames: FramesView; scale: Scale; f: Fit }) {
  const found = useMemo(() => levels(scale.low, scale.high, COUNT).map((l) => contour(field, frames.x, frames.y, l)), [field, frames.x, frames.y, scale.low, scale.high]);
  const d = found.map((segments) => segments.map(([a, b]) => `M${f.X(a[0]).toFixed(1)} ${f.Y(a[1]).toFixed(1)}L${f.X(b[0]).toFixed(1)} ${f.Y(b[1]).toFixed(1)}`).join(""));
  return <g role="img" aria-label={`${COUNT} lines of equal value`}><path d={d.join("")} stroke="var(--enamel)" strokeWidth={2.2} fill="none" opacity={0.7} /><path d={d.join("")} stroke="var(--soot)" strokeWidth={0.9} fill="none" /></g>;
}

/** Lines along the stream of this frame, with arrows. */
export function StreamLines({ run, frame, vector, frames, f }: { run: string; frame: number; vector: [string, string]; frames: FramesView; f: Fit }) {
  const part = (name: string) => ({ queryKey: ["field", run, frame, name], queryFn: () => api.field(run, frame, name), placeholderData: (old: FieldData | null | undefined) => old });
  const u = useQuery(part(vector[0])).data, v = useQuery(part(vector[1])).data;
  const lines = useMemo(() => (u && v ? streamlines(u, v, frames.x, frames.y) : []), [u, v, frames.x, frames.y]);
  const path = (line: Point[]) => line.map(([x, y], k) => `${k ? "L" : "M"}${f.X(x).toFixed(1)} ${f.Y(y).toFixed(1)}`).join("");
  return (
    <g role="img" aria-label={`${lines.length} lines along the stream`}>
      {lines.map((line, k) => {
        const d = path(line), m = Math.floor(line.length / 2), [a, b] = [line[m - 1]!, line[m]!];
        const turn = (Math.atan2(f.Y(b[1]) - f.Y(a[1]), f.X(b[0]) - f.X(a[0])) * 180) / Math.PI;
        return (
          <g key={k}>
            <path d={d} stroke="var(--enamel)" strokeWidth={2.6} fill="none" opacity={0.75} />
            <path d={d} stroke="var(--soot)" strokeWidth={1.1} fill="none" />
            <path transform={`translate(${f.X(b[0])} ${f.Y(b[1])}) rotate(${turn})`} d="M-5 -3.4L3 0L-5 3.4Z" fill="var(--soot)" stroke="var(--enamel)" strokeWidth={0.8} />
          </g>
        );
      })}
    </g>
  );
}
