import { useQueries, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api } from "../client";
import type { FramesView } from "../client/views";
import { Choose } from "../parts/Choose";
import { FieldCanvas } from "../parts/FieldCanvas";
import { useSize } from "../parts/useSize";
import { axisOf } from "./legs";
import { frameAt, SPEEDS, useReading, useReadingOf } from "./reading";
import { useScale } from "./Tiles";
import type { Tile } from "./tile";
import { along, axisAt, rests, useSeen } from "./useField";

/** Frames in order, stage by stage, with the playhead and the readout whose history is chosen. */
export function TimeStrip({ tile }: { tile: Tile }) {
  const name = tile.name,
    scale = useScale(tile, null);
  const { run, frames, view } = useSeen();
  const { at, playing, perSecond, loop, history, change, step } = useReadingOf(
    "at",
    "playing",
    "perSecond",
    "loop",
    "history",
    "change",
    "step",
  );
  const { ref, width } = useSize<HTMLDivElement>();
  const count = frames.frames.length,
    list = frames.frames;
  const ratio =
    (frames.x[frames.x.length - 1]! - frames.x[0]!) / (frames.y[frames.y.length - 1]! - frames.y[0]!);
  const h = 30,
    w = Math.min(Math.max(h * ratio, 24), 120);
  const room = Math.max(1, Math.floor(width / (w + 5)));
  const chosen = useMemo(() => {
    const shown = Math.min(room, count);
    return Array.from({ length: shown }, (_, k) =>
      shown === 1 ? count - 1 : Math.round((k * (count - 1)) / (shown - 1)),
    );
  }, [room, count]);
  const thumbs = useQueries({
    queries: chosen.map((k) => ({
      queryKey: ["thumb", run.id, list[k]!.id, name],
      queryFn: () => api.thumb(run.id, list[k]!.id, name),
      staleTime: Infinity,
      retry: false,
    })),
  });
  const frame = list[at];
  const says = (f: FramesView["frames"][number], digits?: number) =>
    rests(view, f.stage) ? "settled" : along(frames, f, digits, !digits);
  const place = (k: number) => (count > 1 ? (k / (count - 1)) * (width - 20) + 10 : width / 2);
  // biome-ignore lint/correctness/useExhaustiveDependencies: place and words follow from the width, the frames and the case
  const marks = useMemo(
    () => (
      <>
        <path className="thin" d={`M10 3H${Math.max(width - 10, 10)}`} />
        {list.map(
          (f, k) =>
            count < 300 && (
              <path
                key={f.id}
                d={`M${place(k)} 0V${k && list[k - 1]!.stage !== f.stage ? 12 : 6}`}
                className="thin"
              />
            ),
        )}
        {list.map(
          (f, k) =>
            (k === 0 ||
              k === count - 1 ||
              (count > 4 && k % Math.ceil(count / 8) === 0 && k < count - count / 12)) && (
              <text
                key={f.id}
                x={place(k)}
                y={17}
                textAnchor={k === 0 ? "start" : k === count - 1 ? "end" : "middle"}
                style={{ font: "11px var(--font-mono)", fill: "var(--ink3)" }}
              >
                {rests(view, f.stage) ? f.stage : says(f, 3)}
              </text>
            ),
        )}
        {run.adjusted.map((a) => {
          const k = list.findIndex((f) => f.step >= a.step);
          return (
            <path
              key={a.clock}
              d={`M${place(k < 0 ? count - 1 : Math.max(0, k - 0.5))} 0l-4 7h8Z`}
              fill="var(--copperfill)"
            >
              <title>{`adjusted: ${a.words}`}</title>
            </path>
          );
        })}
      </>
    ),
    [width, list, run.adjusted, view],
  );
  const seek = (e: React.PointerEvent<HTMLDivElement>) => {
    const box = e.currentTarget.getBoundingClientRect();
    change({
      playing: false,
      at: Math.round(Math.min(1, Math.max(0, (e.clientX - box.left - 10) / (box.width - 20))) * (count - 1)),
    });
  };
  return (
    <section className="plate flex-none" aria-label="Frames">
      <div className="flex items-stretch">
        <div className="flex w-[232px] flex-none flex-col justify-center gap-1.5 border-r border-hair px-2.5 py-1.5">
          <div className="flex items-center gap-1">
            <button
              type="button"
              className="btn small"
              aria-label="Frame back"
              onClick={() => step(-1, count)}
            >
              <Icon d="M3 2V12M11 2L5 7L11 12Z" />
            </button>
            <button
              type="button"
              className="btn primary small"
              aria-label={playing ? "Hold" : "Play"}
              disabled={count < 2}
              onClick={() =>
                change({ playing: !playing, ...(at === count - 1 && !playing ? { at: 0 } : {}) })
              }
            >
              <Icon d={playing ? "M4 2V12M10 2V12" : "M4 2L11 7L4 12Z"} />
            </button>
            <button type="button" className="btn small" aria-label="Frame on" onClick={() => step(1, count)}>
              <Icon d="M11 2V12M3 2L9 7L3 12Z" />
            </button>
            <Choose
              className="in !h-[22px] !w-[62px]"
              label="Frames a second"
              value={String(perSecond)}
              onChoose={(to) => {
                change({ perSecond: Number(to) });
              }}
              toolbar
              options={SPEEDS.map((s) => ({ value: String(s), label: `${s} /s` }))}
            />
            <button
              type="button"
              className={`btn small ${loop ? "on" : ""}`}
              aria-pressed={loop}
              title="Begin again after the last frame"
              onClick={() => change({ loop: !loop })}
            >
              Loop
            </button>
          </div>
          <div className="flex items-center gap-1.5 whitespace-nowrap text-[12px]">
            <b className="num text-[12.5px]" data-testid="frame-time">
              {frame ? says(frame) : "–"}
            </b>{" "}
            <span
              className="truncate text-ink3"
              title={`${frame?.stage}, ${at + 1} of ${count}`}
            >{`${frame?.stage}, ${at + 1} of ${count}`}</span>
            <Jump />
          </div>
        </div>
        <div
          ref={ref}
          className="relative min-w-0 flex-1 py-1.5"
          role="slider"
          aria-label="Frame"
          aria-valuemin={1}
          aria-valuemax={count}
          aria-valuenow={at + 1}
          aria-valuetext={frame ? says(frame) : ""}
          tabIndex={0}
          onPointerDown={(e) => {
            e.currentTarget.setPointerCapture(e.pointerId);
            seek(e);
          }}
          onPointerMove={(e) => e.buttons === 1 && seek(e)}
        >
          <div className="flex justify-between px-1">
            {chosen.map((k, n) => (
              <div
                key={k}
                className={`flex-none border ${k === at ? "border-copperfill" : "border-hair"}`}
                style={{ width: w, height: h }}
              >
                {thumbs[n]?.data && (
                  <FieldCanvas
                    field={thumbs[n].data}
                    scale={scale}
                    width={w - 2}
                    height={h - 2}
                    label={`frame ${k + 1}`}
                  />
                )}
              </div>
            ))}
          </div>
          <svg
            className="pointer-events-none block w-full"
            height={20}
            role="img"
            aria-label={run.adjusted.length ? `${run.adjusted.length} adjustments` : "frames along the run"}
          >
            {marks}
            <path d={`M${place(at)} 0V9`} stroke="var(--copperfill)" strokeWidth={2.4} />
          </svg>
          {history && <HistoryLine readout={history} place={place} />}
        </div>
        {frame && !rests(view, frame.stage) && (
          <div className="flex w-[84px] flex-none flex-col justify-end pb-[7px] pr-2 text-right text-[11px] leading-tight text-ink3">
            <span className="break-words" data-testid="strip-axis">
              {axisOf(axisAt(frames, frame))}
            </span>
          </div>
        )}
      </div>
    </section>
  );
}

