import { BoxPlate } from "./BoxPlate";
import { EdgePlate } from "./EdgePlate";
import { FormulaPlate } from "./FormulaPlate";
import { HistoryPlate } from "./HistoryPlate";
import { ListPlate, listsOf } from "./ListPlate";
import { ProbesPlate } from "./ProbesPlate";
import { TABS, type Tab, useReadingOf } from "./reading";
import { SectionPlate } from "./SectionPlate";
import { useSeen } from "./useField";

const SPOKEN: Record<Tab, string> = {
  section: "Section profile",
  box: "Box",
  wall: "Wall profile",
  probes: "Probes",
  history: "History of a readout",
  list: "What is followed one by one",
  fields: "Formulas",
};

/** One instrument at a time, all within reach. */
export function Instruments() {
  const { tab, tiles, active, change } = useReadingOf("tab", "tiles", "active", "change");
  const { frames } = useSeen();
  const follows = listsOf(frames).length > 0;
  const name = tiles.find((t) => t.id === active)!.name;
  return (
    <section className="plate min-h-0 flex-1" aria-label={SPOKEN[tab]}>
      <div className="tabrow flex-none border-b border-hair px-1" role="tablist" aria-label="Instruments">
        {(Object.entries(TABS) as [Tab, string][])
          .filter(([t]) => t !== "list" || follows)
          .map(([t, words]) => (
            <button
              type="button"
              key={t}
              role="tab"
              aria-selected={t === tab}
              data-state={t === tab ? "active" : "inactive"}
              className="tab !px-[7px]"
              onClick={() => change({ tab: t })}
            >
              {words}
            </button>
          ))}
      </div>
      <div className="scroll flex min-h-0 flex-1 flex-col">
        {tab === "section" ? (
          <SectionPlate name={name} />
        ) : tab === "box" ? (
          <BoxPlate name={name} />
        ) : tab === "wall" ? (
          <EdgePlate />
        ) : tab === "probes" ? (
          <ProbesPlate name={name} />
        ) : tab === "history" ? (
          <HistoryPlate />
        ) : tab === "list" ? (
          <ListPlate />
        ) : (
          <FormulaPlate />
        )}
      </div>
    </section>
  );
}
