import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api } from "../client";
import type { Box, FrameView, RunView } from "../client/views";
import type { Fit } from "../drawing/fit";
import { show } from "../drawing/number";
import { Faults } from "../parts/Faults";

/** Mean, extremes and integral of every field in a drawn box. */
export function BoxPlate({ run, frame, box, onClear }: { run: RunView; frame: FrameView; box: Box; onClear: () => void }) {
  const [x0, y0, x1, y1] = box;
  const told = useQuery({ queryKey: ["box", run.id, frame.id, box], queryFn: () => api.box(run.id, { frame: frame.id, x0, y0, x1, y1 }), placeholderData: keepPreviousData });
  const mm = (v: number) => show(v * 1e3, 4);
  return (
    <section className="plate min-h-[160px] flex-1" aria-label="Box">
      <header>Box <small>{`${mm(Math.abs(x1 - x0))} x ${mm(Math.abs(y1 - y0))} mm at ${mm(Math.min(x0, x1))}, ${mm(Math.min(y0, y1))}${told.data ? `; ${show(told.data.volume * 1e6, 4)} ml open` : ""}`}</small><span className="r"><button className="btn quiet small" onClick={onClear}>Esc</button></span></header>
      <Faults error={told.error} />
      <div className="scroll">
        <table className="t">
          <thead><tr><th>Field</th><th className="num">Mean</th><th className="num">Lowest</th><th className="num">Highest</th><th /><th className="num">Over volume</th><th /></tr></thead>
          <tbody>
            {Object.entries(told.data?.values ?? {}).map(([n, v]) => (
              <tr key={n}><td>{v.label}</td><td className="num" data-testid={`box-mean-${n}`}>{show(v.mean, 4)}</td><td className="num">{show(Math.abs(v.low) < 1e-9 * Math.abs(v.high) ? 0 : v.low, 4)}</td><td className="num">{show(v.high, 4)}</td><td className="u">{v.unit}</td><td className="num" data-testid={`box-total-${n}`}>{show(v.total, 4)}</td><td className="u">{v.total_unit}</td></tr>
            ))}
          </tbody>
        </table>
        {told.data && Object.keys(told.data.values).length === 0 && <p className="px-2.5 py-2 text-ink3">Nothing of this box is open.</p>}
      </div>
    </section>
  );
}

/** The box on the picture, or the corner begun and where the pointer is. */
export function BoxMark({ f, box }: { f: Fit; box: Box }) {
  const [x0, y0, x1, y1] = [Math.min(box[0], box[2]), Math.min(box[1], box[3]), Math.max(box[0], box[2]), Math.max(box[1], box[3])];
  const at = { x: f.X(x0), y: f.Y(y1), width: Math.max(1, f.X(x1) - f.X(x0)), height: Math.max(1, f.Y(y0) - f.Y(y1)) };
  return <g><rect {...at} fill="none" stroke="var(--enamel)" strokeWidth={3} opacity={0.85} /><rect {...at} fill="none" stroke="var(--soot)" strokeWidth={1.4} strokeDasharray="6 3" /></g>;
}