/** A readout's history, small, under the frames it belongs to. */
function HistoryLine({ readout, place }: { readout: string; place: (k: number) => number }) {
  const { run, frames } = useSeen();
  const told = useQuery({
    queryKey: ["history", run.id, readout, run.status],
    queryFn: () => api.history(run.id, readout),
    retry: false,
  }).data;
  const d = useMemo(() => {
    if (!told || told.time.length < 2) return "";
    const known = told.value.filter((v): v is number => v !== null),
      [low, high] = [Math.min(...known), Math.max(...known)];
    let k = 0;
    return told.time
      .flatMap((t, n) => {
        while (k < frames.frames.length - 2 && frames.frames[k + 1]!.value <= t) k++;
        const [a, b] = [frames.frames[k]!.value, frames.frames[k + 1]?.value ?? frames.frames[k]!.value];
        const v = told.value[n];
        return v === null || v === undefined
          ? []
          : [
              `${place(k + (b > a ? Math.min(1, Math.max(0, (t - a) / (b - a))) : 0)).toFixed(1)} ${(15 - 13 * ((v - low) / (high - low || 1))).toFixed(1)}`,
            ];
      })
      .map((p, n) => `${n ? "L" : "M"}${p}`)
      .join("");
  }, [told, frames, place]);
  if (!d) return null;
  return (
    <svg
      className="pointer-events-none block w-full"
      height={17}
      role="img"
      aria-label={`${told!.label} over the frames`}
    >
      <path d={d} fill="none" stroke="var(--d3)" strokeWidth={1.4} />
    </svg>
  );
}

/** To a time, or with # to a number. */
function Jump() {
  const { frames } = useSeen();
  const change = useReading((s) => s.change);
  const [text, setText] = useState("");
  const [bad, setBad] = useState(false);
  return (
    <input
      className={`in ml-auto !h-[22px] w-[72px] flex-none ${bad ? "bad" : ""}`}
      aria-label="Go to a time, or # and a number"
      title="A time such as 12.5 s, or # and the number of a frame"
      placeholder="go to"
      value={text}
      onChange={(e) => {
        setText(e.target.value);
        setBad(false);
      }}
      onKeyDown={(e) => {
        if (e.key !== "Enter") return;
        const k = frameAt(text, frames.frames);
        if (k < 0) return setBad(true);
        change({ at: k, playing: false });
        setText("");
        e.currentTarget.blur(); // the keys are those of the screen again
      }}
    />
  );
}

function Icon({ d }: { d: string }) {
  return (
    <svg width="13" height="13" viewBox="0 0 14 14" aria-hidden="true">
      <path d={d} fill="currentColor" stroke="currentColor" strokeWidth="1.6" strokeLinejoin="round" />
    </svg>
  );
}
