import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api } from "../client";
import type { BalanceResult, ReadoutResult, RunView } from "../client/views";
import { show } from "../drawing/number";
import { against, range, verdict } from "../drawing/verdict";
import { useReadingOf } from "./reading";
import { along, rests, useFrame, useSeen } from "./useField";

export function ReadoutPlate() {
  const { view, run, frames } = useSeen();
  const { history, tab, change } = useReadingOf("history", "tab", "change");
  const chosen = tab === "history" ? history : null;
  const onHistory = (readout: string) => change({ history: readout, tab: "history" });
  const late = Object.entries(frames.readouts).filter(([, r]) => r.late);
  const results = run.result?.readouts ?? {};
  const grids = run.result?.grids,
    further = run.result?.further;
  const isMeasured = Object.values(results).some((r) => r.measured);
  const named = "truncate max-w-[136px]"; // what stands beside it is seen whole, margins too
  return (
    <section className="plate min-h-0 flex-initial" aria-label="Readouts">
      <header>
        Readouts{" "}
        <small>
          {grids ? `end of the run, margins from ${grids.join(", ")} cells` : "end of the run, one grid"}
        </small>
        <span className="r">
          {!further && run.status === "finished" && <AskFurther run={run} />}
          {!grids && run.status === "finished" && <AskMargin run={run} />}
          <a className="btn small" href={api.exportUrl(run.id, "readouts")} download="readouts.csv">
            CSV
          </a>
        </span>
      </header>
      <div className="scroll">
        <table className="t">
          <thead>
            <tr>
              <th>Readout</th>
              <th className="num">Solved</th>
              <th />
              <th className="num">Paper</th>
              <th>Ratio</th>
              {isMeasured && <th>Measured</th>}
              {further && (
                <th
                  className="num"
                  title={`With ${further.map((e) => e.replace(/_/g, " ")).join(", ")} 1.5 times as far off`}
                >
                  Further off
                </th>
              )}
            </tr>
          </thead>
          <tbody>
            {Object.entries(results).map(([n, r]) => {
              const ratio = r.value !== null && r.paper ? r.value / r.paper : null;
              return (
                <tr key={n} className={chosen === n ? "bg-copperwash" : ""}>
                  <td className={named}>
                    <button
                      type="button"
                      className="max-w-full cursor-pointer truncate text-left underline decoration-dotted underline-offset-2"
                      aria-pressed={chosen === n}
                      title={`${frames.readouts[n]?.label ?? n}: its history, spectrum and residence time`}
                      onClick={() => onHistory(n)}
                    >
                      {view.paper.find((p) => p.readout === n)?.label ?? frames.readouts[n]?.label ?? n}
                    </button>
                  </td>
                  <td className="num" data-testid={`readout-${n}`}>
                    <Value r={r} />
                  </td>
                  <td className="u">{r.unit}</td>
                  <td className="num">{show(r.paper, 3)}</td>
                  <td
                    className="whitespace-nowrap text-[11.5px] text-ink3"
                    title={
                      r.sampled
                        ? `mean since ${show(r.sampled.since, 3)} s; it swings by ${show(r.sampled.deviation, 2)} ${r.unit}`
                        : r.why
                    }
                  >
                    {ratio === null ? (
                      r.why ? (
                        "not told"
                      ) : (
                        "–"
                      )
                    ) : (
                      <>
                        <span className={`num mr-1.5 ${verdict(ratio)[1]}`} title={verdict(ratio)[0]}>
                          {show(ratio, 3)}
                        </span>
                        {isMeasured || further || grids ? "" : verdict(ratio)[0]}
                      </>
                    )}
                    {r.sampled && <span className="ml-1.5 text-ink2">mean, it swings</span>}
                  </td>
                  {isMeasured && (
                    <td className="num whitespace-nowrap text-[11.5px]" data-testid={`measured-${n}`}>
                      {r.measured && (
                        <>
                          {range(r.measured)}
                          {r.value !== null && (
                            <span className="ml-1 text-ink3">{against(r.value, r.measured)}</span>
                          )}
                        </>
                      )}
                    </td>
                  )}
                  {further && (
                    <td
                      className="num whitespace-nowrap text-[11.5px]"
                      data-testid={`further-${n}`}
                      title={`${show(r.further, 5)} ${r.unit}`}
                    >
                      <Change from={r.sampled?.mean ?? r.value} to={r.further} />
                    </td>
                  )}
                </tr>
              );
            })}
            {late.map(([n, r]) => (
              <tr key={n} className={chosen === n ? "bg-copperwash" : ""}>
                <td className={named}>
                  <button
                    type="button"
                    className="max-w-full cursor-pointer truncate text-left underline decoration-dotted underline-offset-2"
                    aria-pressed={chosen === n}
                    onClick={() => onHistory(n)}
                  >
                    {r.label}
                  </button>
                </td>
                <td className="num" data-testid={`readout-${n}`}>
                  <b className="font-semibold">{show(r.value, 4)}</b> ± ?
                </td>
                <td className="u">{r.unit}</td>
                <td colSpan={further ? 4 : 3} className="text-[11.5px] text-ink3">
                  {r.value === null ? "told by the next run" : "added since; from the last frame"}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        {Object.keys(results).length + late.length === 0 && (
          <p className="px-2.5 py-2 text-ink3">
            {Object.keys(view.data.readouts ?? {}).length === 0
              ? "No readout is asked for; add one on Set."
              : "Readouts follow when the run ends."}
          </p>
        )}
      </div>
      <NotTheEnd />
    </section>
  );
}

/** Said while the picture is not that of the end. */
function NotTheEnd() {
  const { view, frames } = useSeen();
  const frame = useFrame();
  if (frame.id === frames.frames[frames.frames.length - 1]!.id) return null;
  return (
    <p className="border-t border-hair bg-dip px-2.5 py-1 text-[11.5px] text-ink3">
      {rests(view, frame.stage)
        ? `The picture shows ${frame.stage}, settled`
        : `The picture shows ${frame.stage} at ${along(frames, frame)}`}
      ; the numbers are those of the end.
    </p>
  );
}

/** A readout with what it may be off by: of a mean that swings, by sampling too. */
function Value({ r }: { r: ReadoutResult }) {
  const value = r.sampled?.mean ?? r.value,
    margin = r.margin ?? r.sampled?.margin;
  const says =
    r.margin != null
      ? `${r.margin_says}${r.order ? `, order ${show(r.order, 2)}` : ""}`
      : r.sampled
        ? "sampling of its mean, 95 % (ten batches); one grid tells nothing of the grid"
        : "one grid tells no margin";
  return (
    <>
      <b className="font-semibold">{show(value, 4)}</b>{" "}
      <span title={says}>± {margin == null ? "?" : show(margin, 2)}</span>
    </>
  );
}

/** By how much a number changes; more than a hundredth of it stands out. */
function Change({ from, to }: { from: number | null; to: number | null | undefined }) {
  if (from === null || to === null || to === undefined) return "–";
  if (from === to) return "the same";
  if (from === 0) return show(to - from, 2);
  const change = (to - from) / Math.abs(from);
  return (
    <span className={Math.abs(change) > 0.01 ? "text-copper" : "text-verdigris"}>
      {Math.abs(change) < 1e-4 ? "< 0.01 %" : `${change < 0 ? "−" : "+"}${show(100 * Math.abs(change), 2)} %`}
    </span>
  );
}

/** The same case with what is open further off, by one click. */
function AskFurther({ run }: { run: RunView }) {
  return (
    <AskBeside
      run={run}
      others={run.further ? [run.further] : []}
      name="Further off"
      title="The same case with what is open 1.5 times as far off: are its surroundings wide enough?"
      bad="further off it did not finish"
      going={() => "solving it further off"}
      ask={api.askFurther}
    />
  );
}

/** Two more grids, by one click; how far they are. */
function AskMargin({ run }: { run: RunView }) {
  return (
    <AskBeside
      run={run}
      others={run.helpers}
      name="Margin"
      title="The same case on two coarser grids"
      bad="a coarser grid did not finish: no margin"
      going={(done) => `margin: ${done} of ${run.helpers.length} coarser grids done`}
      ask={api.askMargin}
    />
  );
}

/** A button that has other runs serve this one; then how far they are. */
function AskBeside({
  run,
  others,
  name,
  title,
  bad,
  going,
  ask,
}: {
  run: RunView;
  others: RunView["helpers"];
  name: string;
  title: string;
  bad: string;
  going: (done: number) => string;
  ask: (run: string) => Promise<unknown>;
}) {
  const queries = useQueryClient();
  const [error, setError] = useState("");
  const open = others.filter((s) => s === "waiting" || s === "running").length;
  useEffect(() => {
    if (!others.length) return;
    const timer = setInterval(() => void queries.invalidateQueries({ queryKey: ["run", run.id] }), 1000);
    return () => clearInterval(timer);
  }, [others.length, run.id, queries]);
  if (others.length && open === 0 && others.some((s) => s !== "finished"))
    return <span className="text-[12px] text-copper">{bad}</span>;
  if (others.length)
    return (
      <span className="text-[12px] text-ink2" role="status">
        {going(others.length - open)}
      </span>
    );
  if (error) return <span className="text-[12px] text-copper">{error}</span>;
  return (
    <button
      type="button"
      className="btn small"
      title={title}
      onClick={() =>
        void ask(run.id).then(
          () => queries.invalidateQueries({ queryKey: ["run", run.id] }),
          (e: unknown) => setError(e instanceof Error ? e.message : String(e)),
        )
      }
    >
      {name}
    </button>
  );
}

const TOLERANCE = 1e-6;

export function BalancePlate({ run }: { run: RunView }) {
  const { view } = useSeen();
  const called = (name: string) =>
    view.ledger.columns.find((c) => c.member === name)?.label ?? name.replace(/_/g, " ");
  const balance = Object.entries(run.result?.balance ?? {});
  const closed = balance.every(([, b]) => b.relative <= TOLERANCE);
  return (
    <section className="plate max-h-[22vh] min-h-[56px] shrink" aria-label="Balance">
      <header>
        Balance <small>what went in against what came of it</small>
        <span className={`r text-[12px] ${closed ? "text-verdigris" : "text-copper"}`}>
          {balance.length ? (closed ? "all close" : "not closed") : ""}
        </span>
      </header>
      <div className="min-h-0 flex-1 overflow-y-auto">
        {balance.map(([n, b]) => (
          <BalanceRow key={n} name={n} label={called(n)} b={b} />
        ))}
      </div>
      {balance.length === 0 && (
        <p className="px-2.5 py-2 text-ink3">The balance follows when the run ends.</p>
      )}
    </section>
  );
}

function BalanceRow({ name, label, b }: { name: string; label: string; b: BalanceResult }) {
  const takers = Object.entries(b.given).filter(([, v]) => v < 0),
    givers = Object.entries(b.given).filter(([, v]) => v > 0);
  const came = b.in + Math.max(b.made, 0) + Math.max(-b.stored, 0) + givers.reduce((s, [, v]) => s + v, 0);
  const moved = came > 1e-12 * Math.abs(b.began),
    drawn = b.stored < -1e-9 * came;
  const parts: [string, number, string][] = [
    ...Object.entries(b.outflow).map(
      ([e, v], k) =>
        [`out by ${e.replace(/_/g, " ")}`, v, k ? "var(--d4)" : "var(--d2)"] as [string, number, string],
    ),
    moved ? ["stored", Math.max(b.stored, 0), "var(--d5)"] : ["still there", b.began, "var(--d5)"],
    ["used up", Math.max(-b.made, 0), "var(--d3)"],
    ...takers.map(([g, v]) => [`taken by ${g}`, -v, "var(--d1)"] as [string, number, string]),
  ];
  const shown = parts.filter(([, v]) => v > 0);
  const total = shown.reduce((s, [, v]) => s + v, 0);
  return (
    <div className="border-b border-hair2 px-2.5 py-1 last:border-0" data-testid={`balance-${name}`}>
      <div className="flex items-center gap-2">
        <span className="w-[88px] truncate" title={label}>
          {label}
        </span>
        <span className="flex h-[10px] flex-1 border border-rim">
          {shown.map(([t, v, ink]) => (
            <i
              key={t}
              title={`${t}: ${show(v)} ${b.unit}`}
              style={{ width: `${(v / (total || 1)) * 100}%`, background: ink }}
            />
          ))}
        </span>
        <span className="num">
          {show(moved ? came : b.began, 4)} {b.unit}
        </span>
        <span className={`num ${b.relative <= TOLERANCE ? "text-verdigris" : "text-copper"}`}>
          gap {show(b.relative, 2)}
        </span>
      </div>
      <div className="flex flex-wrap gap-x-3 text-[11px] text-ink3">
        <span>
          in:{" "}
          {[
            ...Object.entries(b.inflow)
              .filter(([, v]) => v > 1e-9 * came)
              .map(([e]) => e.replace(/_/g, " ")),
            ...(b.made > 1e-9 * came ? ["made inside"] : []),
            ...givers.filter(([, v]) => v > 1e-9 * came).map(([g, v]) => `given by ${g} ${show(v, 3)}`),
            ...(drawn || (!moved && b.began > 0)
              ? [
                  `what was there at the start${moved && b.began > 0 ? `, ${show(-b.stored, 3)} of ${show(b.began, 3)} ${b.unit}` : ""}`,
                ]
              : []),
          ].join(", ") || "nothing"}
        </span>
        {shown
          .filter(([, v]) => v > 1e-9 * total)
          .map(([t, v, ink]) => (
            <span key={t} className="flex items-center gap-1">
              <i className="inline-block h-2 w-2" style={{ background: ink }} />
              {t} {show(v, 3)}
            </span>
          ))}
      </div>
    </div>
  );
}
