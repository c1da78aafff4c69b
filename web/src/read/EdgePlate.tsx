import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { api } from "../client";
import { show } from "../drawing/number";
import { Choose, named } from "../parts/Choose";
import { Faults } from "../parts/Faults";
import { Plot } from "../parts/Plot";
import { FieldNumbers, tableOf } from "./BoxPlate";
import { KeepReadout } from "./KeepReadout";
import { MeasuredButton, Misfit, useLaid } from "./Laid";
import { useReadingOf } from "./reading";
import { useFrame, useSeen } from "./useField";

/** An edge: what passes it place by place, or its means and integrals as a whole. */
export function EdgePlate() {
  const { view } = useSeen();
  const { wall, change } = useReadingOf("wall", "change");
  const [whole, setWhole] = useState(false);
  const walled = view.wall_quantities[0];
  const given = view.ledger.rows.find(
    (r) =>
      r.on === "edge" &&
      view.sheet.edges[r.place]?.line === "wall" &&
      Object.entries(r.cells).some(
        ([c, cell]) => (c === walled || c.endsWith(`.${walled}`)) && cell.state === "given",
      ),
  );
  const [edge, quantity] = wall ?? [given?.place ?? view.places.edges[0] ?? "", walled ?? ""];
  const asWhole = whole || !walled;
  return (
    <>
      <div className="flex flex-none flex-wrap items-center gap-x-2 gap-y-1 px-2.5 pt-1.5 text-[12px] text-ink2">
        <Choose
          toolbar
          className="in !h-[23px] !w-auto"
          label="Wall"
          value={edge}
          onChoose={(to) => change({ wall: [to, quantity] })}
          options={named(view.places.edges)}
        />
        <button
          type="button"
          className={`btn small ${asWhole ? "quiet" : "on"}`}
          aria-pressed={!asWhole}
          disabled={!walled}
          onClick={() => setWhole(false)}
        >
          Along it
        </button>
        <button
          type="button"
          className={`btn small ${asWhole ? "on" : "quiet"}`}
          aria-pressed={asWhole}
          onClick={() => setWhole(true)}
        >
          As a whole
        </button>
        {!asWhole && view.wall_quantities.length > 1 && (
          <Choose
            toolbar
            className="in !h-[23px] !w-auto"
            label="Quantity along the wall"
            value={quantity}
            onChoose={(to) => change({ wall: [edge, to] })}
            options={named(view.wall_quantities)}
          />
        )}
      </div>
      {asWhole ? <Whole edge={edge} /> : <Along edge={edge} quantity={quantity} />}
    </>
  );
}

function Along({ edge, quantity }: { edge: string; quantity: string }) {
  const { view, run } = useSeen();
  const frame = useFrame();
  const numbers = Object.entries(view.data.readouts ?? {}).filter(
    ([, r]) => r.kind === "transfer" && r.quantity === quantity && r.place === edge,
  );
  const [asked, setAsked] = useState("");
  const number = numbers.find(([n]) => n === asked);
  const query = { frame: frame.id, quantity, edge, readout: number ? asked : "" };
  const wall = useQuery({
    queryKey: ["wall", run.id, query],
    queryFn: () => api.wall(run.id, query),
    placeholderData: keepPreviousData,
    retry: false,
  });
  const w = wall.error ? undefined : wall.data;
  const says = number
    ? String(number[1].label ?? asked.replace(/_/g, " "))
    : `${quantity.replace(/_/g, " ")} into the vessel`;
  const lines = useMemo(() => (w ? [{ label: says, values: w.value }] : []), [w, says]);
  const curve = useMemo(() => (w ? { x: w.distance, y: w.value, xUnit: "mm", yUnit: w.unit } : null), [w]);
  const over = `edge ${edge} ${quantity} ${asked}`,
    laid = useLaid(over, curve);
  const known = w?.value.filter((v): v is number => v !== null) ?? [];
  return (
    <>
      <div className="px-2.5">
        <Faults error={wall.error} />
      </div>
      {w && known.length > 0 ? (
        <>
          <div className="grid min-h-[100px] flex-1">
            <Plot
              x={w.distance}
              lines={lines}
              xLabel={`along ${edge.replace(/_/g, " ")}, mm`}
              unit={w.unit}
              points={laid.points}
            />
          </div>
          <Misfit {...laid} />
          <p className="flex flex-none items-center gap-2 px-2.5 pb-1 text-[11.5px] text-ink3">
            <span data-testid="wall-numbers">{`${known.length} places, ${show(Math.min(...known), 4)} to ${show(Math.max(...known), 4)} ${w.unit} ${number ? "" : "into the vessel"}`}</span>
            <span className="ml-auto flex gap-1.5">
              {numbers.length > 0 && (
                <Choose
                  toolbar
                  className="in !h-[22px] !w-auto"
                  label="What is shown along the wall"
                  value={number ? asked : ""}
                  onChoose={(to) => setAsked(to)}
                  options={[
                    { value: "", label: "flux" },
                    ...numbers.map(([n, r]) => ({
                      value: n,
                      label: String(r.label ?? n.replace(/_/g, " ")),
                    })),
                  ]}
                />
              )}
              <MeasuredButton over={over} />
              <a className="btn small" href={api.exportUrl(run.id, "wall", query)} download="wall.csv">
                CSV
              </a>
            </span>
          </p>
        </>
      ) : (
        !wall.error && (
          <p className="p-3 text-ink2">
            {wall.isPending
              ? "Reading the wall"
              : "Nothing is spread through this edge: it is sealed, or only a stream passes it."}
          </p>
        )
      )}
    </>
  );
}

function Whole({ edge }: { edge: string }) {
  const { run } = useSeen();
  const frame = useFrame();
  const told = useQuery({
    queryKey: ["edge", run.id, frame.id, edge],
    queryFn: () => api.edge(run.id, frame.id, edge),
    placeholderData: keepPreviousData,
    retry: false,
    enabled: !!edge,
  });
  const passed = Object.entries(told.data?.passed ?? {}).filter(([, p]) => p.out !== 0);
  return (
    <>
      <Faults error={told.error} />
      <div className="scroll flex-1">
        {told.data && (
          <FieldNumbers
            values={told.data.values}
            over="Over area"
            keep={(n, label) => (
              <KeepReadout
                short
                label={`${label}, mean on ${edge.replace(/_/g, " ")}`}
                readout={{ kind: "mean", field: n, place: edge }}
              />
            )}
          />
        )}
        {told.data && Object.keys(told.data.values).length === 0 && (
          <p className="px-2.5 py-2 text-ink3">No open cell lies beside this edge.</p>
        )}
      </div>
      {told.data && (
        <p className="flex flex-none flex-wrap items-center gap-x-3 border-t border-hair px-2.5 py-1 text-[11.5px] text-ink3">
          <span>{`${show(told.data.area * 1e4, 4)} cm2`}</span>
          {passed.map(([q, p]) => (
            <span
              key={q}
            >{`${q.replace(/_/g, " ")}: ${show(Math.abs(p.out), 4)} ${p.unit} ${p.out > 0 ? "out" : "in"}`}</span>
          ))}
          <button
            type="button"
            className="btn small ml-auto"
            onClick={() => tableOf(`edge-${edge}`, told.data.values)}
          >
            CSV
          </button>
        </p>
      )}
    </>
  );
}
