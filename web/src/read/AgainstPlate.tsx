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
import { loopsOf } from "./loops";
import { useSeen } from "./useField";

const nameOf = (r: RunView) => `run ${r.number}${r.variant ? `, ${r.variant}` : ""}`;

/** A readout against another as both go on: loops and characteristics, those of other runs over them. */
export function AgainstPlate({ run, readout }: { run: RunView; readout: string }) {
  const { frames } = useSeen();
  const others = Object.keys(frames.readouts).filter((n) => n !== readout);
  const [chosen, setChosen] = useState("");
  const [laid, setLaid] = useState("");
  const [newest, setNewest] = useState(true);
  const over = others.includes(chosen) ? chosen : likely(readout, others, frames.readouts);
  const kept = useQuery({ queryKey: ["runs", run.case], queryFn: () => api.runs(run.case) });
  const beside = (kept.data ?? []).filter((r) => r.id !== run.id && r.status === "finished" && !r.serves);
  const shown = [run, ...beside.filter((r) => r.id === laid)];
  const told = useQueries({
    queries: shown.map((r) => ({
      queryKey: ["against", r.id, readout, over, r.status],
      queryFn: () => api.against(r.id, readout, over!),
      enabled: !!over,
      retry: false,
    })),
  });
  const known = told.map((t) => t.data);
  const key = known.map((k, n) => (k ? shown[n]!.id : "")).join(" ");
  // biome-ignore lint/correctness/useExhaustiveDependencies: `known` is made anew each time; which runs have told is what counts
  const drawn = useMemo(
    () =>
      loopsOf(
        known.flatMap((k, n) => (k ? [{ told: k, label: nameOf(shown[n]!) }] : [])),
        newest,
      ),
    [key, newest, over],
  );
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
          <Plot x={drawn.x} lines={drawn.lines} xLabel={axisOf(first.over)} unit={first.unit} />
        </div>
      )}
      {first && (
        <p className="flex flex-none items-center gap-3 border-t border-hair px-2.5 py-1 text-[12px] text-ink2">
          <span data-testid="against-numbers">{wordsOf(known, shown.map(nameOf))}</span>
          <button
            type="button"
            className="btn small ml-auto"
            onClick={() =>
              handTable(
                `${readout}-against-${over}`,
                [`${over} [${first.over.unit || "1"}]`, `${readout} [${first.unit || "1"}]`],
                [first.x, first.y],
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
