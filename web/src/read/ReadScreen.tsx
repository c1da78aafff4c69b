import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { api } from "../client";
import type { Box, CaseView, FramesView, RunView } from "../client/views";
import type { Scale } from "../drawing/colour";
import { ringPath, type Fit } from "../drawing/fit";
import { show } from "../drawing/number";
import { Foot } from "../parts/Bar";
import { FieldPicture } from "../parts/FieldPicture";
import { Faults } from "../parts/Faults";
import { useKeys } from "../parts/keys";
import { useView } from "../state";
import { BoxMark, BoxPlate } from "./BoxPlate";
import { HistoryPlate } from "./HistoryPlate";
import { EqualLines, StreamLines, vectorOf } from "./Layers";
import { BalancePlate, ProfilePlate, ReadoutPlate, WallPlate, type Section } from "./Plates";
import { ScaleControl } from "./ScaleControl";
import { TimeStrip } from "./TimeStrip";

export function ReadScreen({ id, runId }: { id: string; runId: string | null }) {
  const { go } = useView();
  const runs = useQuery({ queryKey: ["runs", id], queryFn: () => api.runs(id) });
  const shown = runId ?? runs.data?.find((r) => r.frames > 0)?.id ?? null;
  const view = useQuery({ queryKey: shown ? ["run-case", shown] : ["case", id, ""], queryFn: () => (shown ? api.runCase(shown) : api.case(id)) });
  const run = useQuery({ queryKey: ["run", shown], queryFn: () => api.run(shown!), enabled: !!shown });
  const frames = useQuery({ queryKey: ["frames", shown], queryFn: () => api.frames(shown!), enabled: !!shown });
  if (view.data && run.data && frames.data && frames.data.frames.length > 0) {
    return <Reading key={shown} view={view.data} run={run.data} frames={frames.data} runs={runs.data ?? []} />;
  }
  return (
    <>
      <main className="flex flex-1 flex-col items-center justify-center gap-3 text-ink2">
        <Faults error={view.error ?? frames.error} />
        <p>{runs.isLoading || frames.isLoading ? "Reading the run" : "There is no kept frame to read yet."}</p>
        {!runs.isLoading && <button className="btn primary" onClick={() => go({ screen: "fire" })}>Go to Fire</button>}
      </main>
      <Foot keys={[["3", "Fire"]]} />
    </>
  );
}

