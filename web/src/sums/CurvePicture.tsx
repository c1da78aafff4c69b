import type { Curve } from "../client/views";
import { show, ticks } from "../drawing/number";

const [WIDE, LEFT, BOTTOM] = [640, 64, 34];
const MANY = 60; // points, beyond which each is a dot

/** A curve with its axes, and points laid over it; `low` for one that stands below another. */
export function CurvePicture({ curve, low: isLow = false }: { curve: Curve; low?: boolean }) {
  const HIGH = isLow ? 130 : 230;
  const points = (curve.points ?? []).filter((p): p is [number, number] => p[0] !== null && p[1] !== null);
  const xs = [...curve.at, ...points.map((p) => p[0])],
    ys = [...curve.values.filter((v): v is number => v !== null), ...points.map((p) => p[1])];
  const [x0, x1] = [Math.min(...xs), Math.max(...xs)],
    low = Math.min(...ys),
    high = Math.max(...ys),
    pad = (high - low || Math.abs(high) || 1) * 0.06;
  const [y0, y1] = [low - pad, high + pad];
  const X = (v: number) => LEFT + ((WIDE - LEFT - 12) * (v - x0)) / (x1 - x0 || 1),
    Y = (v: number) => HIGH - BOTTOM - ((HIGH - BOTTOM - 10) * (v - y0)) / (y1 - y0 || 1);
  const line = curve.at
    .map((t, k) =>
      curve.values[k] === null
        ? ""
        : `${k && curve.values[k - 1] !== null ? "L" : "M"}${X(t).toFixed(1)} ${Y(curve.values[k]!).toFixed(1)}`,
    )
    .join("");
  return (
    <svg
      viewBox={`0 0 ${WIDE} ${HIGH}`}
      className="w-full max-w-[720px] flex-none rounded border border-hair2 bg-well"
      role="img"
      aria-label={`${curve.label ?? "value"} over ${curve.axis}, from ${show(low, 3)} to ${show(high, 3)} ${curve.unit}`}
    >
      {ticks(x0, x1).map((t) => (
        <g key={`x${t}`}>
          <path d={`M${X(t)} 8V${HIGH - BOTTOM}`} stroke="var(--hair2)" />
          <text
            x={X(t)}
            y={HIGH - BOTTOM + 13}
            textAnchor="middle"
            className="num"
            fontSize="10.5"
            fill="var(--ink2)"
          >
            {show(t, 4)}
          </text>
        </g>
      ))}
      {ticks(y0, y1, 4).map((t) => (
        <g key={`y${t}`}>
          <path d={`M${LEFT} ${Y(t)}H${WIDE - 12}`} stroke="var(--hair2)" />
          <text
            x={LEFT - 5}
            y={Y(t) + 3.5}
            textAnchor="end"
            className="num"
            fontSize="10.5"
            fill="var(--ink2)"
          >
            {show(t, 4)}
          </text>
        </g>
      ))}
      {points.map((p, k) => (
        <circle
          key={k}
          cx={X(p[0])}
          cy={Y(p[1])}
          r={points.length > MANY ? 1.7 : 4}
          fill={points.length > MANY ? "var(--soot)" : "var(--well)"}
          stroke={points.length > MANY ? "none" : "var(--soot)"}
          strokeWidth="1.6"
        />
      ))}
      <path d={line} fill="none" stroke="var(--copperfill)" strokeWidth="1.8" />
      <text x={(LEFT + WIDE) / 2} y={HIGH - 6} textAnchor="middle" fontSize="11.5" fill="var(--soot)">
        {[curve.axis, curve.axis_unit].filter(Boolean).join(", ")}
      </text>
      <text
        transform={`translate(12 ${(HIGH - BOTTOM) / 2}) rotate(-90)`}
        textAnchor="middle"
        fontSize="11.5"
        fill="var(--soot)"
      >
        {[curve.label, curve.unit].filter(Boolean).join(", ")}
      </text>
    </svg>
  );
}
