import { Tabs } from "radix-ui";
import { useEffect } from "react";
import type { CaseView, RowView, RunView, TasteView } from "../client/views";
import { type Tab, useView } from "../state";
import { Equations } from "./Equations";
import { PaperTable } from "./PaperTable";
import { ReadoutsPanel } from "./Readouts";
import { StagesPanel } from "./Stages";
import type { OpenCase } from "./useCase";
import { ValuesPanel } from "./ValuesPanel";
import { VesselPanel } from "./VesselPanel";

const TABS: [Tab, string][] = [
  ["paper", "Paper check"],
  ["values", "Values"],
  ["vessel", "Vessel"],
  ["stages", "Stages, grid"],
  ["readouts", "Readouts"],
  ["equations", "Equations"],
];

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
  const { plates, lay, showValues } = useView();
  useEffect(() => {
    if (part) lay({ tab: "vessel" });
  }, [part, lay]);
  const toTab = (tab: Tab) => (tab === "values" ? showValues("") : lay({ tab }));
  return (
    <Tabs.Root
      value={plates.tab}
      onValueChange={(t) => toTab(t as Tab)}
      className="plate"
      style={{ flex: `${plates.whole ? 1 : plates.lower} 1 0` }}
    >
      <Tabs.List className="tabrow flex-none border-b border-hair pl-1" aria-label="About this case">
        {TABS.map(([v, words]) => (
          <Tabs.Trigger key={v} value={v} className="tab">
            {words}
          </Tabs.Trigger>
        ))}
        <button
          type="button"
          className="btn quiet small ml-auto self-center !px-1.5"
          aria-label={plates.whole ? "Back below the ledger" : "Over the whole right side"}
          title={`${plates.whole ? "Back below the ledger" : "Over the whole right side"} (W)`}
          aria-pressed={plates.whole}
          onClick={() => lay({ whole: !plates.whole })}
        >
          <svg width="12" height="12" aria-hidden="true">
            <path
              d={plates.whole ? "M2 2.5 6 6.5 10 2.5M2 10H10" : "M2 9.5 6 5.5 10 9.5M2 2H10"}
              fill="none"
              stroke="currentColor"
              strokeWidth="1.5"
            />
          </svg>
        </button>
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
