import { Tabs } from "radix-ui";
import { useEffect, useState } from "react";
import type { CaseView, Finding, RowView, RunView } from "../client/views";
import { show, span } from "../drawing/number";
import type { OpenCase } from "./useCase";
import { patchAt } from "./useCase";
import { ReadoutsPanel, StagesPanel } from "./Asking";
import { Equations } from "./Equations";
import { ValuesPanel } from "./ValuesPanel";
import { VesselPanel } from "./VesselPanel";

const SIGNS: Record<Finding["grade"], string> = { stops: "M7.5 2A5.5 5.5 0 1 1 7.4 2Z", contradiction: "M2 5.5H13M2 9.5H13M10 2L5 13", doubt: "M7.5 2L14 13H1ZM7.5 6V9.5M7.5 11V11.6" };

export function AuditPlate({ view, open, onPlace, onFire, firing }: { view: CaseView; open: OpenCase; onPlace: (f: Finding) => void; onFire: () => void; firing: boolean }) {
  const blocking = view.audit.filter((f) => f.grade !== "doubt").length;
  return (
    <section className="plate max-h-[150px] flex-none" aria-label="Audit">
      <header>
        Audit <small>{view.audit.length ? `${view.audit.length} to settle` : "nothing to settle"}</small>
        <span className="r">
          {view.cost && <small>{`runs for ${span(view.cost.low)} to ${span(view.cost.high)}`}</small>}
          <button className="btn primary small" disabled={!view.can_run || firing} onClick={onFire}>{view.can_run ? "Fire" : `Fire: ${blocking} to settle`}</button>
        </span>
      </header>
      <div className="scroll">
        {view.audit.map((f) => (
          <div key={f.sentence} className="grid grid-cols-[18px_1fr_auto] items-center gap-2 border-b border-hair2 px-2.5 py-1 text-[12.5px] leading-[1.2]">
            <svg viewBox="0 0 15 15" className="h-[15px] w-[15px]" aria-label={f.grade}><path d={SIGNS[f.grade]} fill="none" stroke={f.grade === "doubt" ? "var(--slate)" : "var(--copperfill)"} strokeWidth="1.8" strokeLinejoin="round" /></svg>
            <span><b className="font-medium">{f.sentence}</b> <span className="text-ink3">{f.reason}</span></span>
            {f.cure.length > 0 ? (
              <button className="btn small" onClick={() => void open.edit(f.cure.reduce((p, [path, v]) => ({ ...p, ...patchAt(path.split("/"), v) }), {}), f.cure_label)}>{f.cure_label}</button>
            ) : f.place ? <button className="btn small" onClick={() => onPlace(f)}>{f.cure_label || "Show"}</button> : <span />}
          </div>
        ))}
        {view.audit.length === 0 && <p className="px-2.5 py-1.5 text-[12.5px] text-verdigris">Everything the run needs is said, and nothing looks odd.</p>}
      </div>
    </section>
  );
}

export function LowerPlate({ view, open, lastRun, part, onPart, onPlace }: { view: CaseView; open: OpenCase; lastRun: RunView | undefined; part: string | null; onPart: (part: string) => void; onPlace: (place: string, on: RowView["on"], column: string) => void }) {
  const [tab, setTab] = useState("paper");
  useEffect(() => {
    if (part) setTab("vessel");
  }, [part]);
  return (
    <Tabs.Root value={tab} onValueChange={setTab} className="plate min-h-[200px] flex-[1_1_230px]">
      <Tabs.List className="tabrow flex-none border-b border-hair pl-1" aria-label="About this case">
        {[["paper", "Paper check"], ["values", "Values"], ["vessel", "Vessel"], ["stages", "Stages, grid"], ["readouts", "Readouts"], ["equations", "Equations"]].map(([v, words]) => (
          <Tabs.Trigger key={v} value={v!} className="tab">{words}</Tabs.Trigger>
        ))}
      </Tabs.List>
      <div className="scroll flex-1">
        <Tabs.Content value="paper"><PaperTable view={view} lastRun={lastRun} /></Tabs.Content>
        <Tabs.Content value="values"><ValuesPanel view={view} open={open} /></Tabs.Content>
        <Tabs.Content value="vessel"><VesselPanel view={view} open={open} part={part} onPart={onPart} /></Tabs.Content>
        <Tabs.Content value="stages"><StagesPanel view={view} open={open} /></Tabs.Content>
        <Tabs.Content value="readouts"><ReadoutsPanel view={view} open={open} /></Tabs.Content>
        <Tabs.Content value="equations"><Equations view={view} open={open} onPlace={onPlace} /></Tabs.Content>
      </div>
    </Tabs.Root>
  );
}

export function verdict(ratio: number): [string, string] {
  if (ratio >= 0.83 && ratio <= 1.2) return ["agrees", "text-verdigris"];
  return ratio >= 0.5 && ratio <= 2 ? ["worth a look", "text-copper"] : ["doubt one of them", "text-copper font-semibold"];
}

function PaperTable({ view, lastRun }: { view: CaseView; lastRun: RunView | undefined }) {
  const stale = !!lastRun && view.journal.count > 0;
  return (
    <table className="t">
      <thead><tr><th>Readout</th><th className="num">Paper</th><th /><th>By</th><th className="num">Solved</th><th className="num">Ratio</th></tr></thead>
      <tbody>
        {view.paper.map((r) => {
          const solved = lastRun?.result?.readouts?.[r.readout]?.value ?? null;
          const ratio = solved !== null && r.value ? solved / r.value : null;
          return (
            <tr key={r.readout} title={[r.source, r.range && `range: ${r.range}`, r.note].filter(Boolean).join("; ")}>
              <td>{r.label}</td>
              <td className="num" data-testid={`paper-${r.readout}`}>{show(r.value, 3)}</td>
              <td className="u">{r.unit}</td>
              <td className="text-[12px] text-ink2">{r.by || "no relation fits"}{!r.inside && <span className="text-copper">, outside its range</span>}</td>
              <td className={`num ${stale ? "italic text-ink3" : ""}`}>{show(solved, 4)}</td>
              <td className={`num ${ratio === null ? "" : verdict(ratio)[1]}`} title={ratio === null ? "" : verdict(ratio)[0]}>{show(ratio, 3)}</td>
            </tr>
          );
        })}
        {view.regimes.map((r) => (
          <tr key={r.symbol} title={r.source}>
            <td>{r.name}</td><td className="num">{show(r.value, 3)}</td><td className="u">{r.unit}</td>
            <td className="text-[12px] text-ink2" colSpan={3}>{[r.verdict, r.note].filter(Boolean).join(", ")}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
