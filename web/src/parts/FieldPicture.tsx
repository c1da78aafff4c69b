import type { PointerEvent, ReactNode } from "react";
import type { CaseView, FieldData } from "../client/views";
import { css, type Scale } from "../drawing/colour";
import { fit, ratio, type Fit } from "../drawing/fit";
import { show, ticks } from "../drawing/number";
import { FieldCanvas } from "./FieldCanvas";
import { useSize } from "./useSize";

const MARGINS = { left: 22, right: 22, top: 30, bottom: 92 };

/** A field on the sheet with its colour bar below; what is laid over it is the caller's. */
export function FieldPicture({ view, field, x, y, scale, unit, label, overlay, onMove, onDown, onLeave, children }: {
  view: CaseView; field: FieldData | null; x?: number[]; y?: number[]; scale: Scale | null; unit: string; label: string;
  overlay: (f: Fit) => ReactNode; onMove?: (x: number, y: number, e: PointerEvent) => void; onDown?: (x: number, y: number) => void;
  onLeave?: () => void; children?: ReactNode;
}) {
  const { ref, width, height } = useSize<HTMLDivElement>();
  const f = fit(view.sheet.box, width, height, MARGINS);
  const [x0, , , y1] = view.sheet.box;
  const at = (e: PointerEvent<SVGSVGElement>): [number, number] => {
    const box = e.currentTarget.getBoundingClientRect();
    return [f.x(e.clientX - box.left), f.y(e.clientY - box.top)];
  };
  return (
    <div ref={ref} className="relative min-h-0 flex-1 bg-well">
      {width > 0 && (
        <>
          <div className="absolute" style={{ left: f.X(x0), top: f.Y(y1) }}>
            {scale && <FieldCanvas field={field} x={x} y={y} scale={scale} width={f.width} height={f.height}
              label={field ? `${label}, ${show(field.low, 3)} to ${show(field.high, 3)} ${unit}` : label} />}
          </div>
          <svg className="dwg" viewBox={`0 0 ${width} ${height}`} onPointerMove={(e) => onMove?.(...at(e), e)} onPointerDown={(e) => onDown?.(...at(e))} onPointerLeave={onLeave} data-testid="picture">
            <defs><pattern id="hatch" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)"><rect width="5" height="5" fill="var(--dip)" /><path d="M0 0V5" stroke="var(--soot)" strokeWidth="1" /></pattern></defs>
            {overlay(f)}
            <ScaleRule f={f} y={height - 66} width={width} />
            {scale && <ColourBar scale={scale} unit={unit} label={label} x={24} y={height - 44} width={width - 48} field={field} />}
          </svg>
          {children}
        </>
      )}
    </div>
  );
}

/** How long a round length is on the picture. */
function ScaleRule({ f, y, width }: { f: Fit; y: number; width: number }) {
  const length = [1e-5, 2e-5, 5e-5, 1e-4, 2e-4, 5e-4, 1e-3, 2e-3, 5e-3, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5].reduce((best, l) => (l * f.scale <= 110 ? l : best), 1e-5);
  const right = width - 24;
  return (
    <g>
      <path className="thin" d={`M${right - length * f.scale} ${y}H${right}M${right} ${y - 4}V${y + 4}M${right - length * f.scale} ${y - 4}V${y + 4}`} />
      <text className="n" x={right - length * f.scale - 6} y={y + 4} textAnchor="end">{`${Number((length * 1e3).toPrecision(3))} mm, drawn ${ratio(f.scale)}`}</text>
    </g>
  );
}

export function ColourBar({ scale, unit, label, x, y, width, field }: { scale: Scale; unit: string; label: string; x: number; y: number; width: number; field: FieldData | null }) {
  const bands = Math.min(scale.steps, 128);
  const slack = 1e-6 * (scale.high - scale.low);
  const at = (v: number) => x + ((v - scale.low) / (scale.high - scale.low || 1)) * width;
  return (
    <g data-testid="colour-bar">
      {Array.from({ length: bands }, (_, k) => <rect key={k} x={x + (k / bands) * width} y={y} width={width / bands + 0.6} height={12} fill={css((k + 0.5) / bands, scale)} />)}
      <rect x={x} y={y} width={width} height={12} fill="none" stroke="var(--soot)" />
      {field && field.high > scale.high + slack && <path d={`M${x + width} ${y}l8 6l-8 6Z`} fill="var(--copperfill)"><title>the field goes higher</title></path>}
      {field && field.low < scale.low - slack && <path d={`M${x} ${y}l-8 6l8 6Z`} fill="var(--copperfill)"><title>the field goes lower</title></path>}
      {ticks(scale.low, scale.high).map((v) => <g key={v}><path className="thin" d={`M${at(v)} ${y + 12}v4`} /><text className="n" x={at(v)} y={y + 27} textAnchor="middle">{show(v, 3)}</text></g>)}
      <text x={x} y={y - 6} style={{ fontWeight: 500 }}>{`${label}${unit ? `, ${unit}` : ""}`}</text>
    </g>
  );
}
