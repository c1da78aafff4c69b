import { useVirtualizer } from "@tanstack/react-virtual";
import { type CSSProperties, memo, useEffect, useMemo, useRef, useState } from "react";
import type { CaseView, CellView, ColumnView, RowView } from "../client/views";
import { ColumnChooser } from "./ColumnChooser";
import { grouped, type Slot, slotsOf, useShownColumns } from "./columns";
import { isPicked, type Picked, usePicking } from "./picking";
import type { OpenCase } from "./useCase";

/** Number of an edge, letter of a zone, direction of what repeats, as on the sheet; a capital for a
 * screen, two letters where two zones meet. */
export function balloonOf(view: CaseView, row: RowView): string {
  const same = view.ledger.rows.filter((r) => r.on === row.on);
  const k = same.indexOf(row);
  if (row.on === "edge") return String(k + 1);
  if (row.on === "repeat") return row.place.slice(-1);
  if (row.on === "screen") return String.fromCharCode(65 + (k % 26));
  const letter = (zone: string) => String.fromCharCode(97 + (view.places.zones.indexOf(zone) % 26));
  return row.on === "between" ? row.place.split("-").map(letter).join("") : letter(row.place);
}

const GROUPS: [RowView["on"], string][] = [
  ["edge", "Edges"],
  ["repeat", "Repeats"],
  ["screen", "Screens"],
  ["between", "Where zones meet"],
  ["zone", "Zones"],
  ["start", "Zones, at the start"],
];

/** What a place is, in words, where it is no edge. */
export const PLACES: Record<Exclude<RowView["on"], "edge">, string> = {
  repeat: "where the vessel repeats",
  screen: "thin screen",
  between: "where two zones meet",
  zone: "zone",
  start: "zone, at the start",
};

interface Copied {
  phenomenon: string;
  on: RowView["on"];
  typed: Record<string, unknown>;
}
let copied: Copied | null = null;

const STATES = ["given", "assumed", "missing", "overruled"] as const;
type State = (typeof STATES)[number];
const WIDTH = 96; // px, at least, of a column, and of folded ones
const NARROW = 34;
const ROW = 25;
const GROUP = 18;
const AHEAD = 6; // rows kept above and below those that are seen
const CHUNK = 8;
const FEW = 12; // columns up to which all are drawn
const BEYOND = 3; // columns kept on either side of those that are seen

const stateOf = (c: CellView | undefined) => (c?.overrules ? "overruled" : c?.state);

type Item = { group: string } | { row: RowView; at: number; balloon: string };

