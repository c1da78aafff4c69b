import { useEffect, useMemo, useRef, useState } from "react";
import { api } from "../client";
import type { CaseView, Watch } from "../client/views";
import { show } from "../drawing/number";
import { Choose } from "../parts/Choose";
import { Plot } from "../parts/Plot";
import { handTable } from "../parts/saving";

const MOST = 6;
const OWN: Record<string, string> = {
  residuals: "Residuals",
  gap: "Balance, gap over what moved",
  step: "Step size",
  work: "Inner iterations a step",
  pace: "Elapsed against simulated time",
};
const FIRST = ["residuals", "gap", "step", "readout:"];
const IN_TIME = ["readout:first", "gap", "step", "readout:"]; // nothing settles, so no residuals

/** Who set the step and why, and the steps of their own that others took within it. */
export function paceOf(last: Watch | undefined): string {
  if (!last) return "";
  const own = Object.entries(last.parts).map(([who, n]) => `${who} took ${n} of its own`);
  return [last.by ? `${last.by}: ${last.reason}` : last.reason, ...own].join("; ");
}

/** Histories, fetched from where the last fetch ended. */
export function useWatches(run: string | null, newest: number | undefined): Watch[] {
  const [rows, setRows] = useState<Watch[]>([]);
  const last = useRef<{ run: string | null; step: number }>({ run: null, step: -1 });
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new row is what asks again
  useEffect(() => {
    if (!run) return;
    let dropped = false;
    if (last.current.run !== run) {
      last.current = { run, step: -1 };
      setRows([]);
    }
    void api
      .watches(run, last.current.step)
      .then((more) => {
        if (dropped || !more.length || last.current.run !== run) return;
        const from = last.current.step;
        last.current.step = more[more.length - 1]!.step;
        setRows((old) => [...old.filter((w) => w.step <= from), ...more].slice(-4000));
      })
      .catch(() => undefined); // the server is away: the next event asks again
    return () => {
      dropped = true;
    };
  }, [run, newest]);
  return rows;
}

/** What is watched while a run goes on; which ones, is the modeller's choice and is remembered. */
export function Watches({ caseId, view, watches }: { caseId: string; view: CaseView; watches: Watch[] }) {
  const [chosen, setChosen] = useState<string[]>(
    () =>
      (JSON.parse(localStorage.getItem(`watches ${caseId}`) ?? "null") as string[] | null) ??
      (Object.values(view.data.stages ?? {}).every((s) => s.mode === "transient") ? IN_TIME : FIRST),
  );
  const keep = (next: string[]) => {
    setChosen(next);
    localStorage.setItem(`watches ${caseId}`, JSON.stringify(next));
  };
  const last = watches[watches.length - 1];
  const readouts = Object.keys(last?.readouts ?? {});
  const known: Record<string, string> = {
    ...OWN,
    ...(readouts.length ? {} : { "readout:": "Last readout", "readout:first": "First readout" }),
    ...Object.fromEntries(
      readouts.map((n) => [
        `readout:${n}`,
        view.paper.find((p) => p.readout === n)?.label ?? n.replace(/_/g, " "),
      ]),
    ),
  };
  const ends: Record<string, string> = {
    "readout:": `readout:${readouts[readouts.length - 1]}`,
    "readout:first": readouts.length > 1 ? `readout:${readouts[0]}` : "pace",
  };
  const shown = chosen.map((c) => (readouts.length && ends[c]) || c);
  const columns = chosen.length > 4 ? 3 : 2;
  return (
    <div
      className="grid min-h-0 gap-[9px]"
      style={{ gridTemplateColumns: `repeat(${columns}, minmax(0, 1fr))`, gridAutoRows: "minmax(0, 1fr)" }}
      aria-label="Watches"
      role="group"
    >
      {shown.map((what, k) => (
        <WatchPlate
          key={k}
          what={what}
          known={known}
          view={view}
          watches={watches}
          onPick={(w) => keep(chosen.map((c, n) => (n === k ? w : c)))}
          onDrop={chosen.length > 1 ? () => keep(chosen.filter((_, n) => n !== k)) : undefined}
          onAdd={
            k === chosen.length - 1 && chosen.length < MOST
              ? () => keep([...chosen, Object.keys(known).find((w) => !shown.includes(w)) ?? "pace"])
              : undefined
          }
        />
      ))}
    </div>
  );
}

