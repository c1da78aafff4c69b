import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../client";
import type { RunView } from "../client/views";
import { Choose, named } from "../parts/Choose";
import { Faults } from "../parts/Faults";
import { typedText, typedValue } from "../set/TypedInput";
import { merged, type Patch, patchAt } from "../set/useCase";

/** Values that may change while a run is held; the case on the shelf stays as it is. */
export function Adjusting({ run, onGoesOn }: { run: RunView; onGoesOn: () => Promise<void> }) {
  const values = useQuery({
    queryKey: ["live-values", run.id, run.adjusted.length],
    queryFn: () => api.liveValues(run.id),
  });
  const [typed, setTyped] = useState<Record<string, string>>({});
  const [error, setError] = useState<unknown>(null);
  const changed = Object.entries(typed).filter(([k, v]) =>
    values.data?.some((l) => l.path.join("/") === k && typedText(l.typed) !== v),
  );
  const goOn = async () => {
    const patch = changed.reduce<Patch>((p, [k, v]) => {
      const live = values.data!.find((l) => l.path.join("/") === k)!;
      return merged(p, patchAt(live.path, typedValue(v)));
    }, {});
    try {
      await api.adjust(run.id, patch);
      setTyped({});
      setError(null);
      await onGoesOn();
    } catch (e) {
      setError(e);
    }
  };
  return (
    <section className="plate max-h-[230px] flex-none" aria-label="Adjust">
      <header>
        Adjust{" "}
        <small>
          held at{" "}
          {run.newest?.mode === "transient"
            ? `${run.newest.stage_time.toPrecision(4)} s of ${run.newest.stage}`
            : `step ${run.newest?.step ?? 0}`}
          ; the case itself stays as it is
        </small>
        <span className="r">
          <button
            type="button"
            className="btn primary small"
            disabled={!changed.length}
            onClick={() => void goOn()}
          >
            Adjust and go on
          </button>
        </span>
      </header>
      <Faults error={error} onClose={() => setError(null)} />
      <div className="scroll grid grid-cols-2 gap-x-4 gap-y-1 p-2.5">
        {values.data?.map((l) => {
          const key = l.path.join("/");
          return (
            <div
              key={key}
              className="grid grid-cols-[1fr_140px] items-center gap-2 text-[12.5px] leading-[1.15] text-ink2"
            >
              <label htmlFor={`live ${key}`}>{l.says}</label>
              {l.choices.length > 0 ? (
                <Choose
                  id={`live ${key}`}
                  className="in"
                  value={typed[key] ?? typedText(l.typed)}
                  options={named(l.choices)}
                  onChoose={(to) => setTyped((all) => ({ ...all, [key]: to }))}
                />
              ) : (
                <input
                  id={`live ${key}`}
                  className="in"
                  value={typed[key] ?? typedText(l.typed)}
                  placeholder={`such as 1 ${l.unit}`}
                  onChange={(e) => setTyped((all) => ({ ...all, [key]: e.target.value }))}
                  onKeyDown={(e) => e.key === "Enter" && changed.length > 0 && void goOn()}
                />
              )}
            </div>
          );
        })}
        {values.data?.length === 0 && (
          <p className="col-span-2 text-[12.5px] text-ink3">
            Nothing of this case may change while it is held.
          </p>
        )}
      </div>
    </section>
  );
}

/** What was adjusted, and when; kept as a variant by one click. */
export function Adjusted({ run }: { run: RunView }) {
  const [name, setName] = useState(""),
    [kept, setKept] = useState("");
  const [error, setError] = useState<unknown>(null);
  const queries = useQueryClient();
  const keep = async () => {
    try {
      setKept((await api.keepAsVariant(run.id, name)).variant);
      setError(null);
      await queries.invalidateQueries({ queryKey: ["case", run.case] });
    } catch (e) {
      setError(e);
    }
  };
  return (
    <div className="border-t border-hair px-3 py-1.5 text-[12.5px]" role="group" aria-label="Adjusted">
      {run.adjusted.map((a) => (
        <p key={a.clock}>
          <b className="num font-medium">{`${a.time.toPrecision(4)} s`}</b>{" "}
          <span className="text-ink3">
            {new Date(a.clock * 1000).toLocaleTimeString([], { hour12: false })}
          </span>{" "}
          {a.words}
        </p>
      ))}
      {kept ? (
        <p className="text-verdigris">{`Kept as the variant ${kept.replace(/_/g, " ")}.`}</p>
      ) : (
        <form
          className="flex items-center gap-2"
          onSubmit={(e) => {
            e.preventDefault();
            void keep();
          }}
        >
          <label className="flex items-center gap-2 text-ink2">
            What it became, as a variant
            <input
              className="in w-[150px]"
              value={name}
              placeholder="its name"
              onChange={(e) => setName(e.target.value)}
            />
          </label>
          <button type="submit" className="btn small" disabled={!name.trim()}>
            Keep as variant
          </button>
        </form>
      )}
      <Faults error={error} onClose={() => setError(null)} />
    </div>
  );
}
