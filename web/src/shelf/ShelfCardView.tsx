import { useQuery } from "@tanstack/react-query";
import { api } from "../client";
import type { ShelfCard } from "../client/views";
import { fit, ringPath } from "../drawing/fit";
import { show } from "../drawing/number";
import { FieldCanvas } from "../parts/FieldCanvas";
import { Lamp } from "../parts/Lamp";

const WIDTH = 300,
  HEIGHT = 168;

export function ShelfCardView({
  card,
  onOpen,
  onCopy,
  onRemove,
}: {
  card: ShelfCard;
  onOpen: () => void;
  onCopy: () => void;
  onRemove: () => void;
}) {
  const readouts = Object.entries(card.last_run?.result?.readouts ?? {}).filter(([, r]) => r.value !== null);
  const key = readouts[0];
  return (
    <article className="plate" aria-label={card.name}>
      <button type="button" data-card className="flex cursor-pointer flex-col text-left" onClick={onOpen}>
        <CardPicture card={card} />
        <div className="px-2.5 pb-1.5 pt-2">
          <div className="flex items-baseline gap-2">
            <b className="text-[15px] font-semibold">{card.name}</b>
            <span className="ml-auto text-[12px] text-ink3">
              {card.runs === 1 ? "1 run" : `${card.runs} runs`}
            </span>
          </div>
          <p className="mt-1 line-clamp-2 min-h-[34px] text-ink2">{card.summary || "No summary yet."}</p>
          <p className="mt-1 h-[18px] truncate text-[12px] text-ink3">
            {key && (
              <>
                {key[0].replace(/_/g, " ")}{" "}
                <b className="num text-[12.5px] text-soot">{show(key[1].value)}</b> {key[1].unit}
              </>
            )}
          </p>
          <p className="cap mt-1.5 normal-case tracking-[0.02em]">
            {card.phenomena.join("  ·  ") || "nothing switched on"}
          </p>
        </div>
      </button>
      <div className="flex h-[34px] items-center gap-2 border-t border-hair bg-dip px-2.5">
        <Lamp run={card.last_run} missing={card.missing} />
        <span className="ml-auto flex">
          <button type="button" className="btn quiet small" onClick={onCopy}>
            Copy
          </button>
          <button type="button" className="btn quiet small" onClick={onRemove}>
            Remove
          </button>
        </span>
      </div>
    </article>
  );
}

/** The last run's picture, or the sheet's outline. */
function CardPicture({ card }: { card: ShelfCard }) {
  const shot = card.picture;
  const frames = useQuery({
    queryKey: ["frames", shot?.run],
    queryFn: () => api.frames(shot!.run),
    enabled: !!shot,
  });
  const name = frames.data?.chief;
  const thumb = useQuery({
    queryKey: ["thumb", shot?.run, shot?.frame, name],
    queryFn: () => api.thumb(shot!.run, shot!.frame, name!),
    enabled: !!shot && !!name,
  });
  if (!card.sheet)
    return (
      <div className="flex h-[168px] items-center justify-center border-b border-hair bg-well px-6 text-center text-copper">
        {card.trouble ?? "Nothing drawn yet."}
      </div>
    );
  const f = fit(card.sheet.box, WIDTH, HEIGHT, { left: 14, right: 14, top: 12, bottom: 12 });
  const field = thumb.data;
  return (
    <div className="relative flex h-[168px] justify-center border-b border-hair bg-well">
      <div className="relative" style={{ width: WIDTH, height: HEIGHT }}>
        {field && (
          <div className="absolute" style={{ left: f.X(card.sheet.box[0]), top: f.Y(card.sheet.box[3]) }}>
            <FieldCanvas
              field={field}
              scale={{ low: field.low, high: field.high, steps: 256, reversed: false, centred: false }}
              width={f.width}
              height={f.height}
              label={`${name} of the last run, ${show(field.low, 3)} to ${show(field.high, 3)}`}
            />
          </div>
        )}
        <svg className="dwg" viewBox={`0 0 ${WIDTH} ${HEIGHT}`} aria-hidden="true">
          <path className="wall" d={ringPath(card.sheet.rings, f)} />
        </svg>
        {field && <span className="absolute bottom-0.5 right-0 text-[11px] text-ink3">{name}</span>}
      </div>
    </div>
  );
}
