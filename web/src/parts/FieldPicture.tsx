import { memo, type PointerEvent, type ReactNode, useEffect, useRef } from "react";
import type { CaseView, FieldData, Point } from "../client/views";
import { css, isLog, type Scale, share } from "../drawing/colour";
import { closer, type Fit, fit, ratioOf, WHOLE, type Zoom, zoomed } from "../drawing/fit";
import { digits, logTicks, show, ticks } from "../drawing/number";
import { evenNodes, pixels, type Window } from "../drawing/painter";
import { useSize } from "./useSize";

const NARROW = 460; // px
const MARGINS = { left: 22, right: 22, top: 34, bottom: 92 };

/** What of the sheet a picture shows. */
export interface Seeing {
  f: Fit;
  window: Window;
}

/** A field on the sheet with its colour bar below; what is laid over it is the caller's. */
export function FieldPicture({
  view,
  field,
  x,
  y,
  scale,
  unit,
  label,
  overlay,
  notes,
  under,
  smooth = false,
  opacity = 1,
  zoom = WHOLE,
  stretched = false,
  onZoom,
  onMove,
  onDown,
  onLeave,
  children,
}: {
  view: CaseView;
  field: FieldData | null;
  x?: number[];
  y?: number[];
  scale: Scale | null;
  unit: string;
  label: string;
  overlay: (s: Seeing) => ReactNode;
  notes?: (width: number) => ReactNode; // above the sheet, over its whole width
  under?: (f: Fit) => ReactNode;
  smooth?: boolean;
  opacity?: number;
  zoom?: Zoom;
  stretched?: boolean;
  onZoom?: (z: Zoom) => void;
  onMove?: (x: number, y: number, e: PointerEvent) => void;
  onDown?: (x: number, y: number) => void;
  onLeave?: () => void;
  children?: ReactNode;
}) {
  const { ref, width, height } = useSize<HTMLDivElement>();
  const f = zoomed(fit(view.sheet.box, width, height, MARGINS, stretched), zoom);
  const room = {
    x: 8,
    y: MARGINS.top - 4,
    width: Math.max(1, width - 16),
    height: Math.max(1, height - MARGINS.top - MARGINS.bottom + 20),
  };
  const window: Window = [f.x(room.x), f.y(room.y + room.height), f.x(room.x + room.width), f.y(room.y)];
  const spot = within(room, view.sheet.box, f);
  const at = (e: { currentTarget: Element; clientX: number; clientY: number }): Point => {
    const box = e.currentTarget.getBoundingClientRect();
    return [e.clientX - box.left, e.clientY - box.top];
  };
  const held = useRef<{ from: Point; zoom: Zoom; moved: boolean } | null>(null);
  const clip = `clip-${useRef(Math.random().toString(36).slice(2)).current}`;
  const move = (e: PointerEvent<SVGSVGElement>) => {
    const [px, py] = at(e),
      drag = held.current;
    if (drag && onZoom && zoom.times > 1) {
      const [dx, dy] = [px - drag.from[0], py - drag.from[1]];
      if (drag.moved || Math.hypot(dx, dy) > 4) {
        drag.moved = true;
        onZoom({ ...zoom, dx: drag.zoom.dx + dx, dy: drag.zoom.dy + dy });
      }
    }
    onMove?.(f.x(px), f.y(py), e);
  };
  return (
    <div ref={ref} className="relative min-h-0 min-w-0 flex-1 bg-well" data-picture="">
      {width > 0 && (
        <>
          <div className="absolute" style={{ left: spot.x, top: spot.y, opacity }}>
            {scale && (
              <Painted
                field={field}
                x={x}
                y={y}
                box={view.sheet.box}
                scale={scale}
                width={spot.width}
                height={spot.height}
                window={[f.x(spot.x), f.y(spot.y + spot.height), f.x(spot.x + spot.width), f.y(spot.y)]}
                smooth={smooth}
                label={field ? `${label}, ${show(field.low, 3)} to ${show(field.high, 3)} ${unit}` : label}
              />
            )}
          </div>
          <svg
            className="dwg"
            viewBox={`0 0 ${width} ${height}`}
            data-testid="picture"
            onPointerLeave={() => {
              held.current = null;
              onLeave?.();
            }}
            onPointerMove={move}
            onPointerDown={(e) => {
              held.current = { from: at(e), zoom, moved: false };
            }}
            onPointerUp={(e) => {
              const drag = held.current;
              held.current = null;
              if (drag && !drag.moved) {
                const [px, py] = at(e);
                onDown?.(f.x(px), f.y(py));
              }
            }}
            onWheel={
              onZoom &&
              ((e) => {
                const [px, py] = at(e);
                onZoom(closer(zoom, e.deltaY < 0 ? 1.25 : 0.8, px, py));
              })
            }
            onDoubleClick={onZoom && (() => onZoom(WHOLE))}
          >
            <defs>
              <pattern
                id="hatch"
                width="5"
                height="5"
                patternUnits="userSpaceOnUse"
                patternTransform="rotate(45)"
              >
                <rect width="5" height="5" fill="var(--dip)" />
                <path d="M0 0V5" stroke="var(--soot)" strokeWidth="1" />
              </pattern>
              <clipPath id={clip}>
                <rect {...room} />
              </clipPath>
            </defs>
            <g clipPath={`url(#${clip})`}>
              {under?.(f)}
              {overlay({ f, window })}
            </g>
            {notes?.(width)}
            <ScaleRule f={f} y={height - 66} width={width} />
            {scale && (
              <ColourBar
                scale={scale}
                unit={unit}
                label={label}
                x={24}
                y={height - 44}
                width={width - 48}
                lower={!!field && field.low < scale.low - 1e-6 * (scale.high - scale.low)}
                higher={!!field && field.high > scale.high + 1e-6 * (scale.high - scale.low)}
              />
            )}
          </svg>
          {children}
        </>
      )}
    </div>
  );
}

