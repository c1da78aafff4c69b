import { useQuery } from "@tanstack/react-query";
import { useLayoutEffect, useMemo } from "react";
import { api } from "../client";
import { WHOLE } from "../drawing/fit";
import { vectorsOf } from "../drawing/vectors";
import { Foot } from "../parts/Bar";
import { Choose } from "../parts/Choose";
import { Divider } from "../parts/Divider";
import { Faults } from "../parts/Faults";
import { useKeys } from "../parts/keys";
import { useView } from "../state";
import { HandOut } from "./HandOut";
import { Instruments } from "./Instruments";
import { PictureOfCase } from "./KeptPictures";
import { LayerList } from "./Layers";
import { BalancePlate, ReadoutPlate } from "./Plates";
import { MOST_TILES, type Tool, useReading, useReadingOf } from "./reading";
import { ScaleControl } from "./ScaleControl";
import { Tiles, useScale } from "./Tiles";
import { TimeStrip } from "./TimeStrip";
import type { Tile } from "./tile";
import { SeenContext, usePlayer, useSeen } from "./useField";

export function ReadScreen({ id, runId }: { id: string; runId: string | null }) {
  const { go } = useView();
  const runs = useQuery({ queryKey: ["runs", id], queryFn: () => api.runs(id) });
  const shown = runId ?? runs.data?.find((r) => r.frames > 0)?.id ?? null;
  const view = useQuery({
    queryKey: shown ? ["run-case", shown] : ["case", id, ""],
    queryFn: () => (shown ? api.runCase(shown) : api.case(id)),
  });
  const run = useQuery({ queryKey: ["run", shown], queryFn: () => api.run(shown!), enabled: !!shown });
  const frames = useQuery({
    queryKey: ["frames", shown],
    queryFn: () => api.frames(shown!),
    enabled: !!shown,
  });
  const open = useReading((s) => s.run);
  const seen = useMemo(
    () =>
      view.data && run.data && frames.data?.frames.length
        ? { view: view.data, run: run.data, frames: frames.data, runs: runs.data ?? [] }
        : null,
    [view.data, run.data, frames.data, runs.data],
  );
  // biome-ignore lint/correctness/useExhaustiveDependencies: another run or other frames are what is opened anew
  useLayoutEffect(() => {
    if (seen) useReading.getState().open(id, seen.run.id, seen.frames);
  }, [id, seen?.run.id, seen?.frames]);
  if (seen && open === seen.run.id)
    return (
      <SeenContext.Provider value={seen}>
        <Reading />
      </SeenContext.Provider>
    );
  return (
    <>
      <main className="flex flex-1 flex-col items-center justify-center gap-3 text-ink2">
        <Faults error={view.error ?? frames.error} />
        <p>
          {runs.isLoading || frames.isLoading || seen
            ? "Reading the run"
            : "There is no kept frame to read yet."}
        </p>
        {!runs.isLoading && !seen && (
          <button type="button" className="btn primary" onClick={() => go({ screen: "fire" })}>
            Go to Fire
          </button>
        )}
      </main>
      <Foot keys={[["3", "Fire"]]} />
    </>
  );
}

function Reading() {
  const seen = useSeen();
  const { frames, run } = seen;
  const { plates, lay } = useView();
  const { tiles, active } = useReadingOf("tiles", "active");
  const tile = tiles.find((t) => t.id === active) ?? tiles[0]!;
  const vector = useMemo(() => vectorsOf(frames.fields).length > 0, [frames.fields]);
  const count = frames.frames.length;
  usePlayer(seen);
  return (
    <>
      <ReadKeys tile={tile} count={count} vector={vector} />
      <main className="flex min-h-0 flex-1 flex-col gap-[9px] px-2.5 pb-1 pt-[9px]">
        <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,60fr)_minmax(0,40fr)] gap-[9px]">
          <section className="plate" aria-label="Picture">
            <PictureBar />
            <ScaleControl tile={tile} />
            <Tiles />
          </section>
          <div className="flex min-h-0 flex-col">
            <div
              className="flex min-h-0 flex-none flex-col gap-2"
              style={{ maxHeight: `${100 * (1 - plates.instruments)}%` }}
            >
              <ReadoutPlate />
              <BalancePlate run={run} />
            </div>
            <Divider
              axis="y"
              label="Between the balance and the instruments"
              share={plates.instruments}
              first={0.46}
              onShare={(instruments) => lay({ instruments })}
            />
            <div className="flex min-h-0 flex-1 flex-col">
              <Instruments />
            </div>
          </div>
        </div>
        <TimeStrip tile={tile} />
      </main>
      <Foot
        keys={[
          ["Space", "play"],
          ["← →", "frame"],
          ["S", "section"],
          ["B", "box"],
          ["P", "probe"],
          ["W", "edge"],
          ["M L V A E", "layers"],
          ["R", "reverse"],
          ["K", "lock"],
          ["Esc", "clear"],
        ]}
        right={["2", "back to Set"]}
      />
    </>
  );
}

