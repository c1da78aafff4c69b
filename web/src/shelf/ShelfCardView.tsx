import { memo } from "react";
import type { ShelfCard } from "../client/views";
import { show } from "../drawing/number";
import { clock, Lamp } from "../parts/Lamp";
import { CardPicture } from "./CardPicture";

export interface Acts {
  open: (id: string) => void;
  copy: (id: string) => void;
  remove: (id: string, name: string) => void;
}

/** The first readout of the last run that was told. */
function keyOf(card: ShelfCard) {
  const told = Object.entries(card.last_run?.result?.readouts ?? {}).find(([, r]) => r.value !== null);
  return (
    told && (
      <>
        {told[0].replace(/_/g, " ")} <b className="num text-[12.5px] text-soot">{show(told[1].value)}</b>{" "}
        {told[1].unit}
      </>
    )
  );
}

const Buttons = ({ card, acts }: { card: ShelfCard; acts: Acts }) => (
  <span className="ml-auto flex flex-none">
    <button type="button" className="btn quiet small" onClick={() => acts.copy(card.id)}>
      Copy
    </button>
    <button type="button" className="btn quiet small" onClick={() => acts.remove(card.id, card.name)}>
      Remove
    </button>
  </span>
);

export const ShelfCardView = memo(function ShelfCardView({
  card,
  at,
  still,
  acts,
}: {
  card: ShelfCard;
  at: number;
  still: boolean;
  acts: Acts;
}) {
  const doing = card.phenomena.join("  ·  ") || "nothing switched on";
  return (
    <article className="plate" aria-label={card.name}>
      <button
        type="button"
        data-card={at}
        className="flex cursor-pointer flex-col text-left"
        onClick={() => acts.open(card.id)}
      >
        <CardPicture card={card} still={still} />
        <div className="px-2.5 pb-1.5 pt-2">
          <div className="flex items-baseline gap-2">
            <b className="truncate text-[15px] font-semibold">{card.name}</b>
            <span className="ml-auto flex-none text-[12px] text-ink3">
              {card.runs === 1 ? "1 run" : `${card.runs} runs`}
            </span>
          </div>
          <p className="mt-1 line-clamp-2 h-[34px] text-ink2">{card.summary || "No summary yet."}</p>
          <p className="mt-1 h-[18px] truncate text-[12px] text-ink3">{keyOf(card)}</p>
          <p className="cap mt-1.5 truncate normal-case tracking-[0.02em]" title={doing}>
            {doing}
          </p>
        </div>
      </button>
      <div className="flex h-[34px] items-center gap-2 border-t border-hair bg-dip px-2.5">
        <Lamp run={card.last_run} missing={card.missing} />
        <Buttons card={card} acts={acts} />
      </div>
    </article>
  );
});

/** The same in one line. */
export const ShelfLine = memo(function ShelfLine({
  card,
  at,
  acts,
}: {
  card: ShelfCard;
  at: number;
  acts: Acts;
}) {
  return (
    <article
      className="flex h-full items-center border-b border-hair2 bg-enamel pr-1.5 hover:bg-dip"
      aria-label={card.name}
    >
      <button
        type="button"
        data-card={at}
        className="grid h-full min-w-0 flex-1 cursor-pointer grid-cols-[minmax(0,2.2fr)_minmax(0,2fr)_minmax(0,2fr)_70px_78px] items-center gap-3 px-2.5 text-left text-[12.5px]"
        onClick={() => acts.open(card.id)}
      >
        <span className="truncate">
          <b className="text-[13.5px] font-semibold">{card.name}</b>{" "}
          <span className="text-ink3">{card.trouble || card.summary}</span>
        </span>
        <span className="truncate text-ink2">{card.phenomena.join("  ·  ") || "nothing switched on"}</span>
        <span className="truncate text-ink3">{keyOf(card)}</span>
        <span className="text-right text-ink3">{card.runs === 1 ? "1 run" : `${card.runs} runs`}</span>
        <span className="num text-right text-ink3">{clock(card.touched)}</span>
      </button>
      <span className="w-[168px] flex-none truncate pl-3">
        <Lamp run={card.last_run} missing={card.missing} />
      </span>
      <Buttons card={card} acts={acts} />
    </article>
  );
});
