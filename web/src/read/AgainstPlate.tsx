import { useQueries, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api } from "../client";
import type { AgainstView, RunView } from "../client/views";
import { show } from "../drawing/number";
import { Choose } from "../parts/Choose";
import { Faults } from "../parts/Faults";
import { Plot } from "../parts/Plot";
import { handTable } from "../parts/saving";
import { axisOf } from "./legs";
import { loopsOf, stackOf } from "./loops";
import { useSeen } from "./useField";

const nameOf = (r: RunView) => `run ${r.number}${r.variant ? `, ${r.variant}` : ""}`;

/** A readout against another as both go on: loops and characteristics, those of other runs over them. */
export function AgainstPlate({ run, readout }: { run: RunView; readout: string }) {
  const { frames } = useSeen();
  const others = Object.keys(frames.readouts).filter((n) => n !== readout);
  const [chosen, setChosen] = useState("");
  const [laid, setLaid] = useState("");
  const [newest, setNewest] = useState(true);
  const [added, setAdded] = useState<string[]>([]);
  const [stacked, setStacked] = useState(true);
  const over = others.includes(chosen) ? chosen : likely(readout, others, frames.readouts);
  const kept = useQuery({ queryKey: ["runs", run.case], queryFn: () => api.runs(run.case) });
  const beside = (kept.data ?? []).filter((r) => r.id !== run.id && r.status === "finished" && !r.serves);
  const alike = others.filter(
    (n) => n !== over && frames.readouts[n]!.unit === frames.readouts[readout]!.unit,
  );
  const more = added.filter((n) => alike.includes(n));
  const labelOf = (name: string) => frames.readouts[name]?.label ?? name;
  const shown = [
    { run, of: readout, label: more.length ? labelOf(readout) : nameOf(run) },
    ...more.map((of) => ({ run, of, label: labelOf(of) })),
    ...beside.filter((r) => r.id === laid).map((r) => ({ run: r, of: readout, label: nameOf(r) })),
  ];
  const told = useQueries({
    queries: shown.map((s) => ({
      queryKey: ["against", s.run.id, s.of, over, s.run.status],
      queryFn: () => api.against(s.run.id, s.of, over!),
      enabled: !!over,
      retry: false,
    })),
  });
  const known = told.map((t) => t.data);
  const key = known.map((k, n) => (k ? `${shown[n]!.run.id}.${shown[n]!.of}` : "")).join(" ");
  // biome-ignore lint/correctness/useExhaustiveDependencies: `known` is made anew each time; which runs have told is what counts
  const { drawn, stack } = useMemo(() => {
    const drawn = loopsOf(
      known.flatMap((k, n) => (k ? [{ told: k, label: shown[n]!.label }] : [])),
      newest,
    );
    return { drawn, stack: more.length && !laid ? stackOf(drawn) : null };
  }, [key, newest, over, laid]);
  const pile = stacked ? stack : null;
  const first = known[0];
  if (!over)
    return (
      <p className="p-3 text-ink2">This case asks for one readout only: there is none to lay it against.</p>
    );
  return (
    <>
      <div className="flex flex-none flex-wrap items-center gap-2 px-2.5 pt-1.5 text-[12px] text-ink2">
        <span>against</span>
        <Choose
          toolbar
          className="in !h-[23px] !w-auto max-w-[180px]"
          label="Readout along the axis"
          value={over}
          onChoose={setChosen}
          options={others.map((n) => ({ value: n, label: frames.readouts[n]!.label }))}
        />
        {beside.length > 0 && (
          <>
            <span>with</span>
            <Choose
              toolbar
              className="in !h-[23px] !w-auto max-w-[170px]"
              label="Run laid over"
              value={laid || "none"}
              onChoose={(to) => setLaid(to === "none" ? "" : to)}
              options={[
                { value: "none", label: "no other run" },
                ...beside.map((r) => ({ value: r.id, label: nameOf(r) })),
              ]}
            />
          </>
        )}
        {alike.length > 0 && (
          <>
            <span>and</span>
            <Choose
              toolbar
              className="in !h-[23px] !w-auto max-w-[170px]"
              label="Readouts beside it"
              value={more.length ? "those" : "none"}
              onChoose={(to) =>
                setAdded(
                  to === "none"
                    ? []
                    : to === "all"
                      ? alike
                      : to === "those"
                        ? more
                        : more.includes(to)
                          ? more.filter((n) => n !== to)
                          : [...more, to],
                )
              }
              options={[
                { value: "none", label: "nothing else" },
                ...(more.length ? [{ value: "those", label: `${more.length} beside it` }] : []),
                ...alike.map((n) => ({
                  value: n,
                  label: `${more.includes(n) ? "less" : "+"} ${labelOf(n)}`,
                })),
                { value: "all", label: `all in ${frames.readouts[readout]!.unit || "1"}` },
              ]}
            />
          </>
        )}
        {first?.round !== null && first?.round !== undefined && (
          <button
            type="button"
            className={`btn small ${newest ? "on" : "quiet"}`}
            aria-pressed={newest}
            onClick={() => setNewest(!newest)}
          >
            Last round only
          </button>
        )}
      </div>
      <div className="px-2">
        <Faults error={told.find((t) => t.error)?.error} />
      </div>
      {first && (
        <div className="grid min-h-[100px] flex-1">
          <Plot
            x={drawn.x}
            lines={pile ?? drawn.lines}
            filled={!!pile}
            xLabel={axisOf(first.over)}
            unit={first.unit}
          />
        </div>
      )}
      {first && (
        <p className="flex flex-none items-center gap-3 border-t border-hair px-2.5 py-1 text-[12px] text-ink2">
          <span data-testid="against-numbers" className="mr-auto">
            {pile
              ? "the topmost line is the sum of all"
              : wordsOf(
                  known.filter((_, n) => shown[n]!.of === readout),
                  shown.filter((s) => s.of === readout).map((s) => nameOf(s.run)),
                )}
          </span>
          {stack && (
            <button
              type="button"
              className={`btn small ${stacked ? "on" : "quiet"}`}
              aria-pressed={stacked}
              title="Each on top of the one before, so that the topmost is their sum"
              onClick={() => setStacked(!stacked)}
            >
              One on the other
            </button>
          )}
          <button
            type="button"
            className="btn small"
            onClick={() =>
              handTable(
                `${readout}-against-${over}`,
                [over, readout, ...more].map((n, k) => `${n} [${(k ? first.unit : first.over.unit) || "1"}]`),
                [first.x, first.y, ...more.map((_, n) => known[n + 1]?.y ?? [])],
              )
            }
          >
            CSV
          </button>
        </p>
      )}
    </>
  );
}

/** What most goes along the axis: the first readout of another kind of thing. */
function likely(of: string, names: string[], told: Record<string, { unit: string }>): string | undefined {
  return names.find((n) => told[n]!.unit !== told[of]!.unit) ?? names[0];
}

function wordsOf(known: (AgainstView | undefined)[], names: string[]): string {
  const rounds = known.flatMap((k, n) => (k && k.enclosed !== null ? [{ name: names[n]!, k }] : []));
  if (!rounds.length) return "it has not come round: no loop to go round";
  return rounds
    .map(
      ({ name, k }) =>
        `${rounds.length > 1 ? `${name}: ` : ""}the last round goes round ${show(k.enclosed, 4)} ${[k.unit, k.over.unit].filter(Boolean).join(" ")}`,
    )
    .join("; ");
}
