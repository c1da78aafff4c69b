import { useQuery } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useState } from "react";
import { api } from "../client";
import type { CaseView, SumView } from "../client/views";
import { useView } from "../state";
import { SumForm } from "./SumForm";

/** Small calculators and hand relations, with what comes out sent into the open case. */
export function SideSums() {
  const { sums: shown, setSums } = useView();
  return (
    <Dialog.Root open={shown} onOpenChange={setSums}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-[rgba(35,31,29,.28)]" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed left-1/2 top-12 z-30 flex h-[min(690px,90vh)] w-[min(1080px,96vw)] -translate-x-1/2 flex-col rounded-md border border-t-[3px] border-rim border-t-copperfill bg-enamel"
        >
          <div className="flex h-9 flex-none items-center border-b border-hair px-3">
            <Dialog.Title className="cap text-[13px] text-soot">Side sums</Dialog.Title>
            <Dialog.Close className="btn quiet small ml-auto" aria-label="Close">
              Esc
            </Dialog.Close>
          </div>
          {shown && <Choosing />}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Choosing() {
  const { caseId, variant, screen, sumsFor } = useView();
  const [text, setText] = useState(sumsFor);
  const [chosen, setChosen] = useState<string | null>(null);
  const all = useQuery({ queryKey: ["sums"], queryFn: api.sums, staleTime: Infinity }).data ?? [];
  // what the open screen holds, as it changes: a value kept a moment ago may still be on its way
  const open = screen === "set" && caseId !== null;
  const kept = useQuery<CaseView>({ queryKey: ["case", caseId, variant], enabled: false });
  const view = open ? kept.data : undefined;
  const words = text.toLowerCase().split(/\s+/).filter(Boolean);
  const found = all.filter((s) =>
    words.every((w) => `${s.label} ${s.group} ${s.summary} ${s.source}`.toLowerCase().includes(w)),
  );
  const groups = [...new Set(found.map((s) => s.group))];
  const sum = all.find((s) => s.name === (chosen ?? found[0]?.name));
  return (
    <div className="flex min-h-0 flex-1">
      <div className="flex w-[262px] flex-none flex-col gap-1.5 border-r border-hair p-2">
        <input
          className="in font-sans"
          aria-label="Search side sums"
          placeholder="humidity, drop, Nusselt, ..."
          autoFocus
          value={text}
          onChange={(e) => {
            setText(e.target.value);
            setChosen(null);
          }}
        />
        <div className="scroll flex-1" role="listbox" aria-label="Side sums">
          {groups.map((g) => (
            <div key={g} role="group" aria-label={g}>
              <p className="cap px-1 pb-0.5 pt-1.5">{g}</p>
              {found
                .filter((s) => s.group === g)
                .map((s) => (
                  <Option key={s.name} s={s} on={s.name === sum?.name} onPick={() => setChosen(s.name)} />
                ))}
            </div>
          ))}
          {all.length > 0 && found.length === 0 && (
            <p className="p-1.5 text-[12.5px] text-ink3">Nothing of that name.</p>
          )}
        </div>
      </div>
      {sum && <SumForm key={sum.name} sum={sum} view={view} />}
    </div>
  );
}

const Option = ({ s, on, onPick }: { s: SumView; on: boolean; onPick: () => void }) => (
  <button
    type="button"
    role="option"
    aria-selected={on}
    className={`btn small h-auto min-h-[22px] w-full justify-start whitespace-normal py-[3px] text-left leading-[1.15] ${on ? "on" : "quiet"}`}
    onClick={onPick}
  >
    {s.label}
  </button>
);