function Reading({ view, run, frames, runs }: { view: CaseView; run: RunView; frames: FramesView; runs: RunView[] }) {
  const { go } = useView();
  const names = Object.keys(frames.fields);
  const [name, setName] = useState(frames.chief);
  const [at, setAt] = useState(frames.frames.length - 1);
  const [playing, setPlaying] = useState(false);
  const [speed, setSpeed] = useState(1);
  const [kept, setKept] = useState<Partial<Scale>>({});
  const [probe, setProbe] = useState<[number, number] | null>(null);
  const [drawing, setDrawing] = useState<[number, number] | null | "armed">(null);
  const [section, setSection] = useState<Section | null>(null);
  const [wall, setWall] = useState<[string, string] | null>(null);
  const [boxing, setBoxing] = useState<[number, number] | null | "armed">(null);
  const [box, setBox] = useState<Box | null>(null);
  const [layers, setLayers] = useState({ lines: false, stream: false });
  const vector = useMemo(() => vectorOf(view, frames), [view, frames]);
  const [history, setHistory] = useState<string | null>(null);
  const last = frames.frames.length - 1;
  const frame = frames.frames[Math.min(at, last)]!;
  const field = useQuery({ queryKey: ["field", run.id, frame.id, name], queryFn: () => api.field(run.id, frame.id, name), placeholderData: (old) => old });
  const info = frames.fields[name]!;
  const scale: Scale = useMemo(() => {
    const [least, high] = info.range ?? [0, 1];
    const low = Math.abs(least) < 1e-9 * Math.abs(high) ? 0 : least; // round-off is no range
    const top = Math.max(Math.abs(low), Math.abs(high));
    const own = info.centred ? { low: -top, high: top } : { low, high };
    return { ...own, steps: 256, reversed: false, centred: info.centred, ...kept };
  }, [info, kept]);
  useEffect(() => {
    if (!playing) return;
    const timer = setInterval(() => setAt((k) => (k >= last ? 0 : k + 1)), 220 / speed);
    return () => clearInterval(timer);
  }, [playing, last, speed]);
  const walled = view.wall_quantities[0];
  const askWall = () => {
    const given = view.ledger.rows.find((r) => r.on === "edge" && view.sheet.edges[r.place]?.line === "wall" && Object.entries(r.cells).some(([c, cell]) => (c === walled || c.endsWith(`.${walled}`)) && cell.state === "given"));
    setWall([given?.place ?? view.places.edges[0]!, walled!]);
  };
  const step = (d: number) => { setPlaying(false); setAt((k) => Math.min(last, Math.max(0, k + d))); };
  useKeys({
    " ": () => setPlaying((p) => !p), ArrowRight: () => step(1), ArrowLeft: () => step(-1), Home: () => step(-1e6), End: () => step(1e6),
    r: () => setKept((s) => ({ ...s, reversed: !scale.reversed })), s: () => setDrawing("armed"),
    b: () => { setDrawing(null); setBoxing("armed"); }, l: () => setLayers((v) => ({ ...v, lines: !v.lines })), v: () => vector && setLayers((v) => ({ ...v, stream: !v.stream })),
    w: () => walled && askWall(), Escape: () => { setBoxing(null); setBox(null); setDrawing(null); setSection(null); setWall(null); setHistory(null); },
  });
  const span = useMemo(() => Object.fromEntries(Object.entries(frames.fields).map(([n, f]) => [n, f.range ? f.range[1] - f.range[0] : 0])), [frames]);
  const told = useProbe(run.id, frame.id, probe);
  const down = (x: number, y: number) => {
    if (boxing === "armed") return setBoxing([x, y]);
    if (boxing) {
      setBox([boxing[0], boxing[1], x, y]);
      return setBoxing(null);
    }
    if (drawing === "armed") setDrawing([x, y]);
    else if (drawing) {
      setSection({ x0: drawing[0], y0: drawing[1], ...straight(drawing, [x, y]) });
      setDrawing(null);
    }
  };
  return (
    <>
      <main className="flex min-h-0 flex-1 flex-col gap-[9px] px-2.5 pb-1 pt-[9px]">
        <div className="grid min-h-0 flex-1 grid-cols-[minmax(0,62fr)_minmax(0,38fr)] gap-[9px]">
          <section className="plate" aria-label="Picture">
            <div className="flex h-[33px] flex-none items-center gap-1.5 border-b border-hair px-2">
              <span className="cap">Picture</span>
              {names.map((n) => (
                <button key={n} className={`btn small ${n === name ? "on" : "quiet"}`} aria-pressed={n === name} onClick={() => { setName(n); setKept({}); }}>{frames.fields[n]!.label}</button>
              ))}
              <button className={`btn small ml-auto ${layers.lines ? "on" : ""}`} aria-pressed={layers.lines} title="Lines of equal value" onClick={() => setLayers({ ...layers, lines: !layers.lines })}>Lines <kbd>L</kbd></button>
              {vector && <button className={`btn small ${layers.stream ? "on" : ""}`} aria-pressed={layers.stream} title="Lines along the stream" onClick={() => setLayers({ ...layers, stream: !layers.stream })}>Stream <kbd>V</kbd></button>}
              <button className={`btn small ${boxing ? "on" : ""}`} title="Mean and integral in a box" onClick={() => { setDrawing(null); setBoxing(boxing ? null : "armed"); }}>{boxing ? (boxing === "armed" ? "Click a corner" : "Click the other") : "Box"} <kbd>B</kbd></button>
              <button className={`btn small ${drawing ? "on" : ""}`} onClick={() => setDrawing(drawing ? null : "armed")}>{drawing ? (drawing === "armed" ? "Click one end" : "Click the other") : "Section"} <kbd>S</kbd></button>
              <select className="in w-[86px]" aria-label="Run" value={run.id} onChange={(e) => go({ runId: e.target.value })}>
                {runs.filter((r) => r.frames > 0).map((r) => <option key={r.id} value={r.id}>run {r.number}</option>)}
              </select>
            </div>
            <ScaleControl scale={scale} unit={info.unit} field={field.data ?? null} own={Object.keys(kept).length === 0} onChange={(s) => setKept((k) => ({ ...k, ...s }))} onReset={() => setKept({})} />
            <FieldPicture view={view} field={field.data ?? null} x={frames.x} y={frames.y} scale={scale} unit={info.unit} label={info.label}
              onMove={(x, y) => setProbe([x, y])} onLeave={() => setProbe(null)} onDown={down}
              overlay={(f) => (
                <>
                  <path className="wall" d={ringPath(view.sheet.rings, f)} />
                  {layers.lines && field.data && <EqualLines field={field.data} frames={frames} scale={scale} f={f} />}
                  {layers.stream && vector && <StreamLines run={run.id} frame={frame.id} vector={vector} frames={frames} f={f} />}
                  {box && <BoxMark f={f} box={box} />}
                  {boxing && boxing !== "armed" && probe && <BoxMark f={f} box={[...boxing, ...probe]} />}
                  {section && <SectionMark f={f} s={section} />}
                  {drawing && drawing !== "armed" && probe && <path className="axisline" stroke="var(--copperfill)" d={`M${f.X(drawing[0])} ${f.Y(drawing[1])}L${f.X(probe[0])} ${f.Y(probe[1])}`} />}
                </>
              )}>
              <ProbeCard probe={probe} told={told} span={span} />
            </FieldPicture>
          </section>
          <div className="flex min-h-0 flex-col gap-2">
            <ReadoutPlate view={view} run={run} frame={frame} frames={frames} isLast={at === last} chosen={history} onHistory={(n) => setHistory(history === n ? null : n)} />
            <BalancePlate run={run} />
            {history ? <HistoryPlate key={history} run={run} readout={history} onClear={() => setHistory(null)} /> : box ? <BoxPlate run={run} frame={frame} box={box} onClear={() => setBox(null)} /> : wall ? (
              <WallPlate view={view} run={run} frame={frame} edge={wall[0]} quantity={wall[1]} onPick={(e, q) => setWall([e, q])} onClear={() => setWall(null)} />
            ) : (
              <ProfilePlate run={run} frame={frame} name={name} info={info} section={section} onClear={() => setSection(null)} onWall={walled ? askWall : undefined} onExample={() => {
                const [x0, y0, x1, y1] = view.sheet.box;
                setSection({ x0: x0 + 0.9 * (x1 - x0), y0, x1: x0 + 0.9 * (x1 - x0), y1 });
              }} />
            )}
          </div>
        </div>
        <TimeStrip run={run} frames={frames} settled={(s) => (view.data.stages?.[s]?.mode ?? "steady") === "steady"} name={name} scale={scale} at={at} playing={playing} speed={speed} onAt={(k) => { setPlaying(false); setAt(k); }} onPlay={() => setPlaying(!playing)} onStep={step} onSpeed={setSpeed} />
      </main>
      <Foot keys={[["Space", "play"], ["← →", "frame"], ["S", "section"], ["B", "box"], ["L", "lines"], ["V", "stream"], ["W", "along a wall"], ["R", "reverse"], ["Esc", "clear"]]} right={["2", "back to Set"]} />
    </>
  );
}

