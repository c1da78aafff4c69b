import { Tabs } from "radix-ui";
import { useEffect, useState } from "react";
import type { CaseView, RowView, RunView } from "../client/views";
import { show } from "../drawing/number";
import type { OpenCase } from "./useCase";
import { ReadoutsPanel, StagesPanel } from "./Asking";
import { Equations } from "./Equations";
import { ValuesPanel } from "./ValuesPanel";
import { VesselPanel } from "./VesselPanel";

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
