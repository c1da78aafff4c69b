import { useRef } from "react";

const LEAST = 0.15;
const STEP = 0.03;

/** A line between two plates that is dragged, or moved by arrow keys; told is the share of what lies
 * behind it, of the element around both.
 */
export function Divider({
  axis,
  label,
  share,
  first,
  onShare,
}: {
  axis: "x" | "y";
  label: string;
  share: number;
  first: number;
  onShare: (share: number) => void;
}) {
  const line = useRef<HTMLDivElement>(null);
  const keep = (to: number) => onShare(Math.min(1 - LEAST, Math.max(LEAST, to)));
  const at = (e: React.PointerEvent) => {
    const around = line.current!.parentElement!.getBoundingClientRect();
    keep(
      axis === "y" ? (around.bottom - e.clientY) / around.height : (around.right - e.clientX) / around.width,
    );
  };
  const [less, more] = axis === "y" ? ["ArrowDown", "ArrowUp"] : ["ArrowRight", "ArrowLeft"];
  return (
    <div
      ref={line}
      role="separator"
      tabIndex={0}
      aria-label={label}
      aria-orientation={axis === "y" ? "horizontal" : "vertical"}
      aria-valuenow={Math.round(100 * share)}
      aria-valuemin={100 * LEAST}
      aria-valuemax={100 * (1 - LEAST)}
      title="Drag it, or move it by arrow keys; twice to put it back"
      className={`divider ${axis}`}
      onPointerDown={(e) => e.currentTarget.setPointerCapture(e.pointerId)}
      onPointerMove={(e) => e.currentTarget.hasPointerCapture(e.pointerId) && at(e)}
      onDoubleClick={() => keep(first)}
      onKeyDown={(e) => {
        if (e.key === less) keep(share - STEP);
        else if (e.key === more) keep(share + STEP);
        else if (e.key === "Home") keep(first);
        else return;
        e.preventDefault();
        e.stopPropagation();
      }}
    />
  );
}
