import { useState } from "react";
import type { CaseView } from "../client/views";
import { idOf } from "../drawing/naming";
import { Choose } from "../parts/Choose";
import { TypedInput } from "./TypedInput";
import { useAttempt } from "./useAttempt";
import type { OpenCase } from "./useCase";
import { patchAt } from "./useCase";

const TELLS = [
  { value: "mean", label: "mean so far" },
  { value: "deviation", label: "deviation so far" },
];

/** Fields made of others by formula, as they are or averaged along a run. */
export function DerivedFields({ view, open }: { view: CaseView; open: OpenCase }) {
  const { attempt, fault } = useAttempt(open);
  const [name, setName] = useState(""),
    [formula, setFormula] = useState("");
  const derived = Object.entries(view.data.derived ?? {});
  const add = async () => {
    const id = idOf(name);
    await attempt(patchAt(["derived", id], { formula, label: name.trim() }), `field ${name.trim()}`);
  };
  return (
    <section aria-label="Fields by formula">
      <h3 className="cap px-2.5 pt-1">Fields by formula</h3>
      {fault}
      {derived.map(([n, d]) => (
        <div key={n} className="border-b border-hair2">
          <TypedInput
            label={d.label || n}
            value={d.formula}
            onKeep={(t) => open.tryEdit(patchAt(["derived", n, "formula"], t), `${d.label || n}: ${t}`)}
          />
          <div className="grid grid-cols-2">
            <TypedInput
              label="shown in"
              value={d.unit ?? ""}
              placeholder={view.fields[n]?.unit || "itself"}
              onKeep={(t) => open.tryEdit(patchAt(["derived", n, "unit"], t), `${d.label || n} in ${t}`)}
            />
            <TypedInput
              label="averaged since"
              value={d.since == null ? "" : String(d.since)}
              placeholder="not averaged"
              onKeep={(t) =>
                open.tryEdit(
                  patchAt(["derived", n, "since"], t.trim() || null),
                  t.trim() ? `${d.label || n} averaged since ${t}` : `${d.label || n} not averaged`,
                )
              }
            />
          </div>
          <div className="flex items-center justify-between gap-2 px-2.5 pb-1 text-[12px] text-ink2">
            {d.since == null ? (
              <span>as it is in every frame</span>
            ) : (
              <span className="flex items-center gap-2">
                every step since then adds to the
                <Choose
                  label={`${d.label || n}: what is told of it`}
                  value={d.tells ?? "mean"}
                  options={TELLS}
                  onChoose={(t) =>
                    void attempt(patchAt(["derived", n, "tells"], t), `${d.label || n}: ${t} so far`)
                  }
                />
              </span>
            )}
            <button
              type="button"
              className="btn quiet small"
              onClick={() => void attempt(patchAt(["derived", n], null), `drop ${d.label || n}`)}
            >
              Drop
            </button>
          </div>
        </div>
      ))}
      <form
        className="flex flex-wrap items-center gap-2 px-2.5 py-1.5 text-[12.5px] text-ink2"
        onSubmit={(e) => {
          e.preventDefault();
          void add();
        }}
      >
        <input
          className="in w-[140px]"
          aria-label="Name of the new field"
          placeholder="name"
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        =
        <input
          className="in w-[230px]"
          aria-label="Formula of the new field"
          placeholder={`of ${Object.keys(view.fields).slice(0, 3).join(", ")}, readouts, x, y, t`}
          spellCheck={false}
          value={formula}
          onChange={(e) => setFormula(e.target.value)}
        />
        <button type="submit" className="btn small" disabled={!name.trim() || !formula.trim()}>
          Add a field
        </button>
      </form>
    </section>
  );
}