/** Close to level or upright lines snap to it. */
function straight([x0, y0]: [number, number], [x, y]: [number, number]): { x1: number; y1: number } {
  const [dx, dy] = [Math.abs(x - x0), Math.abs(y - y0)];
  if (dx < 0.06 * dy) return { x1: x0, y1: y };
  return dy < 0.06 * dx ? { x1: x, y1: y0 } : { x1: x, y1: y };
}

function useProbe(run: string, frame: number, at: [number, number] | null) {
  const [held, setHeld] = useState<[number, number] | null>(null);
  useEffect(() => {
    const wait = setTimeout(() => setHeld(at), 60);
    return () => clearTimeout(wait);
  }, [at]);
  return useQuery({ queryKey: ["probe", run, frame, held], queryFn: () => api.probe(run, frame, held![0], held![1]), enabled: !!held, placeholderData: (old) => old, gcTime: 1000 }).data;
}

function ProbeCard({ probe, told, span }: { probe: [number, number] | null; span: Record<string, number>; told: { values: Record<string, { value: number; unit: string; label: string }> } | undefined }) {
  const values = Object.entries(told?.values ?? {});
  return (
    <div className="pointer-events-none absolute right-3 top-2 min-w-[190px] rounded border border-rim bg-enamel px-2.5 py-1.5 text-[12px]" data-testid="probe" aria-live="off">
      <div className="flex justify-between gap-3 text-ink3"><b className="font-medium text-soot">Probe</b>{probe ? <span className="num">{`x ${show(probe[0] * 1e3, 4)}  y ${show(probe[1] * 1e3, 4)} mm`}</span> : "point at the picture"}</div>
      {probe && values.length === 0 && <div className="text-ink3">closed here</div>}
      {probe && values.map(([n, v]) => <div key={n} className="flex justify-between gap-3"><span className="text-ink2">{v.label}</span><span className="num" data-testid={`probe-${n}`}>{show(Math.abs(v.value) < 1e-9 * (span[n] ?? 0) ? 0 : v.value, 4)} {v.unit}</span></div>)}
    </div>
  );
}

function SectionMark({ f, s }: { f: Fit; s: Section }) {
  const d = `M${f.X(s.x0)} ${f.Y(s.y0)}L${f.X(s.x1)} ${f.Y(s.y1)}`;
  return (
    <g>
      <path d={d} stroke="var(--soot)" strokeWidth={3.4} fill="none" opacity={0.8} />
      <path d={d} stroke="var(--enamel)" strokeWidth={1.6} strokeDasharray="16 3 3 3" fill="none" />
      {([[s.x0, s.y0, "A"], [s.x1, s.y1, "A"]] as const).map(([x, y, t], k) => (
        <g key={k}><rect x={f.X(x) - 8} y={f.Y(y) - 8} width={16} height={16} fill="var(--well)" stroke="var(--soot)" /><text x={f.X(x)} y={f.Y(y) + 4.5} textAnchor="middle" style={{ fontWeight: 600 }}>{t}</text></g>
      ))}
    </g>
  );
}