/** The part of the room that the vessel takes, in whole pixels: nothing else is painted. */
function within(room: { x: number; y: number; width: number; height: number }, box: Window, f: Fit) {
  const left = Math.max(room.x, Math.floor(f.X(box[0]))),
    right = Math.min(room.x + room.width, Math.ceil(f.X(box[2])));
  const top = Math.max(room.y, Math.floor(f.Y(box[3]))),
    bottom = Math.min(room.y + room.height, Math.ceil(f.Y(box[1])));
  return { x: left, y: top, width: Math.max(1, right - left), height: Math.max(1, bottom - top) };
}

/** The part of a field that is seen, painted pixel by pixel; its image is used again. */
function Painted({
  field,
  x,
  y,
  box,
  scale,
  width,
  height,
  window,
  smooth,
  label,
}: {
  field: FieldData | null;
  x?: number[];
  y?: number[];
  box: Window;
  scale: Scale;
  width: number;
  height: number;
  window: Window;
  smooth: boolean;
  label: string;
}) {
  const ref = useRef<HTMLCanvasElement>(null),
    image = useRef<ImageData | null>(null);
  const w = Math.max(1, Math.round(width)),
    h = Math.max(1, Math.round(height)),
    seen = window.join();
  // biome-ignore lint/correctness/useExhaustiveDependencies: window and box are new arrays each time: their numbers count
  useEffect(() => {
    const context = ref.current?.getContext("2d");
    if (!context) return;
    if (image.current?.width !== w || image.current.height !== h) image.current = new ImageData(w, h);
    const data = new Uint32Array(image.current.data.buffer);
    data.fill(0);
    if (field)
      pixels(
        {
          ...field,
          x: x ?? evenNodes(field.columns, box[0], box[2]),
          y: y ?? evenNodes(field.rows, box[1], box[3]),
        },
        scale,
        w,
        h,
        data,
        window,
        smooth,
      );
    context.putImageData(image.current, 0, 0);
  }, [field, x, y, scale, w, h, seen, smooth]);
  return (
    <canvas ref={ref} width={w} height={h} style={{ width: w, height: h }} role="img" aria-label={label} />
  );
}

/** How long a round length is on the picture. */
function ScaleRule({ f, y, width }: { f: Fit; y: number; width: number }) {
  const length = [
    1e-6, 2e-6, 5e-6, 1e-5, 2e-5, 5e-5, 1e-4, 2e-4, 5e-4, 1e-3, 2e-3, 5e-3, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5,
    1, 2, 5,
  ].reduce((best, l) => (l * f.scale <= 110 ? l : best), 1e-6);
  const right = width - 24,
    even = f.scale === f.tall;
  // a narrow picture says no more than what it has room for
  const drawn =
    even || width > NARROW ? `drawn ${ratioOf(f)}` : `y ${Number((f.tall / f.scale).toPrecision(2))} times`;
  return (
    <g>
      <path
        className="thin"
        d={`M${right - length * f.scale} ${y}H${right}M${right} ${y - 4}V${y + 4}M${right - length * f.scale} ${y - 4}V${y + 4}`}
      />
      <text
        className="n"
        x={right - length * f.scale - 6}
        y={y + 4}
        textAnchor="end"
      >{`${Number((length * 1e3).toPrecision(3))} mm${even ? "" : " along x"}, ${drawn}`}</text>
    </g>
  );
}

/** Drawn anew only with its scale: not for every frame that is played. */
const ColourBar = memo(function ColourBar({
  scale,
  unit,
  label,
  x,
  y,
  width,
  lower,
  higher,
}: {
  scale: Scale;
  unit: string;
  label: string;
  x: number;
  y: number;
  width: number;
  lower: boolean;
  higher: boolean;
}) {
  const bands = Math.min(scale.steps, 128);
  const at = (v: number) => x + share(v, scale) * width;
  const marks = isLog(scale)
    ? logTicks(scale.low, scale.high)
    : ticks(scale.low, scale.high, Math.max(2, Math.min(5, Math.floor(width / 60))));
  return (
    <g data-testid="colour-bar">
      {Array.from({ length: bands }, (_, k) => (
        <rect
          key={k}
          x={x + (k / bands) * width}
          y={y}
          width={width / bands + 0.6}
          height={12}
          fill={css((k + 0.5) / bands, scale)}
        />
      ))}
      <rect x={x} y={y} width={width} height={12} fill="none" stroke="var(--soot)" />
      {higher && (
        <path d={`M${x + width} ${y}l8 6l-8 6Z`} fill="var(--copperfill)">
          <title>the field goes higher</title>
        </path>
      )}
      {lower && (
        <path d={`M${x} ${y}l-8 6l8 6Z`} fill="var(--copperfill)">
          <title>the field goes lower</title>
        </path>
      )}
      {marks.map((v) => (
        <g key={v}>
          <path className="thin" d={`M${at(v)} ${y + 12}v4`} />
          <text className="n" x={at(v)} y={y + 27} textAnchor="middle">
            {show(v, isLog(scale) ? 3 : digits(marks))}
          </text>
        </g>
      ))}
      <text
        x={x}
        y={y - 6}
        style={{ fontWeight: 500 }}
      >{`${label}${unit ? `, ${unit}` : ""}${isLog(scale) ? ", logarithmic" : ""}`}</text>
    </g>
  );
});
