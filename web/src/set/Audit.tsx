import { useState } from "react";
import type { CaseView, Finding } from "../client/views";
import { span } from "../drawing/number";
import { merged, type OpenCase, type Patch, patchAt } from "./useCase";

const SIGNS: Record<Finding["grade"], string> = {
  stops: "M7.5 2A5.5 5.5 0 1 1 7.4 2Z",
  contradiction: "M2 5.5H13M2 9.5H13M10 2L5 13",
  doubt: "M7.5 2L14 13H1ZM7.5 6V9.5M7.5 11V11.6",
};

/** What is missing, contradictory or suspicious; each with its place, a cure, or a reason why it may stand. */
export function AuditPlate({
  view,
  open,
  onPlace,
  onFire,
  firing,
}: {
  view: CaseView;
  open: OpenCase;
  onPlace: (f: Finding) => void;
  onFire: () => void;
  firing: boolean;
}) {
  const blocking = view.audit.filter((f) => f.grade !== "doubt").length;
  const settled = view.audit.filter((f) => f.settled).length,
    left = view.audit.length - settled;
  return (
    <section className="plate max-h-[150px] flex-none" aria-label="Audit">
      <header>
        Audit{" "}
        <small>
          {[left ? `${left} to settle` : "nothing to settle", settled ? `${settled} settled` : ""]
            .filter(Boolean)
            .join(", ")}
        </small>
        <span className="r">
          {view.cost && <small>{`runs for ${span(view.cost.low)} to ${span(view.cost.high)}`}</small>}
          <button
            type="button"
            className="btn primary small"
            disabled={!view.can_run || firing}
            onClick={onFire}
          >
            {view.can_run ? "Fire" : `Fire: ${blocking} to settle`}
          </button>
        </span>
      </header>
      <div className="scroll">
        {view.audit.map((f) => (
          <Line key={f.key + f.sentence} f={f} open={open} onPlace={onPlace} />
        ))}
        {view.audit.length === 0 && (
          <p className="px-2.5 py-1.5 text-[12.5px] text-verdigris">
            Everything the run needs is said, and nothing looks odd.
          </p>
        )}
        {view.review.map((line) => (
          <p key={line} className="px-2.5 pb-1.5 text-[12.5px] leading-[1.25] text-ink2">
            <b className="font-medium">To look over:</b> {line}
          </p>
        ))}
      </div>
    </section>
  );
}

function Line({ f, open, onPlace }: { f: Finding; open: OpenCase; onPlace: (f: Finding) => void }) {
  const [why, setWhy] = useState<string | null>(null);
  const settle = (reason: string | null) =>
    void open.edit(patchAt(["settled", f.key], reason), reason ? `settle: ${f.rule}` : `reopen: ${f.rule}`);
  const ink = f.settled ? "var(--verdigris)" : f.grade === "doubt" ? "var(--slate)" : "var(--copperfill)";
  return (
    <div className="grid grid-cols-[18px_1fr_auto] items-center gap-2 border-b border-hair2 px-2.5 py-1 text-[12.5px] leading-[1.2]">
      <svg
        viewBox="0 0 15 15"
        className="h-[15px] w-[15px]"
        role="img"
        aria-label={f.settled ? "settled" : f.grade}
      >
        <path
          d={f.settled ? "M2 8L6 12L13 3" : SIGNS[f.grade]}
          fill="none"
          stroke={ink}
          strokeWidth="1.8"
          strokeLinejoin="round"
        />
      </svg>
      {f.settled ? (
        <span className="text-ink2">
          {f.sentence} <em>{f.settled}</em>
        </span>
      ) : (
        <span>
          <b className="font-medium">{f.sentence}</b> <span className="text-ink3">{f.reason}</span>
        </span>
      )}
      <span className="flex gap-1">
        {f.settled ? (
          <button type="button" className="btn quiet small" onClick={() => settle(null)}>
            Reopen
          </button>
        ) : (
          <>
            {f.cure.length > 0 ? (
              <button
                type="button"
                className="btn small"
                onClick={() =>
                  void open.edit(
                    f.cure.reduce<Patch>((p, [path, v]) => merged(p, patchAt(path.split("/"), v)), {}),
                    f.cure_label,
                  )
                }
              >
                {f.cure_label}
              </button>
            ) : f.place ? (
              <button type="button" className="btn small" onClick={() => onPlace(f)}>
                {f.cure_label || "Show"}
              </button>
            ) : null}
            {f.grade === "doubt" && why === null && (
              <button
                type="button"
                className="btn quiet small"
                title="Let it stand, and say why"
                onClick={() => setWhy("")}
              >
                Settle
              </button>
            )}
          </>
        )}
      </span>
      {why !== null && !f.settled && (
        <form
          className="col-start-2 col-span-2 flex gap-1 pb-0.5"
          onSubmit={(e) => {
            e.preventDefault();
            if (why.trim()) settle(why.trim());
          }}
        >
          <input
            className="in font-sans"
            autoFocus
            aria-label={`Why it may stand: ${f.sentence}`}
            placeholder="why it may stand; goes into the report"
            value={why}
            onChange={(e) => setWhy(e.target.value)}
            onKeyDown={(e) => {
              if (e.key === "Escape") {
                e.stopPropagation();
                setWhy(null);
              }
            }}
          />
          <button type="submit" className="btn primary small self-center" disabled={!why.trim()}>
            Settle
          </button>
        </form>
      )}
    </div>
  );
}
