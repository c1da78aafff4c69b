import { type CSSProperties, useEffect, useRef, useState } from "react";
import type { CaseView, CellView, ColumnView, RowView } from "../client/views";
import type { OpenCase } from "./useCase";

/** What is picked, and further places of its kind that an edit reaches too. */
export interface Picked {
  place: string;
  on: RowView["on"];
  column: string | null;
  also?: string[];
}

export const isPicked = (picked: Picked | null, place: string, on: RowView["on"]) =>
  picked?.on === on && (picked.place === place || !!picked.also?.includes(place));

/** Picked with one more place, or without it where it was picked before. */
export function withMore(picked: Picked | null, more: Picked): Picked {
  if (!picked || picked.on !== more.on) return more;
  const all = [picked.place, ...(picked.also ?? [])];
  const left = all.includes(more.place) ? all.filter((p) => p !== more.place) : [...all, more.place];
  return left.length ? { ...picked, place: left[0]!, also: left.slice(1) } : more;
}

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

type State = "given" | "assumed" | "missing" | "overruled";

export function Ledger({
  view,
  open,
  picked,
  onPick,
  onOpen,
}: {
  view: CaseView;
  open: OpenCase;
  picked: Picked | null;
  onPick: (p: Picked) => void;
  onOpen: (p: Picked) => void;
}) {
  const table = useRef<HTMLTableElement>(null);
  const [from, setFrom] = useState<{ row: number; column: number } | null>(null);
  const [to, setTo] = useState(0);
  const [only, setOnly] = useState<State | null>(null);
  const [alone, setAlone] = useState<string | null>(null);
  const [said, setSaid] = useState("");
  const { counts } = view.ledger;
  const columns = view.ledger.columns.filter((c) => !alone || c.id === alone);
  const state = (c: CellView | undefined) => (c?.overrules ? "overruled" : c?.state);
  const rows = view.ledger.rows.filter((r) => !only || columns.some((c) => state(r.cells[c.id]) === only));
  const ordered = GROUPS.flatMap(([on]) => rows.filter((r) => r.on === on));
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
    table.current?.querySelector("tr.on")?.scrollIntoView({ block: "nearest" });
  }, [picked]);
  const move = (cell: HTMLElement, down: number, across: number) => {
    const all = [...(table.current?.querySelectorAll<HTMLElement>("td[data-row]") ?? [])];
    const [r, c] = [Number(cell.dataset.row), Number(cell.dataset.column)];
    all.find((e) => Number(e.dataset.row) === r + down && Number(e.dataset.column) === c + across)?.focus();
  };
  let index = -1;
  return (
    <section className="plate min-h-[190px] flex-[1_1_auto]" aria-label="Ledger">
      <div className="scroll flex-1">
        <table
          ref={table}
          className="ledger"
          role="grid"
          style={{ "--columns": columns.length } as CSSProperties}
        >
          <colgroup>
            <col style={{ width: columns.length > 2 ? "26%" : "33%" }} />
            {columns.map((c) => (
              <col key={c.id} />
            ))}
          </colgroup>
          <thead>
            <tr>
              <th>Place</th>
              {columns.map((c) => (
                <th key={c.id}>
                  <button
                    type="button"
                    className="cursor-pointer text-left uppercase"
                    aria-pressed={alone === c.id}
                    title={alone === c.id ? "Show all columns" : "Show this column alone"}
                    onClick={() => {
                      setAlone(alone === c.id ? null : c.id);
                      setFrom(null);
                    }}
                  >
                    {c.label}
                    <small>{alone === c.id ? "alone: click for all" : c.note}</small>
                  </button>
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {GROUPS.map(([on, words]) => {
              const mine = rows.filter((r) => r.on === on);
              return mine.length === 0
                ? null
                : [
                    <tr key={on} className="grp">
                      <td colSpan={columns.length + 1} className="cap">
                        {words}
                      </td>
                    </tr>,
                    ...mine.map((row) => {
                      index += 1;
                      const at = index;
                      const lit = isPicked(picked, row.place, row.on);
                      return (
                        <tr
                          key={row.on + row.place}
                          className={lit ? "on" : ""}
                          onClick={() => onOpen({ place: row.place, on: row.on, column: null })}
                        >
                          <td title={row.label}>
                            <span className={`balloon ${on === "edge" ? "" : "z"}`}>
                              {balloonOf(view, row)}
                            </span>
                            {row.label}
                          </td>
                          {columns.map((c, k) => {
                            const cell = row.cells[c.id]!;
                            const here = { place: row.place, on: row.on, column: c.id };
                            return (
                              <td
                                key={c.id}
                                role="gridcell"
                                tabIndex={at === 0 && k === 0 ? 0 : -1}
                                data-row={at}
                                data-column={k}
                                className={`${look(cell)} ${chosen(at, k) && from!.row !== to ? "chosen" : ""}`}
                                aria-selected={chosen(at, k)}
                                title={cell.why || cell.text}
                                aria-label={`${row.label}, ${c.label}, ${cell.state}${cell.text ? `: ${cell.text}` : ""}`}
                                onFocus={() => onPick(here)}
                                onClick={(e) => {
                                  e.stopPropagation();
                                  if (e.shiftKey && from) return setTo(at);
                                  setFrom({ row: at, column: k });
                                  setTo(at);
                                  onOpen(here);
                                }}
                                onKeyDown={(e) => {
                                  const held = e.ctrlKey || e.metaKey;
                                  if (held && e.key === "c" && cell.kind) {
                                    e.preventDefault();
                                    copy(row, c);
                                  }
                                  if (held && e.key === "v") {
                                    e.preventDefault();
                                    paste(at, k);
                                  }
                                  if (e.key === "Delete" && cell.state !== "absent") {
                                    e.preventDefault();
                                    change(at, k, () => null, "as assumed:");
                                  }
                                  const steps: Record<string, [number, number]> = {
                                    ArrowDown: [1, 0],
                                    ArrowUp: [-1, 0],
                                    ArrowLeft: [0, -1],
                                    ArrowRight: [0, 1],
                                  };
                                  const step = steps[e.key];
                                  if (step) {
                                    e.preventDefault();
                                    const next = at + step[0];
                                    if (e.shiftKey && step[0]) {
                                      if (ordered[next]) {
                                        if (!chosen(at, k)) setFrom({ row: at, column: k });
                                        setTo(next);
                                        move(e.currentTarget, ...step);
                                      }
                                    } else {
                                      setFrom({ row: next, column: k + step[1] });
                                      setTo(next);
                                      move(e.currentTarget, ...step);
                                    }
                                  }
                                  if (e.key === "Enter") {
                                    e.preventDefault();
                                    onOpen({
                                      ...here,
                                      also: chosen(at, k)
                                        ? ordered
                                            .filter((r, m) => m !== at && chosen(m, k) && r.on === row.on)
                                            .map((r) => r.place)
                                        : [],
                                    });
                                  }
                                }}
                              >
                                <CellText cell={cell} />
                              </td>
                            );
                          })}
                        </tr>
                      );
                    }),
                  ];
            })}
          </tbody>
        </table>
      </div>
      <div className="keyrow">
        {(["given", "assumed", "missing", "overruled"] as const).map((k) => (
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
      </div>
    </section>
  );
}

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
