import { useQuery } from "@tanstack/react-query";
import { Dialog } from "radix-ui";
import { useState } from "react";
import { api } from "../client";
import type { CaseView, Link, Offered } from "../client/views";
import { show } from "../drawing/number";
import { Faults } from "../parts/Faults";
import { useView } from "../state";
import type { OpenCase } from "./useCase";
import { patchAt } from "./useCase";

/** Switches a phenomenon on, with what it cannot be without, or off. */
export function toggled(view: CaseView, open: OpenCase, name: string) {
  const on = view.active.includes(name);
  return open.edit(
    patchAt(["phenomena", name], on ? null : view.phenomena[name]!.blank),
    on ? `${name} off` : `${name} on`,
  );
}

/** What is in use, each a step away from its settings. */
export function InUse({ view }: { view: CaseView }) {
  const { setBoard, showValues, section, plates } = useView();
  return (
    <div className="flex flex-none items-start gap-2 px-px" role="group" aria-label="Phenomena in use">
      <span className="cap mt-[7px] flex-none">{`In use ${view.active.length > 9 ? view.active.length : ""}`}</span>
      <div className="scroll flex max-h-[52px] min-w-0 flex-1 flex-wrap gap-1">
        {view.active.map((n) => {
          const p = view.phenomena[n]!;
          const here = plates.tab === "values" && section === n;
          return (
            <button
              type="button"
              key={n}
              className={`chip ${here ? "here" : ""}`}
              aria-label={`${p.label}: its settings`}
              title={p.about}
              onClick={() => showValues(n)}
            >
              <i />
              {p.label}
            </button>
          );
        })}
        {!view.active.length && (
          <span className="mt-[5px] text-[12.5px] text-ink3">Nothing is switched on yet.</span>
        )}
      </div>
      <button type="button" className="btn small flex-none" onClick={() => setBoard(true)}>
        Board <kbd>B</kbd>
      </button>
    </div>
  );
}

/** Every phenomenon, by what it does: what it takes and gives here, and whether it matters. */
export function Board({ view, open }: { view: CaseView; open: OpenCase }) {
  const { board, setBoard } = useView();
  return (
    <Dialog.Root open={board} onOpenChange={setBoard}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-20 bg-[rgba(35,31,29,.28)]" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed left-1/2 top-12 z-30 flex max-h-[calc(100vh-70px)] w-[min(1220px,96vw)] -translate-x-1/2 flex-col rounded-md border border-t-[3px] border-rim border-t-copperfill bg-enamel"
        >
          {board && <Groups view={view} open={open} />}
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Groups({ view, open }: { view: CaseView; open: OpenCase }) {
  const [find, setFind] = useState("");
  const told = useQuery({
    queryKey: ["board", view.id, view.variant],
    queryFn: () => api.board(view.id, view.variant),
    placeholderData: (before) => before,
  });
  const said = (o: Offered) =>
    [o.label, o.about, o.group, ...[...o.needs, ...o.gives].map((l) => l.says)].join(" ").toLowerCase();
  const rows = (told.data ?? []).filter((o) => said(o).includes(find.toLowerCase().trim()));
  const groups = [...new Set(rows.map((o) => o.group))];
  const on = told.data?.filter((o) => o.on).length ?? 0;
  return (
    <>
      <div className="flex flex-none items-center gap-4 border-b border-hair px-4 py-2.5">
        <Dialog.Title className="cap text-[13px] text-soot">Board of phenomena</Dialog.Title>
        <span className="text-[12px] text-ink3">
          {told.data ? `${on} of ${told.data.length} in use` : "working out what each would do here"}
        </span>
        <input
          className="in ml-auto max-w-[230px]"
          placeholder="find: heat, a stream, grains"
          aria-label="Find a phenomenon"
          value={find}
          onChange={(e) => setFind(e.target.value)}
        />
        <Dialog.Close asChild>
          <button type="button" className="btn quiet small">
            Close <kbd>Esc</kbd>
          </button>
        </Dialog.Close>
      </div>
      <Faults error={told.error ?? open.error} onClose={open.clear} />
      <div className={`scroll columns-2 gap-4 p-3 ${groups.length > 2 ? "min-[1180px]:columns-3" : ""}`}>
        {groups.map((g) => (
          <section key={g} className="mb-3" aria-label={g}>
            <h3 className="cap break-after-avoid border-b border-rim pb-1">{g}</h3>
            {rows
              .filter((o) => o.group === g)
              .map((o) => (
                <Entry key={o.name} o={o} onToggle={() => void toggled(view, open, o.name)} />
              ))}
          </section>
        ))}
        {told.data && !rows.length && <p className="text-ink3">No phenomenon goes by that name.</p>}
      </div>
    </>
  );
}

function Entry({ o, onToggle }: { o: Offered; onToggle: () => void }) {
  const showValues = useView((v) => v.showValues);
  return (
    <article
      className="grid break-inside-avoid grid-cols-[74px_1fr] gap-x-3 border-b border-hair2 py-2"
      aria-label={o.label}
    >
      <div className="flex flex-col items-start gap-1">
        <button
          type="button"
          className={`chip ${o.on ? "" : "off"}`}
          aria-pressed={o.on}
          aria-label={o.label}
          disabled={!o.on && !!o.trouble}
          onClick={onToggle}
        >
          <i />
          {o.on ? "in use" : "off"}
        </button>
        {o.on && (
          <button type="button" className="btn quiet small" onClick={() => showValues(o.name)}>
            Settings
          </button>
        )}
      </div>
      <div className="min-w-0">
        <b className="text-[13.5px] font-semibold">{o.label}</b>
        <p className="text-[12.5px] leading-snug">{o.about}</p>
        <Ends words="takes" links={o.needs} by="from" none="nobody gives it here" />
        <Ends words="gives" links={o.gives} by="to" none="" />
        {o.regimes.length > 0 && (
          <p className="mt-0.5 flex flex-wrap gap-x-3 text-[12px]">
            {o.regimes.map((r) => (
              <span key={r.symbol} title={r.name}>
                <b className="num">{`${r.symbol} ${show(r.value, 3)} ${r.unit}`.trim()}</b>
                {r.verdict && <span className="text-copper">{`, ${r.verdict}`}</span>}
              </span>
            ))}
          </p>
        )}
        {o.later && (
          <p className="mt-0.5 text-[12px] text-ink3">Its numbers say whether it matters once it is on.</p>
        )}
        {o.trouble && <p className="mt-0.5 text-[12px] text-copper">{`Not here: ${o.trouble}.`}</p>}
      </div>
    </article>
  );
}

/** What is at the ends of one: what it must have before what it may have. */
function Ends({ words, links, by, none }: { words: string; links: Link[]; by: string; none: string }) {
  const met = links.filter((l) => l.must || l.who.length);
  const open = links.filter((l) => !l.must && !l.who.length);
  if (!links.length) return null;
  return (
    <p className="text-[12px] leading-snug text-ink2">
      {met.length > 0 && (
        <>
          {words}{" "}
          {met.map((l, k) => (
            <span key={l.says} className={l.must && !l.who.length ? "text-copper" : ""}>
              {k ? "; " : ""}
              {l.says}
              {l.who.length ? ` ${by} ${l.who.join(" and ")}` : none && `: ${none}`}
            </span>
          ))}
        </>
      )}
      {open.length > 0 && (
        <span className="text-ink3">
          {`${met.length ? "; " : ""}${words === "takes" ? "may take" : "could give"} ${open.map((l) => l.says).join(", ")}`}
        </span>
      )}
    </p>
  );
}
