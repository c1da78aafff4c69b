import type { CaseView, Point } from "../client/views";
import { type Fit, ringPath, segmentPath } from "../drawing/fit";

/** What stands in a picture of a vessel: its walls, and thin screens. `moved`: where walls stood then,
 * in a vessel whose parts move. */
export function Walls({
  view,
  f,
  moved,
}: {
  view: Pick<CaseView, "sheet">;
  f: Fit;
  moved?: Point[][] | null | undefined;
}) {
  const screens = Object.values(view.sheet.edges).filter((e) => e.on === "screen");
  return (
    <>
      <path className="wall" d={ringPath(moved ?? view.sheet.rings, f)} />
      {screens.map((e) => (
        <g key={e.label}>
          <path className="screenbed" d={segmentPath(e.segments, f)} />
          <path className="screenline" d={segmentPath(e.segments, f)} />
        </g>
      ))}
    </>
  );
}
