import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { api } from "../client";
import { show } from "../drawing/number";
import { Faults } from "../parts/Faults";
import { Plot } from "../parts/Plot";
import { KeepReadout } from "./KeepReadout";
import { MeasuredButton, Misfit, useLaid } from "./Laid";
import { useReadingOf } from "./reading";
import { useFrame, useSeen } from "./useField";

const point = (x: number, y: number) => `(${show(x * 1e3, 3)}, ${show(y * 1e3, 3)})`;

/** A field along a straight or bent section. */
export function SectionPlate({ name }: { name: string }) {
  const { run, frames, view } = useSeen();
  const frame = useFrame();
  const { section, change } = useReadingOf("section", "change");
  const info = frames.fields[name]!;
  const query = { frame: frame.id, name, ...(section ?? { x0: 0, y0: 0, x1: 0, y1: 0, radius: 0 }) };
  const profile = useQuery({
    queryKey: ["profile", run.id, query],
    queryFn: () => api.profile(run.id, query),
    enabled: !!section,
    placeholderData: keepPreviousData,
    retry: false,
  });
  const p = profile.error ? undefined : profile.data;
  const lines = useMemo(() => (p ? [{ label: info.label, values: p.value }] : []), [p, info.label]);
  const curve = useMemo(() => (p ? { x: p.distance, y: p.value, xUnit: "mm", yUnit: p.unit } : null), [p]);
  const laid = useLaid(`section ${name}`, section ? curve : null);
  if (!section) {
    const [x0, y0, x1, y1] = view.sheet.box;
    return (
      <div className="flex flex-1 flex-col items-start gap-2 p-3 text-ink2">
        <p>Draw a section across the picture to see its profile: press S, click one end, then the other.</p>
        <button
          type="button"
          className="btn small"
          onClick={() =>
            change({ section: { x0: x0 + 0.9 * (x1 - x0), y0, x1: x0 + 0.9 * (x1 - x0), y1, radius: 0 } })
          }
        >
          Section near the right end
        </button>
      </div>
    );
  }
  const values = p?.value.filter((v): v is number => v !== null) ?? [];
  return (
    <>
      <div className="flex flex-none flex-wrap items-center gap-x-2 gap-y-1 px-2.5 pt-1.5 text-[12px] text-ink2">
        <span>{`A–A from ${point(section.x0, section.y0)} to ${point(section.x1, section.y1)} mm`}</span>
        <Radius />
        <span className="ml-auto flex gap-1.5">
          {p && (
            <KeepReadout
              label={`${info.label}, mean along a section`}
              readout={{ kind: "mean", field: name, ...p.drawn }}
            />
          )}
          <MeasuredButton over={`section ${name}`} />
          <a className="btn small" href={api.exportUrl(run.id, "profile", query)} download="profile.csv">
            CSV
          </a>
        </span>
      </div>
      <div className="px-2.5">
        <Faults error={profile.error} />
      </div>
      {p && (
        <>
          <div className="grid min-h-[110px] flex-1">
            <Plot
              x={p.distance}
              lines={lines}
              xLabel="along the section, mm"
              unit={p.unit}
              points={laid.points}
            />
          </div>
          <Misfit {...laid} />
          <p
            className="flex-none px-2.5 pb-1 text-[11.5px] text-ink3"
            data-testid="profile-numbers"
          >{`${values.length} values, ${show(Math.min(...values), 4)} to ${show(Math.max(...values), 4)} ${p.unit}`}</p>
        </>
      )}
    </>
  );
}

/** How a section is bent: the radius of an arc between its ends. */
function Radius() {
  const { section, change } = useReadingOf("section", "change");
  const shown = section?.radius ? show(section.radius * 1e3, 4).replace("−", "-") : "";
  const [text, setText] = useState(shown);
  useEffect(() => setText(shown), [shown]);
  const keep = () => {
    const v = text.trim() === "" ? 0 : Number(text.replace(",", "."));
    if (section && Number.isFinite(v)) change({ section: { ...section, radius: v / 1e3 } });
    else setText(shown);
  };
  return (
    <label
      className="flex items-center gap-1"
      title="Of an arc between the ends; a negative one bends to the other side"
    >
      radius
      <input
        className="in !h-[22px] w-[66px] text-right"
        value={text}
        placeholder="straight"
        onChange={(e) => setText(e.target.value)}
        onBlur={keep}
        onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
      />
      mm
    </label>
  );
}
