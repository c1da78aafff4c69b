import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api } from "../client";
import type { Box, BoxView } from "../client/views";
import type { Fit } from "../drawing/fit";
import { show } from "../drawing/number";
import { Choose, named } from "../parts/Choose";
import { Faults } from "../parts/Faults";
import { Plot } from "../parts/Plot";
import { handTable } from "../parts/saving";
import { KeepReadout } from "./KeepReadout";
import { useReadingOf } from "./reading";
import { useFrame, useSeen } from "./useField";

type Look = "fields" | "sides" | "spread";
const LOOKS: [Look, string][] = [
  ["fields", "Fields"],
  ["sides", "What passes"],
  ["spread", "Distribution"],
];
const mm = (v: number) => show(v * 1e3, 4);
const typed = (box: Box) => ({
  box: [
    Math.min(box[0], box[2]),
    Math.min(box[1], box[3]),
    Math.max(box[0], box[2]),
    Math.max(box[1], box[3]),
  ].map((v) => `${Number((v * 1e3).toPrecision(6))} mm`),
});

/** Means and integrals in a drawn box, what passes its sides, and how a field is distributed in it or in the whole vessel. */
export function BoxPlate({ name }: { name: string }) {
  const { view } = useSeen();
  const { box, change } = useReadingOf("box", "change");
  const [look, setLook] = useState<Look>("fields");
  const shown = box ?? view.sheet.box;
  const [x0, y0, x1, y1] = shown;
  return (
    <>
      <div className="flex flex-none flex-wrap items-center gap-x-2 gap-y-1 px-2.5 pt-1.5 text-[12px] text-ink2">
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
        <span>
          {box
            ? `${mm(Math.abs(x1 - x0))} x ${mm(Math.abs(y1 - y0))} mm at ${mm(Math.min(x0, x1))}, ${mm(Math.min(y0, y1))}`
            : "the whole vessel"}
        </span>
        {!box && (
          <button type="button" className="btn small" onClick={() => change({ tool: "box", first: null })}>
            Draw a box <kbd>B</kbd>
          </button>
        )}
      </div>
      {look === "fields" ? (
        <Fields box={shown} />
      ) : look === "sides" ? (
        <Sides box={shown} drawn={!!box} />
      ) : (
        <Spread box={box} name={name} />
      )}
    </>
  );
}

function Fields({ box }: { box: Box }) {
  const { run } = useSeen();
  const frame = useFrame();
  const [x0, y0, x1, y1] = box;
  const told = useQuery({
    queryKey: ["box", run.id, frame.id, box],
    queryFn: () => api.box(run.id, { frame: frame.id, x0, y0, x1, y1 }),
    placeholderData: keepPreviousData,
  });
  return (
    <>
      <Faults error={told.error} />
      <div className="scroll flex-1">
        <FieldNumbers
          values={told.data?.values ?? {}}
          over="Over volume"
          keep={(n, label) => (
            <KeepReadout
              short
              label={`${label}, mean in a box`}
              readout={{ kind: "mean", field: n, ...typed(box) }}
            />
          )}
        />
      </div>
      {told.data && Object.keys(told.data.values).length === 0 && (
        <p className="px-2.5 py-2 text-ink3">Nothing of this box is open.</p>
      )}
      {told.data && (
        <Foot
          words={`${show(told.data.volume * 1e6, 4)} ml open`}
          onCsv={() => tableOf("box", told.data.values)}
        />
      )}
    </>
  );
}

