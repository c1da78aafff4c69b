import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { createContext, useContext, useEffect, useReducer, useRef, useState } from "react";
import { api, type Followed } from "../client";
import type { CaseView, FieldData, FramesView, FrameView, Point, RunView } from "../client/views";
import { show } from "../drawing/number";
import { FrameStore } from "./frameStore";
import { useReading } from "./reading";
import type { Tile } from "./tile";

/** Everything fetched for what is on the screen. Keys: run / frame / field, or run / over / field / what / since / until. */
export const store = new FrameStore((key) => {
  const [run, frame, name, what, since, until] = key.split("/").map(decodeURIComponent) as [
    string,
    string,
    string,
    string,
    string,
    string,
  ];
  return frame === "over" ? api.over(run, name, what, since, until) : api.field(run, Number(frame), name);
});

export const keyOf = (...parts: (string | number)[]) => parts.map((p) => encodeURIComponent(p)).join("/");

/** What a picture shows of a frame. */
export const fieldKey = (
  run: string,
  frame: number,
  tile: Pick<Tile, "name" | "over">,
  since: string,
  until: string,
) =>
  tile.over === "frame"
    ? keyOf(run, frame, tile.name)
    : keyOf(run, "over", tile.name, tile.over, since, until);

/** The field of a key; the one before it until it is there, as long as it shows the same thing. */
export function useField(key: string, same: string): { field: FieldData | null; error: unknown } {
  const [, again] = useReducer((n: number) => n + 1, 0);
  const [error, setError] = useState<unknown>(null);
  const last = useRef<{ same: string; field: FieldData } | null>(null);
  const here = key ? store.get(key) : undefined;
  if (here) last.current = { same, field: here };
  useEffect(() => {
    if (!key || store.get(key)) return setError(null);
    let gone = false;
    store.load(key).then(
      () => {
        if (!gone) {
          setError(null);
          again();
        }
      },
      (e: unknown) => !gone && setError(e),
    );
    return () => {
      gone = true;
    };
  }, [key]);
  return { field: here ?? (last.current?.same === same ? last.current.field : null), error };
}

/** The run that is read. */
export interface Seen {
  view: CaseView;
  run: RunView;
  runs: RunView[];
  frames: FramesView;
}
export const SeenContext = createContext<Seen | null>(null);
export function useSeen(): Seen {
  const seen = useContext(SeenContext);
  if (!seen) throw new Error("Nothing is being read here.");
  return seen;
}

/** The frame that is shown. */
export function useFrame(): FrameView {
  const list = useSeen().frames.frames;
  return list[
    Math.min(
      useReading((s) => s.at),
      list.length - 1,
    )
  ]!;
}

/** Where walls stood at the frame that is shown, in a vessel whose parts move. */
export function useWalls(): Point[][] | undefined {
  const { run } = useSeen();
  const frame = useFrame();
  const found = useQuery({
    queryKey: ["walls", run.id, frame.id],
    queryFn: () => api.walls(run.id, frame.id),
    enabled: frame.moved,
    staleTime: Number.POSITIVE_INFINITY,
    placeholderData: keepPreviousData,
  });
  return frame.moved ? found.data?.rings : undefined;
}

/** What the frames of a frame's stage are laid out along. */
export const axisAt = (frames: FramesView, f: FrameView) =>
  frames.axes[f.stage] ?? { name: "time", unit: "s" };

/** Where a frame stands on its stage's axis: "3.2 s", "applied 0.8 V". */
export function along(frames: FramesView, f: FrameView, digits?: number, named = true): string {
  const { name, unit } = axisAt(frames, f);
  const said = named && name !== "time" ? `${name.replace(/_/g, " ")} ` : "";
  return `${said}${show(f.shown, digits)} ${unit}`.trim();
}

/** Whether a stage comes to rest rather than goes through time. */
export const rests = (view: CaseView, stage: string) =>
  ((view.data.stages?.[stage]?.mode as string | undefined) ?? "steady") === "steady";

const AHEAD = 10; // frames fetched before they are played

/** Plays frames as fast as asked, or as fast as they come; none is left out. */
export function usePlayer({ run, frames }: { run: RunView; frames: FramesView }): void {
  const { playing, perSecond } = useReading();
  useEffect(() => {
    if (!playing) return;
    const count = frames.frames.length;
    let handle = 0,
      due = performance.now();
    const keys = (k: number) => {
      const s = useReading.getState();
      return s.tiles
        .filter((t) => t.over === "frame")
        .map((t) => keyOf(run.id, frames.frames[k]!.id, t.name));
    };
    const tick = (now: number) => {
      const s = useReading.getState();
      const next = s.at >= count - 1 ? 0 : s.at + 1;
      if (s.at >= count - 1 && !s.loop) return s.change({ playing: false });
      for (let k = 0; k < AHEAD; k++)
        for (const key of keys((next + k) % count)) void store.load(key).catch(() => undefined);
      if (now >= due && keys(next).every((key) => store.get(key))) {
        due = Math.max(due + 1000 / perSecond, now - 1000 / perSecond);
        s.change({ at: next });
      }
      handle = requestAnimationFrame(tick);
    };
    handle = requestAnimationFrame(tick);
    return () => cancelAnimationFrame(handle);
  }, [playing, perSecond, run.id, frames]);
}

/** What is followed one by one under a name, in the frame shown; that of the one before until it is there. */
export function useListing(name: string): Followed | undefined {
  const { run } = useSeen();
  const frame = useFrame();
  return useQuery({
    queryKey: ["listing", run.id, frame.id, name],
    queryFn: () => api.listing(run.id, frame.id, name),
    staleTime: Number.POSITIVE_INFINITY,
    retry: false,
    placeholderData: keepPreviousData,
    enabled: !!name,
  }).data;
}
