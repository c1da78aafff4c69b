import { useState } from "react";
import type { CaseView, ParamView } from "../client/views";
import { Faults } from "../parts/Faults";
import { FromLibrary } from "./FromLibrary";
import { capital, TypedInput, typedText, typedValue } from "./TypedInput";
import type { OpenCase } from "./useCase";
import { patchAt } from "./useCase";

/** Parameters, and the values every phenomenon asks for. */
export function ValuesPanel({ view, open }: { view: CaseView; open: OpenCase }) {
  const [name, setName] = useState("");
  const [error, setError] = useState<unknown>(null);
  const add = async () => {
    try {
      await open.tryEdit(patchAt(["parameters", name], "1"), `new parameter ${name}`);
      setName("");
      setError(null);
    } catch (e) {
      setError(e);
    }
  };
  return (
    <div className="grid grid-cols-2 gap-x-2 pb-2 pt-1">
      <div className="col-span-2 flex items-baseline justify-between px-2.5 pt-1">
        <h3 className="cap">Parameters</h3>
        <FromLibrary view={view} open={open} />
      </div>
      {view.parameters.map((p) => (
        <TypedInput
          key={p.name}
          label={p.name}
          value={typedText(p.typed)}
          hint={`= ${p.value} ${p.unit}`}
          onKeep={(t) => open.tryEdit(patchAt(["parameters", p.name], typedValue(t)), `${p.name} = ${t}`)}
        />
      ))}
      <form
        className="col-span-2 flex items-center gap-2 px-2.5 py-1"
        onSubmit={(e) => {
          e.preventDefault();
          void add();
        }}
      >
        <input
          className="in max-w-[150px]"
          placeholder="new parameter"
          aria-label="Name of a new parameter"
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <button type="submit" className="btn small" disabled={!name}>
          Add
        </button>
      </form>
      <div className="col-span-2">
        <Faults error={error} onClose={() => setError(null)} />
      </div>
      {view.active.map((n) => (
        <PhenomenonValues key={n} view={view} open={open} name={n} />
      ))}
    </div>
  );
}

function PhenomenonValues({ view, open, name }: { view: CaseView; open: OpenCase; name: string }) {
  const p = view.phenomena[name]!;
  const given = view.data.phenomena[name] ?? {};
  const members = (given.members ?? {}) as Record<string, Record<string, unknown>>;
  const [fresh, setFresh] = useState("");
  return (
    <>
      <h3 className="cap col-span-2 px-2.5 pt-2">{p.label}</h3>
      {p.settings.map((s) => (
        <Setting
          key={s.name}
          view={view}
          open={open}
          path={["phenomena", name, s.name]}
          param={s}
          value={given[s.name]}
        />
      ))}
      {Object.entries(members).map(([m, values]) => (
        <div key={m} className="col-span-2 grid grid-cols-2 gap-x-2">
          <div className="col-span-2 flex items-center gap-2 px-2.5 pt-1 text-[12.5px] font-medium">
            {capital(m.replace(/_/g, " "))}
            {Object.keys(members).length > 1 && (
              <button
                type="button"
                className="btn quiet small"
                onClick={() => void open.edit(patchAt(["phenomena", name, "members", m], null), `drop ${m}`)}
              >
                Drop
              </button>
            )}
          </div>
          {p.member_settings?.map((s) => (
            <Setting
              key={s.name}
              view={view}
              open={open}
              path={["phenomena", name, "members", m, s.name]}
              param={s}
              value={values[s.name]}
            />
          ))}
        </div>
      ))}
      {p.member_settings && (
        <form
          className="col-span-2 flex items-center gap-2 px-2.5 py-1"
          onSubmit={(e) => {
            e.preventDefault();
            const first = Object.values(members)[0] ?? {};
            void open
              .edit(patchAt(["phenomena", name, "members", fresh], first), `new ${p.member_word} ${fresh}`)
              .then((ok) => ok && setFresh(""));
          }}
        >
          <input
            className="in max-w-[150px]"
            placeholder={`new ${p.member_word}`}
            aria-label={`Name of a new ${p.member_word}`}
            value={fresh}
            onChange={(e) => setFresh(e.target.value)}
          />
          <button type="submit" className="btn small" disabled={!fresh}>
            Add
          </button>
        </form>
      )}
    </>
  );
}

function Setting({
  view,
  open,
  path,
  param,
  value,
}: {
  view: CaseView;
  open: OpenCase;
  path: string[];
  param: ParamView;
  value: unknown;
}) {
  const follows = param.law ? solvedIn(view, typedText(value)) : "";
  const key = path.join(" / "),
    source = view.data.sources?.[key];
  return (
    <TypedInput
      label={capital(param.label)}
      value={typedText(value)}
      hint={value === undefined ? capital(param.why) : [follows, source].filter(Boolean).join("; ")}
      placeholder={param.default !== null ? `${String(param.default)}, assumed` : param.unit}
      onKeep={(t) =>
        open.tryEdit(
          {
            ...(source ? { sources: { [key]: null } } : {}),
            ...patchAt(
              path,
              param.kind === "count" || (param.dimension === "number" && /^[-+.\deE]+$/.test(t))
                ? Number(t)
                : typedValue(t),
            ),
          },
          `${param.label} = ${t}`,
        )
      }
    />
  );
}

/** Which solved fields and readouts a law names, in words. */
function solvedIn(view: CaseView, text: string) {
  const known = [...Object.keys(view.fields), ...Object.keys(view.data.readouts ?? {})].filter(
    (n) => !(n in (view.data.parameters ?? {})),
  );
  const named = known.filter((n) => new RegExp(`\\b${n}\\b`).test(text));
  return named.length ? `Follows ${named.join(", ").replace(/_/g, " ")}` : "";
}
