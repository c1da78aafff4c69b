import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../client";
import type { CaseView, Point } from "../client/views";
import type { Fit } from "../drawing/fit";
import { show } from "../drawing/number";
import { Choose } from "../parts/Choose";
import { FieldCanvas } from "../parts/FieldCanvas";
import { capital, told, typedText } from "./TypedInput";
import { type OpenCase, patchAt } from "./useCase";

export interface Box {
  low: Point;
  high: Point;
}

const FLAT = 5; // pixels: a drag flatter than this draws a level, not a box

/** Asks what fills a box drawn on the sheet, and writes it as a formula of x and y. */
export function FillCard({
  view,
  open,
  box,
  f,
  column,
  onDone,
}: {
  view: CaseView;
  open: OpenCase;
  box: Box;
  f: Fit;
  column: string | null;
  onDone: (column: string | null) => void;
}) {
  const row = view.ledger.rows.find((r) => r.on === "start" && r.place === "space");
  const columns = view.ledger.columns.filter((c) => row?.cells[c.id] && row.cells[c.id]!.state !== "absent");
  const [chosen, setChosen] = useState(
    column && columns.some((c) => c.id === column) ? column : (columns[columns.length - 1]?.id ?? ""),
  );
  const phenomenon = view.phenomena[columns.find((c) => c.id === chosen)?.phenomenon ?? ""];
  const typed = row?.cells[chosen]?.typed ?? {};
  const starts = (phenomenon?.conditions ?? []).filter((c) => c.on === "start");
  const formulas = (c: (typeof starts)[number] | undefined) =>
    (c?.params ?? []).filter((p) => p.kind === "formula");
  // as it begins now where a formula of x and y says that, else the first kind that has one
  const now = starts.find((c) => c.name === typed.kind) ?? starts[0];
  const kind = formulas(now).length ? now : starts.find((c) => formulas(c).length);
  const params = formulas(kind);
  const [name, setName] = useState("");
  const param = params.find((p) => p.name === name) ?? params[0];
  const [text, setText] = useState("");
  const [trouble, setTrouble] = useState("");
  const level = Math.abs(f.Y(box.low[1]) - f.Y(box.high[1])) < FLAT;
  const mm = (v: number) => `${Number((v * 1e3).toPrecision(6))} mm`;
  const keep = async () => {
    const before =
      typedText(kind === now ? typed[param!.name] : "") ||
      String(param!.default ?? `0 ${param!.unit}`.trim());
    const kept = kind === now ? typed : Object.fromEntries(Object.keys(typed).map((k) => [k, null]));
    const box4 = `(x > ${mm(box.low[0])})*(x < ${mm(box.high[0])})*(y > ${mm(box.low[1])})*(y < ${mm(box.high[1])})`;
    const inside = level ? `y < ${mm(box.high[1])}` : `${box4} > 0`;
    try {
      await open.tryEdit(
        patchAt(["start", "space", chosen], {
          ...kept,
          kind: kind!.name,
          [param!.name]: `if(${inside}, ${text}, ${before})`,
        }),
        level ? `fill with ${text} up to ${mm(box.high[1])}` : `fill a box with ${text}`,
      );
      onDone(chosen);
    } catch (e) {
      setTrouble(told(e));
    }
  };
  return (
    <div
      className="card"
      role="dialog"
      aria-label="Fill at the start"
      style={{ left: Math.max(8, Math.min(f.X(box.high[0]) + 10, 420)), top: Math.max(8, f.Y(box.high[1])) }}
      onKeyDown={(e) => {
        if (e.key === "Escape") {
          e.stopPropagation();
          onDone(null);
        }
        if (e.key === "Enter" && text) void keep();
      }}
    >
      <header>
        Fill at the start{" "}
        <small>
          {level
            ? `below y = ${mm(box.high[1])}`
            : `${show((box.high[0] - box.low[0]) * 1e3, 3)} x ${show((box.high[1] - box.low[1]) * 1e3, 3)} mm`}
        </small>
      </header>
      {param ? (
        <>
          <div className="fld">
            <label htmlFor="fill-column">What</label>
            <Choose
              id="fill-column"
              className="in"
              value={chosen}
              onChoose={(to) => setChosen(to)}
              options={columns.map((c) => ({ value: c.id, label: c.label }))}
            />
          </div>
          {params.length > 1 && (
            <div className="fld">
              <label htmlFor="fill-param">Of it</label>
              <Choose
                id="fill-param"
                className="in"
                value={param.name}
                onChoose={(to) => setName(to)}
                options={params.map((p) => ({ value: p.name, label: p.label }))}
              />
            </div>
          )}
          <div className="fld">
            <label htmlFor="fill-value">{capital(param.label)}</label>
            <input
              id="fill-value"
              className={`in ${trouble ? "bad" : ""}`}
              autoFocus
              value={text}
              placeholder={`such as 1 ${param.unit}`}
              onChange={(e) => setText(e.target.value)}
            />
            <div className={`hint ${trouble ? "bad" : ""}`}>
              {trouble || (kind === now ? "elsewhere it stays as it is" : `instead of ${now!.label}`)}
            </div>
          </div>
          <div className="flex gap-2 border-t border-hair px-2.5 py-2">
            <button type="button" className="btn primary" disabled={!text} onClick={() => void keep()}>
              Fill it
            </button>
            <button type="button" className="btn quiet" onClick={() => onDone(null)}>
              Leave it
            </button>
          </div>
        </>
      ) : (
        <p className="p-2.5 text-[12.5px] text-ink2">Nothing that is switched on asks how it begins.</p>
      )}
    </div>
  );
}

