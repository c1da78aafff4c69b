import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api } from "../client";
import type { RunView } from "../client/views";
import { show } from "../drawing/number";
import { Choose, named } from "../parts/Choose";
import { Faults } from "../parts/Faults";
import { Plot } from "../parts/Plot";
import { handTable } from "../parts/saving";
import { AgainstPlate } from "./AgainstPlate";
import { KeepReadout } from "./KeepReadout";
import { MeasuredButton, Misfit, useLaid } from "./Laid";
import { axisOf, legsOf } from "./legs";
import { useReadingOf } from "./reading";
import { useSeen } from "./useField";

type Look = "history" | "against" | "spectrum" | "stay";
const LOOKS: [Look, string][] = [
  ["history", "History"],
  ["against", "Against another"],
  ["spectrum", "Spectrum"],
  ["stay", "Residence time"],
];

/** A readout over time, what it repeats, and the residence times it tells. */
export function HistoryPlate() {
  const { run, frames } = useSeen();
  const { history, change } = useReadingOf("history", "change");
  const [look, setLook] = useState<Look>("history");
  const names = Object.keys(frames.readouts),
    readout = history && names.includes(history) ? history : names[0];
  if (!readout)
    return (
      <p className="p-3 text-ink2">
        This case asks for no readout yet: every instrument can keep what it tells as one.
      </p>
    );
  return (
    <>
      <div className="flex flex-none flex-wrap items-center gap-1 px-2.5 pt-1.5">
        <Choose
          toolbar
          className="in !h-[23px] !w-auto max-w-[200px]"
          label="Readout"
          value={readout}
          onChoose={(to) => change({ history: to })}
          options={names.map((n) => ({ value: n, label: frames.readouts[n]!.label }))}
        />
        {LOOKS.map(([l, words]) => (
          <button
            type="button"
            key={l}
            className={`btn small ${l === look ? "on" : "quiet"}`}
            aria-pressed={l === look}
            onClick={() => setLook(l)}
          >
            {words}
          </button>
        ))}
      </div>
      {look === "history" ? (
        <Curve key={readout} run={run} readout={readout} />
      ) : look === "against" ? (
        <AgainstPlate key={readout} run={run} readout={readout} />
      ) : look === "spectrum" ? (
        <Spectrum key={readout} run={run} readout={readout} name={frames.readouts[readout]!.label} />
      ) : (
        <Stay key={readout} run={run} readout={readout} name={frames.readouts[readout]!.label} />
      )}
    </>
  );
}

const Csv = ({ onSave }: { onSave: () => void }) => (
  <button type="button" className="btn small" onClick={onSave}>
    CSV
  </button>
);

function Curve({ run, readout }: { run: RunView; readout: string }) {
  const told = useQuery({
    queryKey: ["history", run.id, readout, run.status],
    queryFn: () => api.history(run.id, readout),
    retry: false,
  });
  const h = told.data;
  const legs = useMemo(() => (h ? legsOf(h.label, h.time, h.value) : { x: [], lines: [] }), [h]);
  const curve = useMemo(() => (h ? { x: h.time, y: h.value, xUnit: h.axis.unit, yUnit: h.unit } : null), [h]);
  const laid = useLaid(`history ${readout}`, curve);
  if (told.error)
    return (
      <div className="p-2">
        <Faults error={told.error} />
      </div>
    );
  if (!h) return null;
  const known = h.value
      .filter((v): v is number => v !== null)
      .map((v, _k, all) =>
        Math.abs(v) < 1e-12 * Math.max(Math.abs(all[0]!), Math.abs(all[all.length - 1]!)) ? 0 : v,
      ),
    last = known[known.length - 1] ?? null,
    [low, high] = [Math.min(...known), Math.max(...known)];
  return (
    <>
      <div className="grid min-h-[100px] flex-1">
        <Plot x={legs.x} lines={legs.lines} xLabel={axisOf(h.axis)} unit={h.unit} points={laid.points} />
      </div>
      <Misfit {...laid} />
      <p className="flex flex-none items-center gap-3 border-t border-hair px-2.5 py-1 text-[12px] text-ink2">
        <span data-testid="history-numbers">{`${h.label}: ${show(low, 4)} to ${show(high, 4)} ${h.unit}, at the end ${show(last, 4)}`}</span>
        <span className="ml-auto flex gap-1.5">
          <MeasuredButton over={`history ${readout}`} />
          <Csv
            onSave={() =>
              handTable(
                readout,
                [`${h.axis.name} [${h.axis.unit || "1"}]`, `${readout} [${h.unit}]`],
                [h.time, h.value],
              )
            }
          />
        </span>
      </p>
    </>
  );
}

