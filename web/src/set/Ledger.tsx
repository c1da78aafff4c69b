import { useEffect, useRef, type CSSProperties } from "react";
import type { CaseView, CellView, RowView } from "../client/views";

export interface Picked { place: string; on: RowView["on"]; column: string | null }

/** Number of an edge, letter of a zone, direction of what repeats, as on the sheet. */
export function balloonOf(view: CaseView, row: RowView): string {
  const same = view.ledger.rows.filter((r) => r.on === row.on);
  const k = same.indexOf(row);
  return row.on === "edge" ? String(k + 1) : row.on === "repeat" ? row.place.slice(-1) : String.fromCharCode(97 + k);
}

const GROUPS: [RowView["on"], string][] = [["edge", "Edges"], ["repeat", "Repeats"], ["zone", "Zones"], ["start", "Zones, at the start"]];

export function Ledger({ view, picked, onPick, onOpen }: { view: CaseView; picked: Picked | null; onPick: (p: Picked) => void; onOpen: (p: Picked) => void }) {
  const table = useRef<HTMLTableElement>(null);
  const { columns, rows, counts } = view.ledger;
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
        <table ref={table} className="ledger" role="grid" style={{ "--columns": columns.length } as CSSProperties}>
          <colgroup><col style={{ width: columns.length > 2 ? "26%" : "33%" }} />{columns.map((c) => <col key={c.id} />)}</colgroup>
          <thead>
            <tr>
              <th>Place</th>
              {columns.map((c) => <th key={c.id}>{c.label}<small>{c.note}</small></th>)}
            </tr>
          </thead>
          <tbody>
            {GROUPS.map(([on, words]) => {
              const mine = rows.filter((r) => r.on === on);
              return mine.length === 0 ? null : [
                <tr key={on} className="grp"><td colSpan={columns.length + 1} className="cap">{words}</td></tr>,
                ...mine.map((row) => {
                  index += 1;
                  const at = index;
                  const lit = picked?.place === row.place && picked.on === row.on;
                  return (
                    <tr key={row.on + row.place} className={lit ? "on" : ""} onClick={() => onOpen({ place: row.place, on: row.on, column: null })}>
                      <td title={row.label}><span className={`balloon ${on === "edge" ? "" : "z"}`}>{balloonOf(view, row)}</span>{row.label}</td>
                      {columns.map((c, k) => {
                        const cell = row.cells[c.id]!;
                        const here = { place: row.place, on: row.on, column: c.id };
                        return (
                          <td key={c.id} tabIndex={at === 0 && k === 0 ? 0 : -1} data-row={at} data-column={k} className={look(cell)} title={cell.why || cell.text}
                            aria-label={`${row.label}, ${c.label}, ${cell.state}${cell.text ? `: ${cell.text}` : ""}`}
                            onFocus={() => onPick(here)} onClick={(e) => { e.stopPropagation(); onOpen(here); }}
                            onKeyDown={(e) => {
                              const steps: Record<string, [number, number]> = { ArrowDown: [1, 0], ArrowUp: [-1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };
                              const step = steps[e.key];
                              if (step) { e.preventDefault(); move(e.currentTarget, ...step); }
                              if (e.key === "Enter") { e.preventDefault(); onOpen(here); }
                            }}>
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
        <span><b className="num text-[12px]">{counts.given}</b> given</span>
        <span className="assumed">{counts.assumed} assumed</span>
        <span className={counts.missing ? "missing px-1.5" : ""}>{counts.missing} missing</span>
        <span><s>{counts.overruled}</s> overruled</span>
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
  if (cell.state === "overruled") return <><s>{cell.text}</s><em>then {cell.ruled_text}</em></>;
  if (cell.overrules) return <><s>{cell.overrules}</s><em>here {cell.text}</em></>;
  const glyph = Object.values(cell.typed).some((v) => typeof v === "object" && v !== null);
  return <>{cell.text}{glyph && <svg className="ml-1 inline h-[10px] w-[13px]" aria-label="table in time"><path d="M1 9L5 9L8 2L12 2" fill="none" stroke="var(--copperfill)" strokeWidth="1.4" /></svg>}</>;
}
