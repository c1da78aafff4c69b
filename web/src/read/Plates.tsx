import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api } from "../client";
import type { BalanceResult, CaseView, FramesView, FrameView, RunView } from "../client/views";
import { show } from "../drawing/number";
import { Plot } from "../parts/Plot";
import { against, range, verdict } from "../drawing/verdict";

export interface Section { x0: number; y0: number; x1: number; y1: number }

export function ReadoutPlate({ view, run, frame, frames, isLast, chosen, onHistory }: { chosen: string | null; onHistory: (readout: string) => void; view: CaseView; run: RunView; frame: FrameView; frames: FramesView; isLast: boolean }) {
  const results = run.result?.readouts ?? {};
  const grids = run.result?.grids;
  return (
    <section className="plate max-h-[46%] flex-none" aria-label="Readouts">
      <header>
        Readouts <small>{grids ? `end of the run, margins from ${grids.join(", ")} cells` : "end of the run, one grid"}</small>
        <span className="r">{!grids && run.status === "finished" && <AskMargin run={run} />}<a className="btn small" title="Every frame as VTK XML, with a collection of times" href={`/api/runs/${run.id}/export/vtk.zip`} download="frames.zip">VTK</a><a className="btn small" href={api.exportUrl(run.id, "readouts")} download="readouts.csv">CSV</a></span>
      </header>
      <div className="scroll">
        <table className="t">
          <thead><tr><th>Readout</th><th className="num">Solved</th><th /><th className="num">Paper</th><th className="num">Ratio</th><th /><th>Measured</th></tr></thead>
          <tbody>
            {Object.entries(results).map(([n, r]) => {
              const ratio = r.value !== null && r.paper ? r.value / r.paper : null;
              return (
                <tr key={n} className={chosen === n ? "bg-copperwash" : ""}>
                  <td><button className="cursor-pointer text-left underline decoration-dotted underline-offset-2" aria-pressed={chosen === n} title="Its history, spectrum and residence time" onClick={() => onHistory(n)}>{view.paper.find((p) => p.readout === n)?.label ?? frames.readouts[n]?.label ?? n}</button></td>
                  <td className="num" data-testid={`readout-${n}`}><b className="font-semibold">{show(r.value, 4)}</b> <span title={r.margin === undefined ? "one grid tells no margin" : `${r.margin_says}${r.order ? `, order ${show(r.order, 2)}` : ""}`}>± {r.margin === undefined ? "?" : show(r.margin, 2)}</span></td>
                  <td className="u">{r.unit}</td>
                  <td className="num">{show(r.paper, 3)}</td>
                  <td className={`num ${ratio === null ? "" : verdict(ratio)[1]}`}>{show(ratio, 3)}</td>
                  <td className="text-[11.5px] text-ink3">{ratio === null ? (r.why ?? "") : verdict(ratio)[0]}</td>
                  <td className="num whitespace-nowrap text-[11.5px]" data-testid={`measured-${n}`}>{r.measured && <>{range(r.measured)}{r.value !== null && <span className="ml-1 text-ink3">{against(r.value, r.measured)}</span>}</>}</td>
                </tr>
              );
            })}
          </tbody>
        </table>
        {Object.keys(results).length === 0 && <p className="px-2.5 py-2 text-ink3">Readouts follow when the run ends.</p>}
      </div>
      {!isLast && <p className="border-t border-hair bg-dip px-2.5 py-1 text-[11.5px] text-ink3">The picture shows {frame.stage} at {show(frame.value)} {frame.axis === "time" ? "s" : ""}; the numbers are those of the end.</p>}
    </section>
  );
}

/** Two more grids, by one click; how far they are. */
function AskMargin({ run }: { run: RunView }) {
  const queries = useQueryClient();
  const [error, setError] = useState("");
  const open = run.helpers.filter((s) => s === "waiting" || s === "running").length;
  useEffect(() => {
    if (!run.helpers.length) return;
    const timer = setInterval(() => void queries.invalidateQueries({ queryKey: ["run", run.id] }), 1000);
    return () => clearInterval(timer);
  }, [run.helpers.length, run.id, queries]);
  const bad = run.helpers.length > 0 && open === 0 && run.helpers.some((s) => s !== "finished");
  if (bad) return <span className="text-[12px] text-copper">a coarser grid did not finish: no margin</span>;
  if (run.helpers.length) return <span className="text-[12px] text-ink2" role="status">{`margin: ${run.helpers.length - open} of ${run.helpers.length} coarser grids done`}</span>;
  return <button className="btn small" title={error || "The same case on two coarser grids"} onClick={() => void api.askMargin(run.id).then(() => queries.invalidateQueries({ queryKey: ["run", run.id] }), (e: unknown) => setError(String(e)))}>Margin</button>;
}