function Spectrum({ run, readout, name }: { run: RunView; readout: string; name: string }) {
  const [since, setSince] = useState("0 s");
  const told = useQuery({
    queryKey: ["spectrum", run.id, readout, since, run.status],
    queryFn: () => api.spectrum(run.id, readout, since),
    retry: false,
    placeholderData: keepPreviousData,
  });
  const s = told.error ? undefined : told.data;
  return (
    <>
      <div className="flex flex-none items-center gap-2 px-2.5 pt-1.5 text-[12px] text-ink2">
        <label className="flex items-center gap-2">
          From
          <input className="in w-[90px]" value={since} onChange={(e) => setSince(e.target.value)} />
        </label>
        <span>to the end; {s?.window ?? "Hann"}</span>
      </div>
      <div className="px-2">
        <Faults error={told.error} />
      </div>
      {s && (
        <div className="grid min-h-[90px] flex-1">
          <Plot
            x={s.frequency}
            lines={[{ label: "amplitude", values: s.amplitude }]}
            xLabel="frequency, 1/s"
            unit={s.unit}
          />
        </div>
      )}
      {s && (
        <p className="flex flex-none items-center gap-3 border-t border-hair px-2.5 py-1 text-[12px] text-ink2">
          <span data-testid="spectrum-numbers">
            {`peak at ${show(s.peak, 4)} 1/s, amplitude ${show(s.height, 3)} ${s.unit}, ${show(s.periods, 3)} periods seen`}
            {s.doubt && <span className="text-copper">{`; ${s.doubt}`}</span>}
          </span>
          <span className="ml-auto flex gap-1.5">
            {run.result?.readouts?.[readout] && (
              <KeepReadout
                label={`${name}, frequency of its peak`}
                readout={{ kind: "history", of: readout, tells: "peak", since }}
              />
            )}
            <Csv
              onSave={() =>
                handTable(
                  `${readout}-spectrum`,
                  ["frequency [1/s]", `amplitude [${s.unit}]`],
                  [s.frequency, s.amplitude],
                )
              }
            />
          </span>
        </p>
      )}
    </>
  );
}