export function Ledger({
  view,
  open,
  onOpen,
}: {
  view: CaseView;
  open: OpenCase;
  onOpen: (p: Picked) => void;
}) {
  const { picked, pick } = usePicking();
  const around = useRef<HTMLDivElement>(null);
  const table = useRef<HTMLTableElement>(null);
  const [from, setFrom] = useState<{ row: number; column: number } | null>(null);
  const [to, setTo] = useState(0);
  const [only, setOnly] = useState<State | null>(null);
  const [find, setFind] = useState("");
  const [said, setSaid] = useState("");
  const { counts } = view.ledger;
  const shown = useShownColumns(view.id);
  const slots = useMemo(() => slotsOf(view, shown.put), [view, shown.put]);
  const columns = useMemo(() => slots.flatMap((s) => (s.column ? [s.column] : [])), [slots]);
  const wanted = find.toLowerCase().trim();
  const ordered = useMemo(() => {
    const rows = view.ledger.rows.filter(
      (r) =>
        (!only || columns.some((c) => stateOf(r.cells[c.id]) === only)) &&
        (!wanted ||
          [r.label, ...columns.map((c) => r.cells[c.id]?.text ?? "")].some((t) =>
            t.toLowerCase().includes(wanted),
          )),
    );
    return GROUPS.flatMap(([on]) => rows.filter((r) => r.on === on));
  }, [view, columns, only, wanted]);
  const items = useMemo(() => {
    const found: Item[] = [];
    ordered.forEach((row, at) => {
      if (row.on !== ordered[at - 1]?.on) found.push({ group: GROUPS.find(([on]) => on === row.on)![1] });
      found.push({ row, at, balloon: balloonOf(view, row) });
    });
    return found;
  }, [ordered, view]);
  // rows and columns out of sight are not drawn: fillers as large stand for them
  const down = useVirtualizer({
    count: items.length,
    getScrollElement: () => around.current,
    estimateSize: (k) => ("row" in items[k]! ? ROW : GROUP),
    overscan: AHEAD,
    scrollPaddingStart: 56,
    scrollPaddingEnd: 26,
    isScrollingResetDelay: 400,
  });
  const drawn = down.getVirtualItems();
  // whole chunks, so that not every step of the wheel draws anew
  const top = drawn.length ? CHUNK * Math.floor(drawn[0]!.index / CHUNK) : 0,
    end = drawn.length ? CHUNK * Math.ceil((drawn[drawn.length - 1]!.index + 1) / CHUNK) : 0;
  const high = (part: Item[]) => part.reduce((sum, i) => sum + ("row" in i ? ROW : GROUP), 0);
  const across = useVirtualizer({
    horizontal: true,
    count: slots.length,
    getScrollElement: () => around.current,
    estimateSize: (k) => (slots[k]!.column ? WIDTH : NARROW),
    overscan: BEYOND,
  });
  const seen = slots.length > FEW ? across.getVirtualItems() : [];
  const first = seen[0]?.index ?? 0,
    last = seen.length ? seen[seen.length - 1]!.index + 1 : slots.length;
  const cellAt = (row: number, column: number) =>
    table.current?.querySelector<HTMLElement>(`td[data-row="${row}"][data-column="${column}"]`);
  /** Puts the cursor into a cell; one that is not drawn is brought into sight first. */
  const reach = (row: number, column: number) => {
    const cell = cellAt(row, column);
    if (cell) return cell.focus();
    const index = items.findIndex((i) => "row" in i && i.at === row);
    if (index < top || index >= end) down.scrollToIndex(index, { align: "auto" });
    const at = slots.findIndex((s) => s.column === columns[column]);
    if (at < first || at >= last) across.scrollToIndex(at, { align: "center" });
    const focus = (tries: number) => {
      const cell = cellAt(row, column);
      if (cell) cell.focus();
      else if (tries) requestAnimationFrame(() => focus(tries - 1));
    };
    focus(8);
  };
  const chosen = (row: number, column: number) =>
    from !== null && from.column === column && row >= Math.min(from.row, to) && row <= Math.max(from.row, to);
  /** Of what is picked, or of the one cell that has the focus where it lies outside. */
  const change = (at: number, column: number, values: (row: RowView) => unknown, words: string) => {
    const mine = ordered.filter(
      (r, k) =>
        (chosen(at, column) ? chosen(k, column) : k === at) &&
        r.cells[columns[column]!.id]?.state !== "absent",
    );
    const patch: Record<string, Record<string, unknown>> = {};
    for (const r of mine) {
      const section = r.on === "start" ? "start" : "conditions";
      patch[section] = { ...patch[section], [r.place]: { [columns[column]!.id]: values(r) } };
    }
    if (mine.length)
      void open.edit(patch, `${words} ${mine.length === 1 ? mine[0]!.label : `${mine.length} places`}`);
  };
  const copy = (row: RowView, c: ColumnView) => {
    const cell = row.cells[c.id]!;
    copied = { phenomenon: c.phenomenon, on: row.on, typed: { kind: cell.kind, ...cell.typed } };
    setSaid(`copied: ${cell.text}`);
  };
  const paste = (at: number, column: number) => {
    const c = columns[column]!;
    if (!copied || copied.phenomenon !== c.phenomenon) return setSaid("nothing copied from this column yet");
    const clip = copied;
    change(
      at,
      column,
      (r) =>
        r.on === clip.on
          ? { ...Object.fromEntries(Object.keys(r.cells[c.id]!.typed).map((k) => [k, null])), ...clip.typed }
          : undefined,
      "paste into",
    );
    setSaid("");
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is picked is what is scrolled to
  useEffect(() => {
    const index = items.findIndex(
      (i) => "row" in i && i.row.place === picked?.place && i.row.on === picked.on,
    );
    if (index >= 0 && !table.current?.contains(document.activeElement))
      down.scrollToIndex(index, { align: "auto" });
  }, [picked?.place, picked?.on]);
  /** The cell an event came from. */
  const cellOf = (target: EventTarget) => {
    const cell = (target as HTMLElement).closest<HTMLElement>("td[data-row]");
    if (!cell) return null;
    const [at, k] = [Number(cell.dataset.row), Number(cell.dataset.column)];
    const row = ordered[at];
    return row && { at, k, row, column: columns[k] ?? null };
  };
  const onClick = (e: React.MouseEvent) => {
    const c = cellOf(e.target);
    if (!c) return;
    if (!c.column) return onOpen({ place: c.row.place, on: c.row.on, column: null });
    if (e.shiftKey && from) return setTo(c.at);
    setFrom({ row: c.at, column: c.k });
    setTo(c.at);
    onOpen({ place: c.row.place, on: c.row.on, column: c.column.id });
  };
  const onKeyDown = (e: React.KeyboardEvent) => {
    const c = cellOf(e.target);
    if (!c?.column) return;
    const { at, k, row, column } = c,
      cell = row.cells[column.id]!,
      held = e.ctrlKey || e.metaKey;
    const STEPS: Record<string, [number, number]> = {
      ArrowDown: [1, 0],
      ArrowUp: [-1, 0],
      ArrowLeft: [0, -1],
      ArrowRight: [0, 1],
      PageDown: [10, 0],
      PageUp: [-10, 0],
      Home: [held ? -at : 0, -k],
      End: [held ? ordered.length : 0, columns.length],
    };
    const step = STEPS[e.key];
    if (held && e.key === "c" && cell.kind) copy(row, column);
    else if (held && e.key === "v") paste(at, k);
    else if (e.key === "Delete") {
      if (cell.state !== "absent") change(at, k, () => null, "as assumed:");
    } else if (e.key === "Enter" && !held)
      onOpen({
        place: row.place,
        on: row.on,
        column: column.id,
        also: chosen(at, k)
          ? ordered.filter((r, m) => m !== at && chosen(m, k) && r.on === row.on).map((r) => r.place)
          : [],
      });
    else if (step) {
      const next = Math.min(ordered.length - 1, Math.max(0, at + step[0])),
        across = Math.min(columns.length - 1, Math.max(0, k + step[1]));
      if (e.shiftKey && step[0]) {
        if (!chosen(at, k)) setFrom({ row: at, column: k });
      } else setFrom({ row: next, column: across });
      setTo(next);
      reach(next, across);
    } else return;
    e.preventDefault();
  };
  const groups = grouped(view);
  const wide = groups.length > 3 || groups.some((g) => g.columns.length > 1);
  const pickedHere = (row: RowView) => isPicked(picked, row.place, row.on);
  return (
    <section className="plate min-h-0 flex-[1_1_auto]" aria-label="Ledger">
      <div ref={around} className="scroll flex-1 scroll-pb-2 scroll-pl-[160px] scroll-pt-[58px]">
        <table
          ref={table}
          className="ledger"
          role="grid"
          aria-rowcount={ordered.length}
          style={{ "--columns": columns.length, "--narrow": slots.length - columns.length } as CSSProperties}
          onClick={onClick}
          onKeyDown={onKeyDown}
          onFocus={(e) => {
            const c = cellOf(e.target);
            if (c?.column) pick({ place: c.row.place, on: c.row.on, column: c.column.id });
          }}
        >
          <colgroup>
            <col style={{ width: columns.length > 4 ? 150 : columns.length > 2 ? "26%" : "33%" }} />
            {slots.map((s) => (
              <col key={s.key} style={s.column ? undefined : { width: 34 }} />
            ))}
          </colgroup>
          <thead>
            {wide && (
              <tr className="tops">
                <th />
                {groupsIn(slots).map(([phenomenon, count]) => {
                  const folded = shown.put[phenomenon] === "folded";
                  return (
                    <th key={phenomenon} colSpan={count}>
                      <button
                        type="button"
                        className="flex w-full cursor-pointer items-center gap-1 uppercase"
                        aria-expanded={!folded}
                        aria-label={`${view.phenomena[phenomenon]!.label}: columns`}
                        title={folded ? "Unfold its columns" : "Fold its columns"}
                        onClick={() => {
                          shown.set(phenomenon, folded ? undefined : "folded");
                          setFrom(null);
                        }}
                      >
                        <svg width="8" height="8" className="flex-none" aria-hidden="true">
                          <path
                            d={folded ? "M2 0.5 6 4 2 7.5" : "M0.5 2 4 6 7.5 2"}
                            fill="none"
                            stroke="currentColor"
                            strokeWidth="1.3"
                          />
                        </svg>
                        <span className={folded ? "sr-only" : "truncate"}>
                          {view.phenomena[phenomenon]!.label}
                        </span>
                      </button>
                    </th>
                  );
                })}
              </tr>
            )}
            <tr className={wide ? "low" : ""}>
              <th>
                <input
                  className="in !h-[21px] !font-sans"
                  placeholder="find a place"
                  aria-label="Find in the ledger"
                  value={find}
                  onChange={(e) => {
                    setFind(e.target.value);
                    setFrom(null);
                  }}
                  onKeyDown={(e) => e.key === "Escape" && setFind("")}
                />
              </th>
              {slots.map(({ key, column: c, phenomenon }) =>
                c ? (
                  <th key={key}>
                    <button
                      type="button"
                      className="w-full cursor-pointer truncate text-left uppercase"
                      aria-pressed={shown.alone === c.id}
                      title={shown.alone === c.id ? "Show all columns" : `${c.label}: show it alone`}
                      onClick={() => {
                        shown.only(
                          shown.alone === c.id ? null : c.id,
                          view.ledger.columns.filter((o) => o.id !== c.id).map((o) => o.id),
                        );
                        setFrom(null);
                      }}
                    >
                      {c.label}
                      <small>{shown.alone === c.id ? "alone: click for all" : c.note}</small>
                    </button>
                  </th>
                ) : (
                  <th key={key} className="turned" title={`${view.phenomena[phenomenon]!.label}, folded`}>
                    <span>{view.phenomena[phenomenon]!.label.slice(0, 3)}</span>
                  </th>
                ),
              )}
            </tr>
          </thead>
          <tbody>
            {filler("above", high(items.slice(0, top)))}
            {items.slice(top, end).map((item) =>
              "row" in item ? (
                <Row
                  key={item.row.on + item.row.place}
                  row={item.row}
                  at={item.at}
                  balloon={item.balloon}
                  slots={slots}
                  first={first}
                  last={last}
                  lit={pickedHere(item.row)}
                  chosen={from && chosen(item.at, from.column) && from.row !== to ? from.column : -1}
                  stop={item.at === (from?.row ?? 0) ? (from?.column ?? 0) : -1}
                />
              ) : (
                <tr key={item.group} className="grp">
                  <td colSpan={slots.length + 1} className="cap">
                    <span>{item.group}</span>
                  </td>
                </tr>
              ),
            )}
            {filler("below", high(items.slice(end)))}
          </tbody>
        </table>
        {!ordered.length && (
          <p className="px-2.5 py-1.5 text-[12.5px] text-ink3">
            {wanted ? "No place here goes by that, nor says it." : "No row is left to show."}
          </p>
        )}
      </div>
      <div className="keyrow">
        {STATES.map((k) => (
          <button
            type="button"
            key={k}
            className={`cursor-pointer whitespace-nowrap ${k === "assumed" ? "assumed" : k === "missing" && counts.missing ? "missing px-1.5" : ""} ${only === k ? "underline decoration-2 underline-offset-2" : ""}`}
            aria-pressed={only === k}
            title={only === k ? "Show all rows" : `Show rows with something ${k}`}
            onClick={() => {
              setOnly(only === k ? null : k);
              setFrom(null);
            }}
          >
            {k === "overruled" ? (
              <s>{counts[k]}</s>
            ) : (
              <b className="num text-[12px] font-medium">{counts[k]}</b>
            )}{" "}
            {k}
          </button>
        ))}
        <span className="ml-auto truncate text-ink3" role="status">
          {said || "Shift: several; Enter, Ctrl C, V, Delete"}
        </span>
        {wide && <ColumnChooser view={view} shown={shown} />}
      </div>
    </section>
  );
}

const filler = (key: string, height: number) =>
  height > 0 && (
    <tr key={key} role="presentation">
      <td className="!border-0 !p-0" style={{ height }} />
    </tr>
  );

/** Phenomena in the order of their columns, and how many places each takes across. */
function groupsIn(slots: Slot[]): [string, number][] {
  const found = new Map<string, number>();
  for (const s of slots) found.set(s.phenomenon, (found.get(s.phenomenon) ?? 0) + 1);
  return [...found];
}

/** One place: drawn anew only where it changed. */
const Row = memo(function Row({
  row,
  at,
  balloon,
  slots,
  first,
  last,
  lit,
  chosen,
  stop,
}: {
  row: RowView;
  at: number;
  balloon: string;
  slots: Slot[];
  first: number; // of the columns that are drawn, and the one after their last
  last: number;
  lit: boolean;
  chosen: number; // the column in which it is one of several
  stop: number; // the column that Tab reaches
}) {
  let k = slots.slice(0, first).filter((s) => s.column).length - 1;
  return (
    <tr className={lit ? "on" : ""} aria-rowindex={at + 1}>
      <td title={row.label} data-row={at}>
        <span className={`balloon ${row.on === "edge" ? "" : "z"}`}>{balloon}</span>
        {row.label}
      </td>
      {first > 0 && <td colSpan={first} />}
      {slots.slice(first, last).map(({ key, column: c, inside }) => {
        if (!c)
          return (
            <td key={key} className="folded" title={told(row, inside)}>
              {marks(row, inside)}
            </td>
          );
        k += 1;
        const cell = row.cells[c.id]!;
        return (
          <td
            key={key}
            role="gridcell"
            tabIndex={stop === k ? 0 : -1}
            data-row={at}
            data-column={k}
            className={`${look(cell)} ${chosen === k ? "chosen" : ""}`}
            aria-selected={chosen === k}
            title={cell.why || cell.text}
            aria-label={`${row.label}, ${c.label}, ${cell.state}${cell.text ? `: ${cell.text}` : ""}`}
          >
            <CellText cell={cell} />
          </td>
        );
      })}
      {last < slots.length && <td colSpan={slots.length - last} />}
    </tr>
  );
});

/** What folded columns say of a place: how many are given, and whether one is missing. */
function marks(row: RowView, inside: ColumnView[]) {
  const states = inside.map((c) => stateOf(row.cells[c.id]));
  const given = states.filter((s) => s === "given" || s === "overruled").length;
  return states.includes("missing") ? <b className="missing px-1">!</b> : given || "·";
}

const told = (row: RowView, inside: ColumnView[]) =>
  inside.map((c) => `${c.label}: ${row.cells[c.id]?.text || "none"}`).join("; ");

function look(cell: CellView): string {
  if (cell.overrules || cell.state === "overruled") return "over";
  return cell.state === "absent" ? "na" : cell.state;
}

function CellText({ cell }: { cell: CellView }) {
  if (cell.state === "missing") return <>give value</>;
  if (cell.state === "absent") return <>·</>;
  if (cell.state === "overruled")
    return (
      <>
        <s>{cell.text}</s>
        <em>then {cell.ruled_text}</em>
      </>
    );
  if (cell.overrules)
    return (
      <>
        <s>{cell.overrules}</s>
        <em>here {cell.text}</em>
      </>
    );
  const glyph = Object.values(cell.typed).some((v) => typeof v === "object" && v !== null);
  return (
    <>
      {cell.text}
      {glyph && (
        <svg className="ml-1 inline h-[10px] w-[13px]" aria-label="table in time">
          <path d="M1 9L5 9L8 2L12 2" fill="none" stroke="var(--copperfill)" strokeWidth="1.4" />
        </svg>
      )}
    </>
  );
}
