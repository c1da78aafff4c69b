import type { CaseView } from "../client/views";
import { show } from "../drawing/number";
import { TypedInput } from "./TypedInput";
import { useAttempt } from "./useAttempt";
import type { OpenCase } from "./useCase";
import { patchAt } from "./useCase";

/** What frames and histories are to hold, and what that fills. */
export function Kept({ view, open }: { view: CaseView; open: OpenCase }) {
  const { attempt, fault } = useAttempt(open);
  const keep = view.data.keep ?? {},
    all = Object.entries(view.fields),
    chosen = keep.fields?.length ? keep.fields : all.map(([n]) => n);
  const toggle = (name: string) => {
    const next = chosen.includes(name)
      ? chosen.filter((n) => n !== name)
      : all.map(([n]) => n).filter((n) => n === name || chosen.includes(n));
    void attempt(
      patchAt(["keep", "fields"], next.length === all.length || !next.length ? null : next),
      `frames hold ${next.length === all.length ? "all fields" : next.join(", ")}`,
    );
  };
  const box = keep.box?.join(", ") ?? "";
  return (
    <section aria-label="What is kept">
      <h3 className="cap px-2.5 pt-1.5">What is kept</h3>
      {fault}
      <p className="px-2.5 pt-1 text-[12px] text-ink2" data-testid="disk">
        {view.cost
          ? `${view.cost.frames} frames, about ${show(view.cost.disk / 1e6, 2)} MB on disk`
          : "the disk it fills is told once the case can run"}
      </p>
      <div className="flex flex-wrap gap-1 px-2.5 py-1">
        {all.map(([n, f]) => (
          <button
            type="button"
            key={n}
            className={`chip ${chosen.includes(n) ? "" : "off"}`}
            aria-pressed={chosen.includes(n)}
            onClick={() => toggle(n)}
          >
            <i />
            {f.label}
          </button>
        ))}
      </div>
      <div className="grid grid-cols-2">
        <TypedInput
          label="Only in a box"
          value={box}
          placeholder="low x, low y, high x, high y"
          hint="frames hold what lies in it; readouts know all"
          onKeep={(t) =>
            open.tryEdit(
              patchAt(["keep", "box"], t.trim() ? t.split(",").map((v) => v.trim()) : null),
              t.trim() ? `frames hold ${t}` : "frames hold the whole vessel",
            )
          }
        />
        <TypedInput
          label="History every"
          value={String(keep.watch_every ?? 5)}
          hint="steps; slow steps are all kept"
          onKeep={(t) =>
            open.tryEdit(patchAt(["keep", "watch_every"], Number(t)), `a history row every ${t} steps`)
          }
        />
      </div>
    </section>
  );
}
