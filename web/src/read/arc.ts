import type { Fit } from "../drawing/fit";
import type { Section } from "./reading";

/** A section on the sheet: a straight line, or the shorter arc of its radius, to the left of the way where positive. */
export function arcPath(s: Section, f: Fit): string {
  const ends = `M${f.X(s.x0)} ${f.Y(s.y0)}`;
  if (!s.radius) return `${ends}L${f.X(s.x1)} ${f.Y(s.y1)}`;
  const r = Math.abs(s.radius);
  return `${ends}A${r * f.scale} ${r * f.tall} 0 0 ${s.radius > 0 ? 1 : 0} ${f.X(s.x1)} ${f.Y(s.y1)}`;
}
