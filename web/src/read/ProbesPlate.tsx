import { useQueries } from "@tanstack/react-query";
import { useMemo } from "react";
import { api } from "../client";
import { show } from "../drawing/number";
import { Plot } from "../parts/Plot";
import { handTable } from "../parts/saving";
import { KeepReadout } from "./KeepReadout";
import { axisOf, legsOf } from "./legs";
import { useReadingOf } from "./reading";
import { useFrame, useSeen } from "./useField";

/** Pinned places, and a field there over the frames. */
export function ProbesPlate({ name }: { name: string }) {
  const { run, frames } = useSeen();
  const frame = useFrame();
  const { pins, change } = useReadingOf("pins", "change");
  const info = frames.fields[name]!;
  const told = useQueries({
    queries: pins.map((p) => ({
      queryKey: ["point", run.id, run.frames, name, p],
      queryFn: () => api.point(run.id, name, p[0], p[1]),
      retry: false,
    })),
  });
  const found = told.map((t) => t.data),
    first = found.find((h) => h),
    x = first?.time ?? [];
  const mark = found.map((h) => h?.value.length ?? 0).join() + name;
  // biome-ignore lint/correctness/useExhaustiveDependencies: answers are new arrays each time: the mark tells them apart
  const drawn = useMemo(() => {
    const legs = found.flatMap((h, k) => (h ? [legsOf(`${k + 1}`, h.time, h.value)] : []));
    return { x: legs[0]?.x ?? [], lines: legs.flatMap((l) => l.lines) };
  }, [mark, pins]);
  const here = (k: number) => {
    const h = found[k];
    if (!h) return null;
    if (h.axis.name !== "time") {
      const leg = frames.frames.filter((f) => f.stage === frame.stage); // as they were applied
      return h.value[Math.floor((leg.indexOf(frame) / leg.length) * h.value.length)] ?? null;
    }
    const n = h.time.reduce(
      (b, t, i) => (Math.abs(t - frame.value) < Math.abs(h.time[b]! - frame.value) ? i : b),
      0,
    );
    return h.value[n] ?? null;
  };
  if (!pins.length) {
    return (
      <div className="flex flex-1 flex-col items-start gap-2 p-3 text-ink2">
        <p>Pin up to five places to follow a field there through all frames.</p>
        <button type="button" className="btn small" onClick={() => change({ tool: "pin" })}>
          Pin a place <kbd>P</kbd>
        </button>
      </div>
    );
  }
  return (
    <>
      {x.length > 1 && (
        <div className="grid min-h-[90px] flex-1">
          <Plot x={drawn.x} lines={drawn.lines} xLabel={axisOf(first!.axis)} unit={info.unit} />
        </div>
      )}
      <div className="scroll max-h-[45%] flex-none">
        <table className="t">
          <thead>
            <tr>
              <th>Probe</th>
              <th className="num">x, mm</th>
              <th className="num">y, mm</th>
              <th className="num">{info.label}</th>
              <th />
              <th />
            </tr>
          </thead>
          <tbody>
            {pins.map((p, k) => (
              <tr key={k}>
                <td>
                  <span className="balloon">{k + 1}</span>
                </td>
                <td className="num">{show(p[0] * 1e3, 4)}</td>
                <td className="num">{show(p[1] * 1e3, 4)}</td>
                <td className="num" data-testid={`pin-${k + 1}`}>
                  {found[k] && here(k) === null ? "closed" : show(here(k), 4)}
                </td>
                <td className="u">{info.unit}</td>
                <td className="whitespace-nowrap">
                  <KeepReadout
                    short
                    label={`${info.label} at probe ${k + 1}`}
                    readout={{
                      kind: "point",
                      field: name,
                      x: `${Number((p[0] * 1e3).toPrecision(6))} mm`,
                      y: `${Number((p[1] * 1e3).toPrecision(6))} mm`,
                    }}
                  />
                  <button
                    type="button"
                    className="btn quiet small"
                    onClick={() => change({ pins: pins.filter((_, n) => n !== k) })}
                  >
                    Drop
                  </button>
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p className="flex flex-none items-center gap-2 border-t border-hair px-2.5 py-1 text-[11.5px] text-ink3">
        at the frame nearest to the one shown
        <span className="ml-auto flex gap-1.5">
          <button
            type="button"
            className="btn small"
            disabled={pins.length >= 5}
            onClick={() => change({ tool: "pin" })}
          >
            Pin another <kbd>P</kbd>
          </button>
          <button
            type="button"
            className="btn small"
            disabled={!x.length}
            onClick={() =>
              handTable(
                `${name}-probes`,
                [
                  `${first!.axis.name} [${first!.axis.unit || "1"}]`,
                  ...pins.map((p, k) =>
                    `${name} [${info.unit || "1"}] at ${k + 1} (${show(p[0] * 1e3, 4)}; ${show(p[1] * 1e3, 4)} mm)`.replace(
                      /,/g,
                      "",
                    ),
                  ),
                ],
                [x, ...found.map((h) => h?.value ?? [])],
              )
            }
          >
            CSV
          </button>
        </span>
      </p>
    </>
  );
}