/** What a column is full of at the start: of one that is looked at, else of the first that differs from
 * place to place; null where there is none.
 */
export function useStart(view: CaseView | null | undefined, asked: string | null) {
  const columns = !view ? [] : asked ? [asked] : givenAtStart(view);
  const { start, vessel, grid, parameters } = view?.data ?? {};
  const found = useQuery({
    queryKey: ["start", view?.id, view?.variant, columns, JSON.stringify([start, vessel, grid, parameters])],
    queryFn: async () => {
      for (const column of columns) {
        const field = await api.start(view!.id, column, view!.variant);
        if (asked || (field && field.low !== field.high)) return field;
      }
      return null;
    },
    enabled: columns.length > 0,
  });
  return found.data ?? null;
}

/** Columns whose start somebody has given. */
function givenAtStart(view: CaseView): string[] {
  const starts = view.ledger.rows.filter((r) => r.on === "start");
  const given = (c: string) => starts.some((r) => r.cells[c]?.state === "given");
  return view.ledger.columns.map((c) => c.id).filter(given);
}

/** That, painted under the sheet's lines. */
export function StartPicture({
  view,
  field,
  asked,
  f,
}: {
  view: CaseView;
  field: NonNullable<ReturnType<typeof useStart>>;
  asked: boolean;
  f: Fit;
}) {
  if (!view.grid?.x.length || !view.grid.y.length) return null;
  const { x, y } = view.grid,
    even = field.low === field.high;
  const [left, right, low, high] = [f.X(x[0]!), f.X(x[x.length - 1]!), f.Y(y[0]!), f.Y(y[y.length - 1]!)];
  const scale = {
    low: even ? field.low - 1 : field.low,
    high: field.high,
    steps: 64,
    reversed: false,
    centred: false,
  };
  return (
    <>
      <div className={`absolute ${asked ? "opacity-70" : "opacity-40"}`} style={{ left, top: high }}>
        <FieldCanvas
          field={field}
          x={x}
          y={y}
          scale={scale}
          width={right - left}
          height={low - high}
          label={`${field.name} at the start`}
        />
      </div>
      <p
        className="num absolute bottom-[64px] left-[30px] max-w-[350px] text-[11px] leading-tight text-ink2"
        role="status"
      >{`${capital((field.name ?? "").replace(/_/g, " "))} at the start: ${even ? show(field.low, 4) : `${show(field.low, 4)} (dark) to ${show(field.high, 4)} (pale)`} ${field.unit}`}</p>
    </>
  );
}