function Stay({ run, readout, name }: { run: RunView; readout: string; name: string }) {
  const [asked, setAsked] = useState({ kind: "step", before: "", after: "", begin: "0 s", given: "" });
  const told = useQuery({
    queryKey: ["stay", run.id, readout, asked, run.status],
    queryFn: () => api.stay(run.id, readout, asked),
    retry: false,
    placeholderData: keepPreviousData,
  });
  const s = told.error ? undefined : told.data;
  const field = (label: string, key: "before" | "after" | "begin" | "given", hint: string) => (
    <label className="flex items-center gap-1.5">
      {label}
      <input
        className="in w-[96px]"
        value={asked[key]}
        placeholder={hint}
        onChange={(e) => setAsked({ ...asked, [key]: e.target.value })}
      />
    </label>
  );
  const m = s?.whole ?? s;
  const cells: [string, string][] =
    s && m
      ? [
          ["mean, with the tail", s.whole ? `${show(s.whole.mean, 4)} s` : "–"],
          ["mean of what came", `${show(s.mean, 4)} s`],
          ["deviation", `${show(m.deviation, 4)} s`],
          ["variance", `${show(m.variance, 4)} s2`],
          ["skewness", show(m.skewness, 3)],
          ["recovered", s.recovered === null ? "not known" : `${show(100 * s.recovered, 4)} %`],
          ["peak of exit age", `${show(m.peak, 3)} s`],
          ["tanks in series", m.tanks ? show(m.tanks, 3) : "–"],
          ["Pe of dispersion", m.peclet ? show(m.peclet, 3) : "wider than a tank"],
          ["flow x mean", s.volume === null ? "–" : `${show(s.volume * 1e6, 4)} ml`],
          ["open volume", `${show(s.open_volume * 1e6, 4)} ml`],
          ...(s.pore_volume === null
            ? []
            : [["pores of it", `${show(s.pore_volume * 1e6, 4)} ml`] as [string, string]]),
        ]
      : [];
  return (
    <>
      <div className="flex flex-none flex-wrap items-center gap-x-3 gap-y-1 px-2.5 pt-1.5 text-[12px] text-ink2">
        <Choose
          toolbar
          className="in w-[80px]"
          label="How the tracer came"
          value={asked.kind}
          onChoose={(to) => setAsked({ ...asked, kind: to })}
          options={named(["step", "pulse"])}
        />
        {field("at", "begin", "0 s")}
        {asked.kind === "step" ? (
          <>
            {field("from", "before", "first")}
            {field("to", "after", "what enters")}
          </>
        ) : (
          field("of", "given", "amount, if known")
        )}
      </div>
      <div className="px-2">
        <Faults error={told.error} />
      </div>
      {s && (
        <>
          <div className="grid min-h-[90px] flex-1 grid-cols-2">
            <Plot
              x={s.time}
              lines={[{ label: "F", values: s.cumulative }]}
              xLabel="time, s"
              unit="share that has left"
            />
            <Plot
              x={s.time}
              lines={[
                { label: "E", values: s.exit_age },
                ...(s.fitted.length ? [{ label: "two ways", values: s.fitted }] : []),
              ]}
              xLabel="time, s"
              unit="exit age, 1/s"
            />
          </div>
          {s.ways.length > 0 && (
            <p className="flex-none px-2.5 text-[12px] text-ink2" data-testid="stay-ways">
              {`Two peaks, as two ways: ${s.ways
                .map(
                  (w) =>
                    `${show(100 * w.share, 3)} % stays ${show(w.mean, 3)} s (peak ${show(w.peak, 3)} s, as ${show(w.tanks, 2)} tanks)`,
                )
                .join(", ")}; at worst ${show(100 * (s.misfit ?? 0), 2)} % of F off.`}
            </p>
          )}
          <dl
            className="grid flex-none grid-cols-[auto_1fr_auto_1fr] gap-x-2.5 border-t border-hair px-2.5 py-1 text-[12px]"
            data-testid="stay-numbers"
          >
            {cells.map(([k, v]) => [
              <dt key={k} className="text-ink3">
                {k}
              </dt>,
              <dd key={`${k} v`} className="num">
                {v}
              </dd>,
            ])}
          </dl>
          <p
            className="flex-none px-2.5 text-[12px] text-ink2"
            data-testid="stay-sure"
          >{`${s.sure.slice(0, 1).toUpperCase()}${s.sure.slice(1)}.`}</p>
          {s.notes.map((n) => (
            <p
              key={n}
              className="flex-none px-2.5 pb-1 text-[12px] text-copper"
            >{`${n.slice(0, 1).toUpperCase()}${n.slice(1)}.`}</p>
          ))}
          <p className="flex flex-none justify-end gap-1.5 px-2.5 pb-1">
            {run.result?.readouts?.[readout] && (
              <KeepReadout
                label={`${name}, mean residence time`}
                readout={{
                  kind: "history",
                  of: readout,
                  tells: "stay",
                  tracer: asked.kind,
                  since: asked.begin,
                }}
              />
            )}
            <Csv
              onSave={() =>
                handTable(`${readout}-stay`, ["time [s]", "F", "E [1/s]"], [s.time, s.cumulative, s.exit_age])
              }
            />
          </p>
        </>
      )}
    </>
  );
}