const TOLERANCE = 1e-6;

export function BalancePlate({ run }: { run: RunView }) {
  const balance = Object.entries(run.result?.balance ?? {});
  const closed = balance.every(([, b]) => b.relative <= TOLERANCE);
  return (
    <section className="plate flex-none" aria-label="Balance">
      <header>Balance <small>what went in against what came of it</small><span className={`r text-[12px] ${closed ? "text-verdigris" : "text-copper"}`}>{balance.length ? (closed ? "all close" : "not closed") : ""}</span></header>
      {balance.map(([n, b]) => <BalanceRow key={n} name={n} b={b} />)}
      {balance.length === 0 && <p className="px-2.5 py-2 text-ink3">The balance follows when the run ends.</p>}
    </section>
  );
}

function BalanceRow({ name, b }: { name: string; b: BalanceResult }) {
  const parts: [string, number, string][] = [
    ...Object.entries(b.outflow).map(([e, v], k) => [`out by ${e.replace(/_/g, " ")}`, v, k ? "var(--d4)" : "var(--d2)"] as [string, number, string]),
    ["stored", Math.max(b.stored, 0), "var(--d5)"], ["used up", Math.max(-b.made, 0), "var(--d3)"],
  ];
  const shown = parts.filter(([, v]) => v > 0);
  const total = shown.reduce((s, [, v]) => s + v, 0);
  return (
    <div className="border-b border-hair2 px-2.5 py-1 last:border-0" data-testid={`balance-${name}`}>
      <div className="flex items-center gap-2">
        <span className="w-[64px] truncate">{name.replace(/_/g, " ")}</span>
        <span className="flex h-[10px] flex-1 border border-rim">
          {shown.map(([t, v, ink]) => <i key={t} title={`${t}: ${show(v)} ${b.unit}`} style={{ width: `${(v / (total || 1)) * 100}%`, background: ink }} />)}
        </span>
        <span className="num">{show(b.in + Math.max(b.made, 0), 4)} {b.unit}</span>
        <span className={`num ${b.relative <= TOLERANCE ? "text-verdigris" : "text-copper"}`}>gap {show(b.relative, 2)}</span>
      </div>
      <div className="flex flex-wrap gap-x-3 text-[11px] text-ink3">
        <span>in: {Object.entries(b.inflow).filter(([, v]) => v > 1e-9 * b.in).map(([e]) => e.replace(/_/g, " ")).join(", ") || "nothing"}</span>
        {shown.filter(([, v]) => v > 1e-9 * total).map(([t, v, ink]) => <span key={t} className="flex items-center gap-1"><i className="inline-block h-2 w-2" style={{ background: ink }} />{t} {show(v, 3)}</span>)}
      </div>
    </div>
  );
}

