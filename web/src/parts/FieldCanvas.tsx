import { useEffect, useRef } from "react";
import type { FieldData } from "../client/views";
import type { Scale } from "../drawing/colour";
import { evenNodes, paint } from "../drawing/painter";

/** A field painted to fill its box; without grid lines the cells are taken as even. */
export function FieldCanvas({
  field,
  x,
  y,
  scale,
  width,
  height,
  label,
}: {
  field: FieldData | null | undefined;
  x?: number[];
  y?: number[];
  scale: Scale;
  width: number;
  height: number;
  label: string;
}) {
  const ref = useRef<HTMLCanvasElement>(null);
  const w = Math.max(1, Math.round(width)),
    h = Math.max(1, Math.round(height));
  useEffect(() => {
    const canvas = ref.current;
    if (!canvas || !field) return;
    const context = canvas.getContext("2d");
    const nodes = { x: x ?? evenNodes(field.columns, 0, 1), y: y ?? evenNodes(field.rows, 0, 1) };
    context?.putImageData(paint({ ...field, ...nodes }, scale, w, h), 0, 0);
  }, [field, x, y, scale, w, h]);
  return (
    <canvas ref={ref} width={w} height={h} style={{ width: w, height: h }} role="img" aria-label={label} />
  );
}
