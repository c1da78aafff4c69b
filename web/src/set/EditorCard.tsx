import { memo, useCallback, useEffect, useMemo, useState } from "react";
import { Refusal } from "../client";
import type { CaseView, ColumnView, ConditionView, RowView } from "../client/views";
import { Choose } from "../parts/Choose";
import { useReturn } from "../parts/useReturn";
import { AppliedCurve } from "./AppliedCurve";
import { PLACES } from "./Ledger";
import { ParamField } from "./ParamField";
import { capital } from "./TypedInput";
import type { OpenCase } from "./useCase";

type Draft = Record<string, unknown> & { kind: string };

/** What a place's conditions become: entries that a draft no longer has are taken out. */
function changesOf(row: RowView, drafts: Record<string, Draft | null>) {
  const values: Record<string, unknown> = {};
  for (const [id, draft] of Object.entries(drafts)) {
    const cell = row.cells[id];
    if (!cell || cell.state === "absent") continue;
    const before = cell.state === "given" || cell.state === "overruled" ? cell.typed : {};
    const gone = Object.fromEntries(
      Object.keys(before)
        .filter((k) => !draft || draft[k] === undefined || draft[k] === null)
        .map((k) => [k, null]),
    );
    values[id] = draft && { ...gone, ...draft };
  }
  return values;
}

const [FEW, PAUSE] = [2, 40]; // columns on either side at a time, ms between

