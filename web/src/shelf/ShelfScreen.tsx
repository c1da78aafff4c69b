import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useLayoutEffect, useMemo, useRef, useState } from "react";
import { api } from "../client";
import { Foot } from "../parts/Bar";
import { Choose } from "../parts/Choose";
import { Faults } from "../parts/Faults";
import { useKeys } from "../parts/keys";
import { useSize } from "../parts/useSize";
import { useView } from "../state";
import { useLook } from "./look";
import { NewSheet } from "./NewSheet";
import { found, moved, phenomenaOf, rowsOf, SORTS, type Sort } from "./order";
import { type Acts, ShelfCardView, ShelfLine } from "./ShelfCardView";

const CARD = { width: 300, height: 318 }; // px
const [GAP, EDGE, LINE, HEADING] = [10, 2, 31, 30]; // px

export function ShelfScreen() {
  const { go, setSums } = useView();
  const queries = useQueryClient();
  const cases = useQuery({ queryKey: ["cases"], queryFn: api.cases });
  const [removed, setRemoved] = useState<{ id: string; name: string } | null>(null);
  const [error, setError] = useState<unknown>(null);
  const file = useRef<HTMLInputElement>(null);

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
  const acts = useMemo<Acts>(
    () => ({
      open: (id) => latest.current.open(id),
      copy: (id) => void latest.current.attempt(() => api.copy(id)),
      remove: (id, name) => void latest.current.remove(id, name),
    }),
    [],
  );
  const latest = useRef({ open, attempt, remove });
  latest.current = { open, attempt, remove };
  const [choosing, setChoosing] = useState(false);
  const fresh = () => setChoosing(true);
  const begin = (data: object) => attempt(async () => open((await api.addCase(data)).id));
  const [{ text, phenomenon, sort, list, folded }, look] = useLook();
  const cards = useMemo(
    () => found(cases.data ?? [], text, phenomenon, sort),
    [cases.data, text, phenomenon, sort],
  );
  const { ref: around, width } = useSize<HTMLDivElement>();
  const across = list ? 1 : Math.max(1, Math.floor((width - EDGE + GAP) / (CARD.width + GAP)));
  const rows = useMemo(() => rowsOf(cards, across, folded), [cards, across, folded]);
  // rows out of sight are not drawn
  const down = useVirtualizer({
    count: rows.length,
    getScrollElement: () => around.current,
    estimateSize: (k) => ("cards" in rows[k]! ? (list ? LINE : CARD.height + GAP) : HEADING),
    overscan: list ? 12 : 2,
    isScrollingResetDelay: 120,
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is above changes size with these
  useLayoutEffect(() => down.measure(), [rows, list]);
  const move = (sideways: number, below: number) => {
    const now = document.activeElement?.closest<HTMLElement>("[data-card]")?.dataset.card;
    const next = moved(rows, now === undefined ? -1 : Number(now), sideways, below);
    if (next < 0) return;
    down.scrollToIndex(rows.findIndex((r) => "cards" in r && next < r.first + r.cards.length));
    const reach = (tries: number) => {
      const there = around.current?.querySelector<HTMLElement>(`[data-card="${next}"]`);
      if (there) there.focus({ preventScroll: true });
      else if (tries) requestAnimationFrame(() => reach(tries - 1));
    };
    reach(20);
  };
  const field = useRef<HTMLInputElement>(null);
  const page = Math.max(1, Math.floor((around.current?.clientHeight ?? 0) / (list ? LINE : CARD.height)));
  useKeys({
    ArrowRight: () => move(1, 0),
    ArrowLeft: () => move(-1, 0),
    ArrowDown: () => move(0, 1),
    ArrowUp: () => move(0, -1),
    PageDown: () => move(0, page),
    PageUp: () => move(0, -page),
    Home: () => move(-1e6, 0),
    End: () => move(1e6, 0),
    f: () => field.current?.focus(),
    l: () => look({ list: !list }),
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
        <div className="flex flex-wrap items-center gap-2 text-[12.5px] text-ink2">
          <input
            ref={field}
            type="search"
            className="in w-[230px]"
            aria-label="Find a case"
            placeholder="find by any words  F"
            value={text}
            onChange={(e) => look({ text: e.target.value })}
            onKeyDown={(e) => {
              if (e.key === "Escape") look({ text: "" });
              if (e.key === "Escape" || e.key === "Enter" || e.key === "ArrowDown") {
                e.preventDefault();
                e.currentTarget.blur();
                if (e.key !== "Escape") move(0, 1);
              }
            }}
          />
          with
          <Choose
            toolbar
            className="in w-[176px]"
            label="With the phenomenon"
            value={phenomenon}
            onChoose={(to) => look({ phenomenon: to })}
            options={[
              { value: "", label: "any phenomenon" },
              ...phenomenaOf(cases.data ?? []).map(([n, k]) => ({
                value: n,
                label: n.replace(/_/g, " "),
                note: String(k),
              })),
            ]}
          />
          sorted
          <Choose
            toolbar
            className="in w-[132px]"
            label="Sorted"
            value={sort}
            onChoose={(to) => look({ sort: to as Sort })}
            options={Object.entries(SORTS).map(([value, label]) => ({ value, label }))}
          />
          <span className="text-ink3" role="status" aria-label="How many are shown">
            {cases.data && cards.length !== cases.data.length
              ? `${cards.length} of ${cases.data.length}`
              : ""}
          </span>
          <button
            type="button"
            className={`btn small ml-auto ${list ? "on" : ""}`}
            aria-pressed={list}
            title="A line for each case instead of a card"
            onClick={() => look({ list: !list })}
          >
            List <kbd>L</kbd>
          </button>
        </div>
        <div ref={around} className="scroll min-h-0 flex-1 pb-2" data-testid="shelf">
          <div className="relative" style={{ height: down.getTotalSize() }}>
            {down.getVirtualItems().map((v) => {
              const row = rows[v.index]!;
              const place = { height: v.size, transform: `translateY(${v.start}px)` };
              if (!("cards" in row))
                return (
                  <div
                    key={row.heading}
                    className="absolute left-0 top-0 flex w-full items-center gap-2"
                    style={place}
                  >
                    <button
                      type="button"
                      className="btn quiet small"
                      aria-expanded={!row.folded}
                      onClick={() =>
                        look({
                          folded: row.folded
                            ? folded.filter((f) => f !== row.heading)
                            : [...folded, row.heading],
                        })
                      }
                    >
                      <span className="cap text-soot">{`${row.folded ? "+" : "−"} ${row.heading}`}</span>
                    </button>
                    <span className="text-[12px] text-ink3">{row.count}</span>
                    <i className="h-px flex-1 bg-hair" />
                  </div>
                );
              return (
                <div
                  key={`${v.index}`}
                  className="absolute left-0 top-0 grid w-full gap-2.5"
                  style={{ ...place, gridTemplateColumns: `repeat(${across}, minmax(0, 1fr))` }}
                >
                  {row.cards.map((card, k) =>
                    list ? (
                      <ShelfLine key={card.id} card={card} at={row.first + k} acts={acts} />
                    ) : (
                      <div key={card.id} className="pb-2.5">
                        <ShelfCardView card={card} at={row.first + k} still={!down.isScrolling} acts={acts} />
                      </div>
                    ),
                  )}
                </div>
              );
            })}
          </div>
          {cases.data && cases.data.length > 0 && cards.length === 0 && (
            <p className="p-6 text-center text-ink2">
              No case has all of this.{" "}
              <button type="button" className="btn small" onClick={() => look({ text: "", phenomenon: "" })}>
                Show all
              </button>
            </p>
          )}
          {cases.data?.length === 0 && (
            <div className="flex flex-col items-center gap-3 rounded-md border border-dashed border-slateline p-10 text-ink2">
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
          ["F", "find a case"],
          ["L", "list"],
          ["/", "find"],
          ["?", "all keys"],
        ]}
        right={["N", "new sheet"]}
      />
    </>
  );
}
