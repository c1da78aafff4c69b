import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api } from "../client";
import { Foot } from "../parts/Bar";
import { Faults } from "../parts/Faults";
import { useKeys } from "../parts/keys";
import { useView } from "../state";
import { NewSheet } from "./NewSheet";
import { ShelfCardView } from "./ShelfCardView";

export function ShelfScreen() {
  const { go, setSums } = useView();
  const queries = useQueryClient();
  const cases = useQuery({ queryKey: ["cases"], queryFn: api.cases });
  const [removed, setRemoved] = useState<{ id: string; name: string } | null>(null);
  const [error, setError] = useState<unknown>(null);
  const file = useRef<HTMLInputElement>(null);
  const grid = useRef<HTMLDivElement>(null);

  const attempt = async (act: () => Promise<unknown>) => {
    setError(null);
    try {
      await act();
    } catch (e) {
      setError(e);
    }
    await queries.invalidateQueries({ queryKey: ["cases"] });
  };
  const open = (id: string) => go({ screen: "set", caseId: id, runId: null });
  const remove = (id: string, name: string) =>
    attempt(async () => {
      await api.remove(id);
      setRemoved({ id, name });
    });
  const putBack = () =>
    removed &&
    attempt(async () => {
      await api.restore(removed.id);
      setRemoved(null);
    });
  const [choosing, setChoosing] = useState(false);
  const fresh = () => setChoosing(true);
  const begin = (data: object) => attempt(async () => open((await api.addCase(data)).id));
  const move = (step: number) => {
    const cards = [...(grid.current?.querySelectorAll<HTMLElement>("[data-card]") ?? [])];
    const at = cards.indexOf(document.activeElement as HTMLElement);
    cards[Math.min(cards.length - 1, Math.max(0, at + step))]?.focus();
  };
  useKeys({
    ArrowRight: () => move(1),
    ArrowLeft: () => move(-1),
    ArrowDown: () => move(4),
    ArrowUp: () => move(-4),
    n: fresh,
    "ctrl+z": () => putBack(),
  });
  const runs = cases.data?.reduce((s, c) => s + c.runs, 0) ?? 0;
  return (
    <>
      <main className="flex min-h-0 flex-1 flex-col gap-2.5 px-2.5 pt-2.5">
        <div className="flex items-center gap-3">
          <h1 className="text-[18px] font-semibold">Shelf</h1>
          <span className="text-ink3">
            {cases.data
              ? `${cases.data.length} ${cases.data.length === 1 ? "case" : "cases"}, ${runs} ${runs === 1 ? "run" : "runs"} kept`
              : "reading the library"}
          </span>
          {removed && (
            <span className="ml-4 flex items-center gap-2 text-[12.5px]" role="status">
              {removed.name} was taken off the shelf.
              <button type="button" className="btn small" onClick={putBack}>
                Put back
              </button>
            </span>
          )}
          <div className="ml-auto flex gap-2">
            <button type="button" className="btn" onClick={() => file.current?.click()}>
              Open a file
            </button>
            <input
              ref={file}
              type="file"
              accept=".json,application/json"
              className="hidden"
              aria-label="Case file"
              onChange={(e) => {
                const chosen = e.target.files?.[0];
                e.target.value = "";
                if (chosen) void attempt(async () => api.addText(await chosen.text()));
              }}
            />
            <button type="button" className="btn" onClick={() => setSums(true)}>
              Side sums <kbd>K</kbd>
            </button>
            <button type="button" className="btn primary" onClick={fresh}>
              New sheet
            </button>
          </div>
        </div>
        <Faults error={error ?? cases.error} onClose={() => setError(null)} />
        <div
          ref={grid}
          className="scroll grid flex-1 grid-cols-[repeat(auto-fill,minmax(300px,1fr))] content-start gap-2.5 pb-2"
        >
          {cases.data?.map((card) => (
            <ShelfCardView
              key={card.id}
              card={card}
              onOpen={() => open(card.id)}
              onCopy={() => attempt(() => api.copy(card.id))}
              onRemove={() => remove(card.id, card.name)}
            />
          ))}
          {cases.data?.length === 0 && (
            <div className="col-span-full flex flex-col items-center gap-3 rounded-md border border-dashed border-slateline p-10 text-ink2">
              The shelf is empty.
              <button type="button" className="btn primary" onClick={fresh}>
                Start a new sheet
              </button>
            </div>
          )}
        </div>
      </main>
      <NewSheet open={choosing} onOpen={setChoosing} onBegin={(data) => void begin(data)} />
      <Foot
        keys={[
          ["← → ↑ ↓", "move"],
          ["Enter", "open"],
          ["/", "find"],
          ["?", "all keys"],
        ]}
        right={["N", "new sheet"]}
      />
    </>
  );
}