/** One card for any place and any phenomenon: built from the declarations alone. */
export function EditorCard({
  open,
  view,
  row,
  also,
  number,
  side,
  column,
  onClose,
}: {
  open: OpenCase;
  view: CaseView;
  row: RowView;
  also: RowView[];
  number: string;
  side: "left" | "right";
  column: string | null;
  onClose: () => void;
}) {
  useReturn();
  const [drafts, setDrafts] = useState<Record<string, Draft | null>>({});
  const [faults, setFaults] = useState<string[]>([]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: another row is another card
  useEffect(() => {
    setDrafts({});
    setFaults([]);
  }, [row.place, row.on]);
  const onDraft = useCallback((id: string, d: Draft | null) => setDrafts((all) => ({ ...all, [id]: d })), []);
  const asked = useMemo(() => askedOf(view, row), [view, row]);
  const first = asked.findIndex((a) => a.column.id === column);
  // of many columns those near the one asked for come first, then the others, a few at a time
  const [near, setNear] = useState(FEW);
  useEffect(() => {
    if (near >= asked.length) return;
    const later = setTimeout(() => setNear(near + FEW), PAUSE);
    return () => clearTimeout(later);
  }, [near, asked.length]);
  const section = row.on === "start" ? "start" : "conditions";
  const changed = Object.keys(drafts).length > 0;
  const keep = async () => {
    const all = [row, ...also];
    const places = Object.fromEntries(all.map((r) => [r.place, changesOf(r, drafts)]));
    try {
      await open.tryEdit(
        { [section]: places },
        `${all.length > 1 ? `${all.length} places` : row.label}: ${Object.keys(drafts)
          .map((d) => d.split(".").pop())
          .join(", ")}`,
      );
      setDrafts({});
      setFaults([]);
    } catch (e) {
      setFaults(
        e instanceof Refusal && e.faults.length
          ? e.faults.map((f) => `${capital(f.where.split(" / ").slice(2).join(", "))}: ${f.says}. ${f.cure}`)
          : [String(e)],
      );
    }
  };
  return (
    <section
      className="card"
      style={{ [side]: 14, top: 12 }}
      aria-label={`${row.label}, conditions`}
      onKeyDown={(e) => {
        if (e.key === "Escape") onClose();
        if (e.key === "Enter" && (e.target as HTMLElement).tagName === "INPUT") void keep();
      }}
    >
      <header>
        <span className="num text-ink3">{number}</span>
        <span className="truncate" title={also.map((r) => r.label).join(", ")}>
          {row.label}
          {also.length > 0 && ` and ${also.length} more`}
        </span>
        <small className="shrink-[60] truncate">
          {row.on === "edge"
            ? `${row.nozzle ? "nozzle" : row.face ? "zone's face" : "edge"}, ${row.measure}`
            : `${PLACES[row.on]}${row.measure ? `, ${row.measure}` : ""}`}
        </small>
        <button type="button" className="btn quiet small" aria-label="Close" onClick={onClose}>
          Esc
        </button>
      </header>
      <div className="scroll">
        {asked.map(({ column: c, choices }, k) =>
          Math.abs(k - Math.max(first, 0)) > near ? (
            <div key={c.id} className="fld h-[57px] border-b border-hair2 py-1">
              <span className="lab font-medium">{capital(c.label)}</span>
            </div>
          ) : (
            <ColumnSection
              key={c.id}
              view={view}
              column={c}
              row={row}
              choices={choices}
              draft={c.id in drafts ? drafts[c.id]! : undefined}
              focus={column === c.id}
              onDraft={onDraft}
            />
          ),
        )}
      </div>
      {faults.length > 0 && (
        <div
          role="alert"
          className="border-t border-copperfill bg-copperwash px-2.5 py-1.5 text-[12px] text-copper"
        >
          {faults.map((f) => (
            <p key={f}>{f}</p>
          ))}
        </div>
      )}
      <div className="flex gap-2 border-t border-hair px-2.5 py-2">
        <button type="button" className="btn primary" disabled={!changed} onClick={() => void keep()}>
          Keep
        </button>
        <button
          type="button"
          className="btn quiet"
          disabled={!changed}
          onClick={() => {
            setDrafts({});
            setFaults([]);
          }}
        >
          Drop change
        </button>
        <span className="ml-auto self-center text-[11.5px] text-ink3">any unit, formula, table</span>
      </div>
    </section>
  );
}

/** Columns that have something to ask at a place, and what may be said there. */
function askedOf(view: CaseView, row: RowView): { column: ColumnView; choices: ConditionView[] }[] {
  return view.ledger.columns.flatMap((column) => {
    const cell = row.cells[column.id];
    const choices =
      view.phenomena[column.phenomenon]?.conditions.filter(
        (k) =>
          k.on === row.on && !(row.face && k.passes) && (!k.kinds.length || k.kinds.includes(column.kind)),
      ) ?? [];
    return cell && cell.state !== "absent" && choices.length ? [{ column, choices }] : [];
  });
}

const ColumnSection = memo(function ColumnSection({
  view,
  column,
  row,
  choices,
  draft,
  focus,
  onDraft,
}: {
  view: CaseView;
  column: ColumnView;
  row: RowView;
  choices: ConditionView[];
  draft: Draft | null | undefined;
  focus: boolean;
  onDraft: (column: string, draft: Draft | null) => void;
}) {
  const cell = row.cells[column.id]!;
  const own = cell.state === "given" || cell.state === "overruled";
  const now: Draft | null = draft !== undefined ? draft : own ? { kind: cell.kind, ...cell.typed } : null;
  const condition = choices.find((k) => k.name === now?.kind);
  const set = (name: string, value: unknown) => onDraft(column.id, { ...(now as Draft), [name]: value });
  return (
    <div className="border-b border-hair2 py-1">
      <div className="fld">
        <span className="lab font-medium">{capital(column.label)}</span>
        <Choose
          className="in"
          value={now?.kind ?? ""}
          autoFocus={focus}
          label={`${column.label}: what happens here`}
          onChoose={(to) => onDraft(column.id, to ? { kind: to } : null)}
          options={[
            {
              value: "",
              label: cell.state === "missing" ? "not said yet" : own ? "as assumed" : `assumed: ${cell.text}`,
            },
            ...choices.map((k) => ({ value: k.name, label: k.label })),
          ]}
        />
        <div className="hint">
          {!now ? capital(cell.why) : cell.overrules ? `Overrules ${cell.overrules} of its side` : ""}
        </div>
      </div>
      {now &&
        condition?.params.map((p, k) => (
          <ParamField
            key={p.name}
            view={view}
            column={column}
            place={row.place}
            condition={condition}
            param={p}
            value={now[p.name]}
            focus={focus && k === 0 && draft !== undefined}
            onChange={(v) => set(p.name, v)}
          />
        ))}
      {now && condition?.applies && (
        <AppliedCurve view={view} column={column} place={row.place} condition={condition} values={now} />
      )}
    </div>
  );
});