function WatchPlate({
  what,
  known,
  view,
  watches,
  onPick,
  onDrop,
  onAdd,
}: {
  what: string;
  known: Record<string, string>;
  view: CaseView;
  watches: Watch[];
  onPick: (w: string) => void;
  onDrop?: () => void;
  onAdd?: () => void;
}) {
  const last = watches[watches.length - 1],
    steady = last?.mode !== "transient";
  const stage = useMemo(() => watches.filter((w) => w.stage === last?.stage), [watches, last?.stage]);
  const s = useMemo(
    () => seriesOf(what, stage, steady, known[what] ?? what),
    [what, stage, steady, known[what]],
  );
  const name = what.startsWith("readout:") ? what.slice(8) : "",
    paper = view.paper.find((p) => p.readout === name);
  const unit = name ? (paper?.unit ?? "") : s.unit;
  const note =
    what === "step"
      ? paceOf(last)
      : name && paper?.value
        ? `paper ${show(paper.value, 3)} ${paper.unit}`
        : "";
  return (
    <section className="plate !border-t" aria-label={known[what] ?? what}>
      <div className="flex items-center gap-1.5 px-2 pt-1.5 text-[13px] font-medium">
        <Choose
          toolbar
          className="in !h-[23px] min-w-0 flex-1 !bg-transparent"
          label="What is watched"
          value={what}
          onChoose={(to) => onPick(to)}
          options={[
            ...Object.entries(known).map(([k, words]) => ({ value: k, label: words })),
            ...(what in known ? [] : [{ value: what, label: name ? "a readout" : what }]),
          ]}
        />
        <span className="whitespace-nowrap">
          <b className="num text-[12.5px] font-semibold">{s.value}</b>{" "}
          <span className="num text-ink3">{unit}</span>
        </span>
        {onAdd && (
          <button
            type="button"
            className="btn quiet small !px-1.5"
            title="Watch one more"
            aria-label="Watch one more"
            onClick={onAdd}
          >
            +
          </button>
        )}
        {onDrop && (
          <button
            type="button"
            className="btn quiet small !px-1.5"
            title="Watch this no more"
            aria-label={`Watch ${known[what] ?? what} no more`}
            onClick={onDrop}
          >
            {"\u2212"}
          </button>
        )}
      </div>
      <div className="flex min-h-[14px] items-center gap-2 px-2.5 text-[11px] text-ink3">
        <span className="truncate" title={note}>
          {note}
        </span>
        <button
          type="button"
          className="ml-auto cursor-pointer underline decoration-dotted underline-offset-2"
          disabled={!s.x.length}
          onClick={() =>
            handTable(
              `watch-${what.replace(/\W+/g, "-")}`,
              [s.xLabel, ...s.lines.map((l) => `${l.label}${unit ? ` [${unit}]` : ""}`)],
              [s.x, ...s.lines.map((l) => l.values)],
            )
          }
        >
          CSV
        </button>
      </div>
      {s.x.length && s.lines.length ? (
        <Plot x={s.x} lines={s.lines} xLabel={s.xLabel} unit={unit} log={s.log} />
      ) : (
        <div className="m-3 flex flex-1 items-end border-b border-dotted border-slateline text-[12px] text-ink3">
          {stage.length > 1
            ? "not told by this stage, which goes through time"
            : "waiting for the first steps"}
        </div>
      )}
    </section>
  );
}

interface Series {
  x: number[];
  xLabel: string;
  lines: { label: string; values: (number | null)[] }[];
  log: boolean;
  unit: string;
  value: string;
}

/** The lines of one watch over the steps of a stage. */
export function seriesOf(what: string, stage: Watch[], steady: boolean, label: string): Series {
  const last = stage[stage.length - 1];
  const x = stage.map((w) => (steady ? w.stage_step : w.stage_time)),
    xLabel = steady ? "sweeps" : "time in s";
  const positive = (v: number | undefined) => (v !== undefined && v > 1e-17 ? v : null);
  const many = (pick: (w: Watch) => Record<string, number>) =>
    [...new Set(stage.flatMap((w) => Object.keys(pick(w))))]
      .slice(0, 5)
      .map((k) => ({ label: k.replace(/_/g, " "), values: stage.map((w) => positive(pick(w)[k])) }));
  const top = (all: Record<string, number> | undefined) =>
    show(all && Object.keys(all).length ? Math.max(...Object.values(all), 0) : null, 2);
  const one = (values: (number | null)[], unit: string, value: string): Series => ({
    x,
    xLabel,
    lines: [{ label, values }],
    log: false,
    unit,
    value,
  });
  if (what === "residuals")
    return { x, xLabel, lines: many((w) => w.residuals), log: true, unit: "", value: top(last?.residuals) };
  if (what === "gap")
    return { x, xLabel, lines: many((w) => w.gap), log: true, unit: "", value: top(last?.gap) };
  if (what === "step")
    return steady
      ? one(
          stage.map((w) => w.wall * 1e3),
          "ms a sweep",
          show(last ? last.wall * 1e3 : null, 3),
        )
      : one(
          stage.map((w) => w.dt * 1e3),
          "ms",
          show(last ? last.dt * 1e3 : null, 3),
        );
  if (what === "work")
    return one(
      stage.map((w) => w.iterations),
      "",
      `${last?.iterations ?? "–"}`,
    );
  if (what === "pace") {
    let spent = 0;
    const gaps = stage.map((w, k) => (k ? w.clock - stage[k - 1]!.clock : 0)),
      usual = [...gaps].sort((a, b) => a - b)[gaps.length >> 1] ?? 0;
    const values = gaps.map((g) => (spent += g > Math.max(20, 10 * usual) ? 0 : g)); // what it was held for does not count
    return one(values, "s elapsed", values.length ? show(spent, 3) : "–");
  }
  const name = what.slice(8);
  return one(
    stage.map((w) => w.readouts[name] ?? null),
    "",
    show(last?.readouts[name] ?? null, 4),
  );
}