export function ProfilePlate({ run, frame, name, info, section, onClear, onExample, onWall }: {
  run: RunView; frame: FrameView; name: string; info: { label: string; unit: string }; section: Section | null; onClear: () => void; onExample: () => void; onWall?: () => void;
}) {
  const query = { frame: frame.id, name, ...(section ?? { x0: 0, y0: 0, x1: 0, y1: 0 }) };
  const profile = useQuery({ queryKey: ["profile", run.id, query], queryFn: () => api.profile(run.id, query), enabled: !!section, placeholderData: (old) => old });
  const values = profile.data?.value.filter((v): v is number => v !== null) ?? [];
  return (
    <section className="plate min-h-[170px] flex-1" aria-label="Section profile">
      <header>
        Section A–A <small>{section ? `${info.label.toLowerCase()} from ${point(section.x0, section.y0)} to ${point(section.x1, section.y1)}` : ""}</small>
        {section && (
          <span className="r">
            <a className="btn small" href={api.exportUrl(run.id, "profile", query)} download="profile.csv">CSV</a>
            <a className="btn small quiet" href={api.exportUrl(run.id, "field", { frame: frame.id })} download="field.csv">Field CSV</a>
            <button className="btn small quiet" onClick={onClear}>Clear</button>
          </span>
        )}
      </header>
      {section && profile.data ? (
        <>
          <Plot x={profile.data.distance} lines={[{ label: info.label, values: profile.data.value }]} xLabel="along the section, mm" unit={profile.data.unit} />
          <p className="px-2.5 pb-1 text-[11.5px] text-ink3" data-testid="profile-numbers">{values.length} values, {show(Math.min(...values), 4)} to {show(Math.max(...values), 4)} {profile.data.unit}</p>
        </>
      ) : (
        <div className="flex flex-1 flex-col items-start gap-2 p-3 text-ink2">
          <p>Draw a section across the picture to see its profile: press S, click one end, then the other.</p>
          <div className="flex gap-2">
            <button className="btn small" onClick={onExample}>Section near the right end</button>
            {onWall && <button className="btn small" onClick={onWall}>Along a wall <kbd>W</kbd></button>}
            <a className="btn small quiet" href={api.exportUrl(run.id, "field", { frame: frame.id })} download="field.csv">Field CSV</a>
          </div>
        </div>
      )}
    </section>
  );
}

/** What passes a wall, place by place along it. */
export function WallPlate({ view, run, frame, edge, quantity, onPick, onClear }: {
  view: CaseView; run: RunView; frame: FrameView; edge: string; quantity: string; onPick: (edge: string, quantity: string) => void; onClear: () => void;
}) {
  const numbers = Object.entries(view.data.readouts ?? {}).filter(([, r]) => r.kind === "transfer" && r.quantity === quantity && r.place === edge);
  const [asked, setAsked] = useState("");
  const number = numbers.find(([n]) => n === asked);
  const query = { frame: frame.id, quantity, edge, readout: number ? asked : "" };
  const wall = useQuery({ queryKey: ["wall", run.id, query], queryFn: () => api.wall(run.id, query), placeholderData: (old) => old });
  const values = (wall.data?.value ?? []).map((v) => v ?? NaN);
  const known = values.filter(Number.isFinite);
  const says = number ? String(number[1].label ?? asked.replace(/_/g, " ")) : `${quantity.replace(/_/g, " ")} into the vessel`;
  return (
    <section className="plate min-h-[170px] flex-1" aria-label="Wall profile">
      <header>
        Along
        <select className="in w-[112px]" aria-label="Wall" value={edge} onChange={(e) => onPick(e.target.value, quantity)}>{view.places.edges.map((e) => <option key={e} value={e}>{e.replace(/_/g, " ")}</option>)}</select>
        <select className="in w-[92px]" aria-label="Quantity along the wall" value={quantity} onChange={(e) => onPick(edge, e.target.value)}>{view.wall_quantities.map((q) => <option key={q} value={q}>{q.replace(/_/g, " ")}</option>)}</select>
        {numbers.length > 0 && (
          <select className="in w-[112px]" aria-label="What is shown along the wall" value={number ? asked : ""} onChange={(e) => setAsked(e.target.value)}>
            <option value="">flux</option>{numbers.map(([n, r]) => <option key={n} value={n}>{String(r.label ?? n.replace(/_/g, " "))}</option>)}
          </select>
        )}
        <span className="r">
          <a className="btn small" href={api.exportUrl(run.id, "wall", query)} download="wall.csv">CSV</a>
          <button className="btn small quiet" onClick={onClear}>Clear</button>
        </span>
      </header>
      {values.length ? (
        <>
          <Plot x={wall.data!.distance} lines={[{ label: says, values }]} xLabel={`along ${edge.replace(/_/g, " ")}, mm`} unit={wall.data!.unit} />
          <p className="px-2.5 pb-1 text-[11.5px] text-ink3" data-testid="wall-numbers">{values.length} places, {show(Math.min(...known), 4)} to {show(Math.max(...known), 4)} {wall.data!.unit} {number ? "" : "into the vessel"}</p>
        </>
      ) : <p className="p-3 text-ink2">{wall.isPending ? "Reading the wall" : wall.error ? String(wall.error.message) : "Nothing is spread through this edge: it is sealed, or only a stream passes it."}</p>}
    </section>
  );
}

const point = (x: number, y: number) => `(${show(x * 1e3, 3)}, ${show(y * 1e3, 3)}) mm`;
