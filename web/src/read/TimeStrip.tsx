import { useQueries } from "@tanstack/react-query";
import { useMemo } from "react";
import { api } from "../client";
import type { FramesView, RunView } from "../client/views";
import type { Scale } from "../drawing/colour";
import { show } from "../drawing/number";
import { FieldCanvas } from "../parts/FieldCanvas";
import { useSize } from "../parts/useSize";

/** Frames in order, stage by stage, with the playhead. */
export function TimeStrip({ run, frames, settled, name, scale, at, playing, speed, onAt, onPlay, onStep, onSpeed }: {
  run: RunView; settled: (stage: string) => boolean; frames: FramesView; name: string; scale: Scale; at: number; playing: boolean; speed: number;
  onAt: (k: number) => void; onPlay: () => void; onStep: (d: number) => void; onSpeed: (s: number) => void;
}) {
  const { ref, width } = useSize<HTMLDivElement>();
  const count = frames.frames.length;
  const ratio = (frames.x[frames.x.length - 1]! - frames.x[0]!) / (frames.y[frames.y.length - 1]! - frames.y[0]!);
  const h = 30, w = Math.min(Math.max(h * ratio, 24), 120);
  const room = Math.max(1, Math.floor(width / (w + 5)));
  const chosen = useMemo(() => {
    const shown = Math.min(room, count);
    return Array.from({ length: shown }, (_, k) => (shown === 1 ? count - 1 : Math.round((k * (count - 1)) / (shown - 1))));
  }, [room, count]);
  const thumbs = useQueries({ queries: chosen.map((k) => ({ queryKey: ["thumb", run.id, frames.frames[k]!.id, name], queryFn: () => api.thumb(run.id, frames.frames[k]!.id, name), staleTime: Infinity, retry: false })) });
  const frame = frames.frames[at];
  const says = (f: FramesView["frames"][number], digits?: number) => settled(f.stage) ? "settled" : f.axis === "time" ? `${show(f.value, digits)} s` : show(f.value, digits);
  const place = (k: number) => (count > 1 ? (k / (count - 1)) * (width - 20) + 10 : width / 2);
  return (
    <section className="plate flex-none" aria-label="Frames">
      <div className="flex items-stretch">
        <div className="flex w-[180px] flex-none flex-col justify-center gap-1.5 border-r border-hair px-2.5 py-1.5">
          <div className="flex items-center gap-1">
            <button className="btn small" aria-label="Frame back" onClick={() => onStep(-1)}><Icon d="M3 2V12M11 2L5 7L11 12Z" /></button>
            <button className="btn primary small" aria-label={playing ? "Hold" : "Play"} disabled={count < 2} onClick={onPlay}><Icon d={playing ? "M4 2V12M10 2V12" : "M4 2L11 7L4 12Z"} /></button>
            <button className="btn small" aria-label="Frame on" onClick={() => onStep(1)}><Icon d="M11 2V12M3 2L9 7L3 12Z" /></button>
            <button className="btn small quiet" aria-label="Speed" onClick={() => onSpeed(speed >= 4 ? 0.5 : speed * 2)}>{speed}×</button>
          </div>
          <div className="text-[12px]"><b className="num text-[12.5px]" data-testid="frame-time">{frame ? says(frame) : "–"}</b> <span className="text-ink3">{frame?.stage}, {at + 1} of {count}</span></div>
        </div>
        <div ref={ref} className="relative min-w-0 flex-1 py-1.5" role="slider" aria-label="Frame" aria-valuemin={1} aria-valuemax={count} aria-valuenow={at + 1} tabIndex={0}
          onPointerDown={(e) => { const box = e.currentTarget.getBoundingClientRect(); onAt(Math.round(Math.min(1, Math.max(0, (e.clientX - box.left - 10) / (box.width - 20))) * (count - 1))); }}>
          <div className="flex justify-between px-1">
            {chosen.map((k, n) => (
              <div key={k} className={`flex-none border ${k === at ? "border-copperfill" : "border-hair"}`} style={{ width: w, height: h }}>
                {thumbs[n]?.data && <FieldCanvas field={thumbs[n].data} scale={scale} width={w - 2} height={h - 2} label={`frame ${k + 1}`} />}
              </div>
            ))}
          </div>
          <svg className="block w-full" height={20} role="img" aria-label={run.adjusted.length ? `${run.adjusted.length} adjustments` : "frames along the run"}>
            <path className="thin" d={`M10 3H${Math.max(width - 10, 10)}`} />
            {frames.frames.map((f, k) => (count < 300 || k === at) && <path key={f.id} d={`M${place(k)} 0V${k && frames.frames[k - 1]!.stage !== f.stage ? 12 : 6}`} className="thin" />)}
            {frames.frames.map((f, k) => (k === 0 || k === count - 1 || (count > 4 && k % Math.ceil(count / 8) === 0 && k < count - count / 12)) && <text key={f.id} x={place(k)} y={17} textAnchor={k === 0 ? "start" : k === count - 1 ? "end" : "middle"} style={{ font: "11px var(--font-mono)", fill: "var(--ink3)" }}>{settled(f.stage) ? f.stage : says(f, 3)}</text>)}
            {run.adjusted.map((a) => { const k = frames.frames.findIndex((f) => f.step >= a.step); return <path key={a.clock} d={`M${place(k < 0 ? count - 1 : Math.max(0, k - 0.5))} 0l-4 7h8Z`} fill="var(--copperfill)"><title>{`adjusted: ${a.words}`}</title></path>; })}
            <path d={`M${place(at)} 0V9`} stroke="var(--copperfill)" strokeWidth={2.4} />
          </svg>
        </div>
      </div>
    </section>
  );
}

function Icon({ d }: { d: string }) {
  return <svg width="13" height="13" viewBox="0 0 14 14" aria-hidden="true"><path d={d} fill="currentColor" stroke="currentColor" strokeWidth="1.6" strokeLinejoin="round" /></svg>;
}
