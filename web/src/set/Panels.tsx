import { Tabs } from "radix-ui";
import { useEffect, useState } from "react";
import type { CaseView, RowView, RunView, TasteView } from "../client/views";
import { Equations } from "./Equations";
import { PaperTable } from "./PaperTable";
import { ReadoutsPanel } from "./Readouts";
import { StagesPanel } from "./Stages";
import type { OpenCase } from "./useCase";
import { ValuesPanel } from "./ValuesPanel";
import { VesselPanel } from "./VesselPanel";

export function LowerPlate({
  view,
  open,
  lastRun,
  taste,
  part,
  onPart,
  onPlace,
}: {
  view: CaseView;
  open: OpenCase;
  lastRun: RunView | undefined;
  taste: TasteView | null;
  part: string | null;
  onPart: (part: string) => void;
  onPlace: (place: string, on: RowView["on"], column: string) => void;
}) {
  const [tab, setTab] = useState("paper");
  useEffect(() => {
    if (part) setTab("vessel");
  }, [part]);
  return (
    <Tabs.Root value={tab} onValueChange={setTab} className="plate min-h-[200px] flex-[1_1_230px]">
      <Tabs.List className="tabrow flex-none border-b border-hair pl-1" aria-label="About this case">
        {[
          ["paper", "Paper check"],
          ["values", "Values"],
          ["vessel", "Vessel"],
          ["stages", "Stages, grid"],
          ["readouts", "Readouts"],
          ["equations", "Equations"],
        ].map(([v, words]) => (
          <Tabs.Trigger key={v} value={v!} className="tab">
            {words}
          </Tabs.Trigger>
        ))}
      </Tabs.List>
      <div className="scroll flex-1">
        <Tabs.Content value="paper">
          <PaperTable view={view} open={open} lastRun={lastRun} taste={taste} />
        </Tabs.Content>
        <Tabs.Content value="values">
          <ValuesPanel view={view} open={open} />
        </Tabs.Content>
        <Tabs.Content value="vessel">
          <VesselPanel view={view} open={open} part={part} onPart={onPart} />
        </Tabs.Content>
        <Tabs.Content value="stages">
          <StagesPanel view={view} open={open} />
        </Tabs.Content>
        <Tabs.Content value="readouts">
          <ReadoutsPanel view={view} open={open} />
        </Tabs.Content>
        <Tabs.Content value="equations">
          <Equations view={view} open={open} onPlace={onPlace} />
        </Tabs.Content>
      </div>
    </Tabs.Root>
  );
}
