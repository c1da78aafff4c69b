import { Popover } from "radix-ui";
import type { CaseView } from "../client/views";
import { grouped, type ShownColumns } from "./columns";

/** Which columns the ledger shows. */
export function ColumnChooser({ view, shown }: { view: CaseView; shown: ShownColumns }) {
  const all = view.ledger.columns.length;
  const hidden = view.ledger.columns.filter(
    (c) => shown.put[c.id] === "hidden" || shown.put[c.phenomenon] === "folded",
  ).length;
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <button type="button" className="btn small flex-none">
          {hidden ? `${all - hidden} of ${all} columns` : `${all} columns`}
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label="Columns"
          className="plate z-20 max-h-[60vh] w-[300px]"
          sideOffset={6}
          align="end"
        >
          <div className="flex flex-none items-center border-b border-hair px-2.5 py-1.5">
            <span className="cap">Columns</span>
            <button type="button" className="btn quiet small ml-auto" onClick={shown.all}>
              Show all
            </button>
          </div>
          <div className="scroll p-2">
            {grouped(view).map(({ phenomenon, columns }) => {
              const { label } = view.phenomena[phenomenon]!;
              const folded = shown.put[phenomenon] === "folded";
              return (
                <fieldset key={phenomenon} className="pb-1.5">
                  <legend className="flex w-full items-center">
                    <b className="text-[12.5px] font-semibold">{label}</b>
                    <button
                      type="button"
                      className="btn quiet small ml-auto"
                      aria-pressed={folded}
                      aria-label={folded ? `Unfold ${label}` : `Fold ${label}`}
                      onClick={() => shown.set(phenomenon, folded ? undefined : "folded")}
                    >
                      {folded ? "Unfold" : "Fold"}
                    </button>
                  </legend>
                  {columns.map((c) => (
                    <label key={c.id} className="flex items-center gap-2 py-0.5 text-[12.5px]">
                      <input
                        type="checkbox"
                        checked={shown.put[c.id] !== "hidden"}
                        onChange={(e) => shown.set(c.id, e.target.checked ? undefined : "hidden")}
                      />
                      {c.label}
                    </label>
                  ))}
                </fieldset>
              );
            })}
          </div>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
