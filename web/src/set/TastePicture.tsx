import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../client";
import type { CaseView } from "../client/views";
import type { Fit } from "../drawing/fit";
import { show } from "../drawing/number";
import { Choose } from "../parts/Choose";
import { FieldCanvas } from "../parts/FieldCanvas";
import type { Tasting } from "./useTaste";

/** A taste painted under the sheet's lines. */
export function TastePicture({
  view,
  tasting,
  name,
  f,
}: {
  view: CaseView;
  tasting: Tasting;
  name: string;
  f: Fit;
}) {
  const taste = tasting.taste!;
  const field = useTasteField(view, tasting, name);
  if (!field || !taste.x.length) return null;
  const [x0, x1] = [taste.x[0]!, taste.x[taste.x.length - 1]!],
    [y0, y1] = [taste.y[0]!, taste.y[taste.y.length - 1]!];
  return (
    <div className="absolute opacity-80" style={{ left: f.X(x0), top: f.Y(y1) }}>
      <FieldCanvas
        field={field}
        x={taste.x}
        y={taste.y}
        scale={{
          low: field.low,
          high: field.high,
          steps: 64,
          reversed: false,
          centred: !!view.fields[name]?.centred,
        }}
        width={f.X(x1) - f.X(x0)}
        height={f.Y(y0) - f.Y(y1)}
        label={`taste: ${name}`}
      />
    </div>
  );
}

function useTasteField(view: CaseView, tasting: Tasting, name: string) {
  const key = tasting.taste ? `${tasting.taste.seconds} ${tasting.taste.cells}` : "";
  return (
    useQuery({
      queryKey: ["taste", view.id, view.variant, name, key],
      queryFn: () => api.tasteField(view.id, name),
      enabled: !!name,
      gcTime: 5000,
    }).data ?? null
  );
}

/** What is being tasted, how coarse it is, and which field is seen. */
export function TasteStrip({
  view,
  tasting,
  name,
  onName,
}: {
  view: CaseView;
  tasting: Tasting;
  name: string;
  onName: (name: string) => void;
}) {
  const [more, setMore] = useState(false);
  const { taste, busy } = tasting;
  const field = useTasteField(view, tasting, taste?.fields.length ? name : "");
  return (
    <div
      className={`flex min-h-[30px] flex-none items-center gap-x-2 gap-y-0.5 border-b border-dashed border-copperfill bg-enamel px-2.5 py-1 text-[12px] ${more ? "flex-wrap" : "h-[30px]"}`}
      role="status"
      aria-label="Taste"
    >
      <b className="cap text-copper">Taste</b>
      {!taste && !busy && (
        <span className="text-ink3">a coarse solve of three seconds at most, here on the sheet</span>
      )}
      {busy && <span className="text-ink2">solving on a coarse grid, three seconds at most</span>}
      {taste && !busy && (
        <>
          {taste.fields.length > 0 && (
            <>
              <Choose
                className="in h-[21px] !w-auto max-w-[150px] flex-none"
                label="Field of the taste"
                value={name}
                onChoose={(to) => onName(to)}
                options={taste.fields.map((n) => ({ value: n, label: view.fields[n]?.label ?? n }))}
              />
              {field && (
                <span className="num whitespace-nowrap">{`${show(field.low, 3)} (dark) to ${show(field.high, 3)} (pale) ${field.unit ?? ""}`}</span>
              )}
            </>
          )}
          <button
            type="button"
            className="cursor-pointer whitespace-nowrap text-left text-ink2 underline decoration-dotted underline-offset-2"
            aria-expanded={more}
            onClick={() => setMore(!more)}
          >
            {taste.status === "failed"
              ? "it did not come off"
              : `not a run: ${taste.status}, ${show(taste.seconds, 2)} s`}
          </button>
          <button
            type="button"
            className="btn quiet small"
            aria-label="Put the taste away"
            onClick={tasting.clear}
          >
            Esc
          </button>
          {(more || taste.status !== "settled") && (
            <span className={more ? "basis-full text-ink3" : "min-w-0 truncate text-ink3"} title={taste.says}>
              {taste.says}
            </span>
          )}
        </>
      )}
    </div>
  );
}