/** What the keys do here. */
function ReadKeys({ tile, count, vector }: { tile: Tile; count: number; vector: boolean }) {
  const { change, step, clear, layer, keepScale, toggleLock } = useReadingOf(
    "change",
    "step",
    "clear",
    "layer",
    "keepScale",
    "toggleLock",
  );
  const scale = useScale(tile, null);
  const tool = (t: Tool) => () => change({ tool: useReading.getState().tool === t ? null : t, first: null });
  const nudge = (end: "low" | "high", by: number) => () =>
    keepScale(tile.name, { [end]: scale[end] + by * 0.05 * (scale.high - scale.low) });
  useKeys({
    " ": () => change({ playing: !useReading.getState().playing }),
    ArrowRight: () => step(1, count),
    ArrowLeft: () => step(-1, count),
    Home: () => step(-1e6, count),
    End: () => step(1e6, count),
    r: () => keepScale(tile.name, { reversed: !scale.reversed }),
    k: () => toggleLock(tile.name, scale),
    "[": nudge("low", 1),
    "]": nudge("high", -1),
    x: () => change({ stretched: !useReading.getState().stretched, zoom: WHOLE }),
    s: tool("section"),
    b: tool("box"),
    p: tool("pin"),
    w: () => change({ tab: "wall" }),
    l: () => layer("lines"),
    m: () => layer("smooth"),
    e: () => layer("walls"),
    t: () => layer("points"),
    v: () => vector && layer("stream"),
    a: () => vector && layer("arrows"),
    Escape: clear,
  });
  return null;
}

const SAYS: Record<NonNullable<Tool>, [string, string]> = {
  section: ["Click one end", "Click the other"],
  box: ["Click a corner", "Click the other"],
  pin: ["Click a place", ""],
};

function PictureBar() {
  const { go } = useView();
  const { run, runs, frames } = useSeen();
  const { tiles, tool, first, stretched, change, setTiles } = useReadingOf(
    "tiles",
    "tool",
    "first",
    "stretched",
    "change",
    "setTiles",
  );
  const names = Object.keys(frames.fields);
  const button = (t: NonNullable<Tool>, words: string, key: string, title: string) => (
    <button
      type="button"
      className={`btn small ${tool === t ? "on" : ""}`}
      aria-pressed={tool === t}
      title={title}
      onClick={() => change({ tool: tool === t ? null : t, first: null })}
    >
      {tool === t ? SAYS[t][first ? 1 : 0] : words} <kbd>{key}</kbd>
    </button>
  );
  return (
    <div className="flex min-h-[33px] flex-none flex-wrap items-center gap-1.5 border-b border-hair px-2 py-1">
      <span className="flex" role="group" aria-label="How many pictures">
        {Array.from({ length: MOST_TILES }, (_, k) => k + 1)
          .filter((n) => n !== 3)
          .map((n) => (
            <button
              type="button"
              key={n}
              className={`btn small ${tiles.length === n ? "on" : "quiet"}`}
              aria-pressed={tiles.length === n}
              title={n === 1 ? "One picture" : `${n} pictures, linked in time and place`}
              onClick={() => setTiles(n, names)}
            >
              {n}
            </button>
          ))}
      </span>
      <LayerList />
      <button
        type="button"
        className={`btn small ${stretched ? "on" : ""}`}
        aria-pressed={stretched}
        title="A scale of its own for each axis: long thin vessels fill the picture"
        onClick={() => change({ stretched: !stretched, zoom: WHOLE })}
      >
        Stretch <kbd>X</kbd>
      </button>
      <PictureOfCase />
      <span className="ml-auto flex items-center gap-1.5">
        {button("section", "Section", "S", "A field along a line or an arc")}
        {button("box", "Box", "B", "Means, what passes the sides, distribution")}
        {button("pin", "Probe", "P", "Follow a place through all frames")}
        <HandOut />
        <Choose
          toolbar
          className="in !h-[23px] !w-[74px]"
          label="Run"
          value={run.id}
          onChoose={(to) => go({ runId: to })}
          options={runs.filter((r) => r.frames > 0).map((r) => ({ value: r.id, label: `run ${r.number}` }))}
        />
      </span>
    </div>
  );
}
