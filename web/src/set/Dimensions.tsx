import type { CaseView } from "../client/views";
import type { Fit } from "../drawing/fit";

/** Dimension lines with slash ticks. A number is a field: a click edits where it is typed. */
export function Dimensions({ view, f, onSize }: { view: CaseView; f: Fit; onSize: (path: string[]) => void }) {
  const [x0, y0] = view.sheet.drawn;
  const bottom = f.Y(y0), left = f.X(x0);
  let across = 0, up = 0;
  return <>{view.sheet.dimensions.map((d) => {
    const [ax, ay, bx, by] = [f.X(d.from[0]), f.Y(d.from[1]), f.X(d.to[0]), f.Y(d.to[1])];
    const key = d.path.join("/");
    const pick = { className: "n dimtext", role: "button", tabIndex: -1, onClick: () => onSize(d.path) };
    if (d.axis === "x") {
      const y = bottom + 62 + 20 * across++;
      return (
        <g key={key}>
          <path className="thin" d={`M${ax} ${ay + 10}V${y + 5}M${bx} ${by + 10}V${y + 5}M${ax - 5} ${y}H${bx + 5}`} strokeOpacity={0.8} />
          <path className="tickmark" d={`M${ax - 3} ${y + 3}l6 -6M${bx - 3} ${y + 3}l6 -6`} />
          <text x={(ax + bx) / 2} y={y - 4} textAnchor="middle" {...pick}>{d.text}<title>{d.typed}</title></text>
        </g>
      );
    }
    if (d.axis === "y") {
      const x = left - 30 - 22 * up++;
      return (
        <g key={key}>
          <path className="thin" d={`M${ax - 10} ${ay}H${x - 5}M${ax - 10} ${by}H${x - 5}M${x} ${ay + 5}V${by - 5}`} strokeOpacity={0.8} />
          <path className="tickmark" d={`M${x - 3} ${ay + 3}l6 -6M${x - 3} ${by + 3}l6 -6`} />
          <text transform={`translate(${x - 4} ${(ay + by) / 2}) rotate(-90)`} textAnchor="middle" {...pick}>{d.text}<title>{d.typed}</title></text>
        </g>
      );
    }
    return null;
  })}</>;
}
