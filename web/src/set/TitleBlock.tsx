import type { CaseView } from "../client/views";
import { show, span } from "../drawing/number";

const shortened = (text: string) => (text.length > 28 ? `${text.slice(0, 27)}…` : text);

/** Bottom right of the sheet: live, and copied along with the picture. */
export function TitleBlock({ view, x, y }: { view: CaseView; x: number; y: number }) {
  const width = 300;
  const cells = view.grid ? view.grid.cells.toLocaleString("en").replace(/,/g, " ") : "–";
  const regimes = view.regimes.slice(0, 4);
  const step = width / Math.max(regimes.length, 1);
  const cost = view.cost ? `${span(view.cost.low)} to ${span(view.cost.high)}` : "–";
  return (
    <g className="tb" transform={`translate(${x - width} ${y - 98})`} data-testid="title-block">
      <rect width={width} height={98} style={{ fill: "var(--enamel)", strokeWidth: 1.4 }} />
      <text className="k" x={6} y={11.5}>
        CASE
      </text>
      <text className="t" x={6} y={28}>
        {shortened([view.name, view.variant.replace(/_/g, " ")].filter(Boolean).join(", "))}
      </text>
      <path d={`M${width - 76} 0V34M0 34H${width}`} />
      <text className="k" x={width - 70} y={11.5}>
        DATE
      </text>
      <text className="v" x={width - 70} y={28}>
        {new Date().toLocaleDateString("en-GB", { day: "numeric", month: "short" })}
      </text>
      <text className="k" x={6} y={45.5}>
        GRID CELLS
      </text>
      <text className="v" x={6} y={60}>
        {cells}
      </text>
      <path d="M82 34V66M178 34V66" />
      <text className="k" x={88} y={45.5}>
        STEPS
      </text>
      <text className="v" x={88} y={60}>
        {view.cost ? `about ${show(view.cost.steps, 2)}` : "–"}
      </text>
      <text className="k" x={184} y={45.5}>
        RUNS FOR
      </text>
      <text className="v" x={184} y={60}>
        {cost}
      </text>
      <path d={`M0 66H${width}`} />
      {regimes.map((r, k) => (
        <g key={r.symbol} transform={`translate(${k * step} 0)`}>
          {k > 0 && <path d="M0 66V98" />}
          <text className="k" x={6} y={77.5}>
            {r.symbol}
          </text>
          <text className="v" x={6} y={92} data-testid={`regime-${r.symbol}`}>
            {show(r.value, 3)}
            {r.unit && ` ${r.unit}`}
            <title>{[r.name, r.note, r.verdict].filter(Boolean).join(", ")}</title>
          </text>
        </g>
      ))}
    </g>
  );
}