/** Mean, ends and integral of every field, as a table. */
export function FieldNumbers({
  values,
  over,
  keep,
}: {
  values: BoxView["values"];
  over: string;
  keep?: (name: string, label: string) => React.ReactNode;
}) {
  return (
    <table className="t">
      <thead>
        <tr>
          <th>Field</th>
          <th className="num">Mean</th>
          <th className="num">Lowest</th>
          <th className="num">Highest</th>
          <th />
          <th className="num">{over}</th>
          <th />
          <th />
        </tr>
      </thead>
      <tbody>
        {Object.entries(values).map(([n, v]) => (
          <tr key={n}>
            <td>{v.label}</td>
            <td className="num" data-testid={`box-mean-${n}`}>
              {show(v.mean, 4)}
            </td>
            <td className="num">{show(Math.abs(v.low) < 1e-9 * Math.abs(v.high) ? 0 : v.low, 4)}</td>
            <td className="num">{show(v.high, 4)}</td>
            <td className="u">{v.unit}</td>
            <td className="num" data-testid={`box-total-${n}`}>
              {show(v.total, 4)}
            </td>
            <td className="u">{v.total_unit}</td>
            <td>{keep?.(n, v.label)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

export function tableOf(name: string, values: BoxView["values"]): void {
  const rows = Object.entries(values);
  handTable(
    name,
    ["field", "mean", "lowest", "highest", "unit", "total", "total unit"],
    [
      rows.map(([n]) => n),
      rows.map(([, v]) => v.mean),
      rows.map(([, v]) => v.low),
      rows.map(([, v]) => v.high),
      rows.map(([, v]) => v.unit),
      rows.map(([, v]) => v.total),
      rows.map(([, v]) => v.total_unit),
    ],
  );
}

function Sides({ box, drawn }: { box: Box; drawn: boolean }) {
  const { run } = useSeen();
  const [x0, y0, x1, y1] = box;
  const told = useQuery({
    queryKey: ["balance", run.id, run.status, box],
    queryFn: () => api.boxBalance(run.id, { x0, y0, x1, y1 }),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const rows = Object.entries(told.data?.balance ?? {}),
    sides = ["left", "right", "bottom", "top"];
  const nil = (v: number, b: (typeof rows)[number][1]) =>
    Math.abs(v) < 1e-9 * Math.max(...Object.values(b.inflow), ...Object.values(b.outflow), b.given, b.taken)
      ? 0
      : v; // round-off
  const net = (b: (typeof rows)[number][1], side: string) => (b.inflow[side] ?? 0) - (b.outflow[side] ?? 0);
  const fell = told.data?.box ?? [];
  return (
    <>
      <Faults error={told.error} />
      <div className="scroll flex-1">
        <table className="t tight">
          <thead>
            <tr>
              <th>In through</th>
              {sides.map((s) => (
                <th key={s} className="num">
                  {s}
                </th>
              ))}
              <th className="num" title="by edges, walls and sources in the box">
                within
              </th>
              <th className="num">{told.data?.rests ? "gap" : "stored"}</th>
              <th />
              <th />
            </tr>
          </thead>
          <tbody>
            {rows.map(([q, b]) => (
              <tr key={q}>
                <td>{q.replace(/_/g, " ")}</td>
                {sides.map((s) => (
                  <td key={s} className="num" data-testid={`side-${q}-${s}`}>
                    {show(net(b, s), 3)}
                  </td>
                ))}
                <td className="num">{show(nil(b.given - b.taken, b), 3)}</td>
                <td
                  className={`num ${told.data?.rests ? (b.relative < 1e-6 ? "text-verdigris" : "text-copper") : ""}`}
                >
                  {b.relative < 1e-9 && !told.data?.rests ? "0" : show(b.left, 3)}
                </td>
                <td className="u">{b.unit}</td>
                <td>
                  {drawn && (
                    <KeepReadout
                      short
                      label={`${q.replace(/_/g, " ")} out of a box`}
                      readout={{ kind: "through", quantity: q, ...typed(box) }}
                    />
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        {told.data && !rows.length && (
          <p className="px-2.5 py-2 text-ink3">Nothing that this run balances tells what passes inside.</p>
        )}
      </div>
      {rows.length > 0 && (
        <Foot
          words={`at the end of the run; sides on grid lines ${fell.map((v) => mm(v)).join(", ")} mm`}
          onCsv={() =>
            handTable(
              "box-sides",
              [
                "quantity",
                ...sides.map((s) => `in through ${s}`),
                "edges and sources",
                told.data!.rests ? "gap" : "stored",
                "unit",
              ],
              [
                rows.map(([q]) => q),
                ...sides.map((s) => rows.map(([, b]) => net(b, s))),
                rows.map(([, b]) => b.given - b.taken),
                rows.map(([, b]) => b.left),
                rows.map(([, b]) => b.unit),
              ],
            )
          }
        />
      )}
    </>
  );
}

function Spread({ box, name }: { box: Box | null; name: string }) {
  const { run } = useSeen();
  const frame = useFrame();
  const [bins, setBins] = useState(40);
  const part = box ? { x0: box[0], y0: box[1], x1: box[2], y1: box[3] } : {};
  const told = useQuery({
    queryKey: ["distribution", run.id, frame.id, name, box, bins],
    queryFn: () => api.distribution(run.id, name, { frame: frame.id, bins, ...part }),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const d = told.error ? undefined : told.data;
  const small = (v: number | undefined) =>
    show(v !== undefined && d && Math.abs(v) < 1e-9 * (d.ends[d.ends.length - 1]! - d.ends[0]!) ? 0 : v, 3); // round-off is nought
  const middles = useMemo(() => d?.ends.slice(1).map((v, k) => (v + d.ends[k]!) / 2) ?? [], [d]);
  const lines = useMemo(
    () =>
      d
        ? [
            { label: "share of the volume per bin", values: d.share },
            { label: "share up to here", values: d.below.slice(1) },
          ]
        : [],
    [d],
  );
  return (
    <>
      <Faults error={told.error} />
      {d && (
        <>
          <div className="grid min-h-[100px] flex-1">
            <Plot
              x={middles}
              lines={lines}
              xLabel={`${d.label}, ${d.unit || "plain number"}`}
              unit="share of the volume"
            />
          </div>
          <p
            className="flex-none px-2.5 pb-1 text-[11.5px] text-ink2"
            data-testid="distribution-numbers"
          >{`mean ${show(d.mean, 4)}, deviation ${show(d.deviation, 3)} ${d.unit}; 10 % of the volume below ${small(d.quantiles["10"])}, half below ${small(d.quantiles["50"])}, 90 % below ${small(d.quantiles["90"])}`}</p>
          <div className="flex flex-none items-center gap-2 border-t border-hair px-2.5 py-1 text-[12px] text-ink2">
            <span className="flex items-center gap-1.5">
              bins
              <Choose
                toolbar
                label="Bins"
                className="in !h-[22px] w-[58px]"
                value={String(bins)}
                onChoose={(to) => setBins(Number(to))}
                options={named(["10", "20", "40", "80", "160"])}
              />
            </span>
            <span className="ml-auto flex gap-1.5">
              <KeepReadout
                label={`${d.label}, deviation${box ? " in a box" : ""}`}
                readout={{ kind: "spread", field: name, ...(box ? typed(box) : { place: "space" }) }}
              />
              <button
                type="button"
                className="btn small"
                onClick={() =>
                  handTable(
                    `${name}-distribution`,
                    [`from [${d.unit || "1"}]`, "to", "share of the volume", "share up to there"],
                    [d.ends.slice(0, -1), d.ends.slice(1), d.share, d.below.slice(1)],
                  )
                }
              >
                CSV
              </button>
            </span>
          </div>
        </>
      )}
    </>
  );
}

function Foot({ words, onCsv }: { words: string; onCsv: () => void }) {
  return (
    <p className="flex flex-none items-center gap-2 border-t border-hair px-2.5 py-1 text-[11.5px] text-ink3">
      {words}
      <button type="button" className="btn small ml-auto" onClick={onCsv}>
        CSV
      </button>
    </p>
  );
}

/** The box on the picture, or the corner begun and where the pointer is. */
export function BoxMark({ f, box }: { f: Fit; box: Box }) {
  const [x0, y0, x1, y1] = [
    Math.min(box[0], box[2]),
    Math.min(box[1], box[3]),
    Math.max(box[0], box[2]),
    Math.max(box[1], box[3]),
  ];
  const at = {
    x: f.X(x0),
    y: f.Y(y1),
    width: Math.max(1, f.X(x1) - f.X(x0)),
    height: Math.max(1, f.Y(y0) - f.Y(y1)),
  };
  return (
    <g>
      <rect {...at} fill="none" stroke="var(--enamel)" strokeWidth={3} opacity={0.85} />
      <rect {...at} fill="none" stroke="var(--soot)" strokeWidth={1.4} strokeDasharray="6 3" />
    </g>
  );
}
