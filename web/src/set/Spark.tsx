import type { Curve } from "../client/views";
import { show } from "../drawing/number";

const [WIDE, HIGH] = [176, 46];

/** A curve without a frame of its own: lowest and highest value, and what it runs along. */
export function Spark({ curve, label }: { curve: Curve; label: string }) {
  const known = curve.values.filter((v): v is number => v !== null);
  const [low, high] = [Math.min(...known), Math.max(...known)];
  const [a, b] = [curve.at[0]!, curve.at[curve.at.length - 1]!];
  const X = (v: number) => 2 + ((WIDE - 4) * (v - a)) / (b - a || 1),
    Y = (v: number) => 4 + (HIGH - 8) * (1 - (v - low) / (high - low || 1));
  return (
    <figure className="col-start-2 m-0">
      <svg
        viewBox={`0 0 ${WIDE} ${HIGH}`}
        className="w-full rounded border border-hair2 bg-well"
        role="img"
        aria-label={`${label} from ${show(low, 3)} to ${show(high, 3)} ${curve.unit}`}
      >
        <path
          d={curve.at
            .map((t, k) =>
              curve.values[k] === null
                ? ""
                : `${k && curve.values[k - 1] !== null ? "L" : "M"}${X(t).toFixed(1)} ${Y(curve.values[k]!).toFixed(1)}`,
            )
            .join("")}
          fill="none"
          stroke="var(--copperfill)"
          strokeWidth="1.5"
        />
      </svg>
      <figcaption className="num flex justify-between gap-2 text-[10.5px] text-ink3">
        <span>{`${show(low, 3)} to ${show(high, 3)} ${curve.unit}`}</span>
        <span>{`${curve.axis === "temperature" ? "" : `${curve.axis} `}${show(a, 3)} to ${show(b, 3)} ${curve.axis_unit}`}</span>
      </figcaption>
    </figure>
  );
}
