import { useId, useState } from "react";
import type { CaseView, ParamView, PhenomenonView } from "../client/views";
import { Faults } from "../parts/Faults";
import { FromLibrary } from "./FromLibrary";
import { capital, TypedInput, typedText, typedValue } from "./TypedInput";
import type { OpenCase } from "./useCase";
import { patchAt } from "./useCase";

const LARGEST = 200_000; // bytes of a file that a case holds

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
      {p.member_kinds.map((k) => (
        <Members key={k.key} view={view} open={open} name={name} kind={k} />
      ))}
      {p.pairings.flatMap((pairing) =>
        pairsOf(p, pairing, given).map((pair) => (
          <div key={`${pairing.key} ${pair}`} className="col-span-2 grid grid-cols-2 gap-x-2">
            <div className="col-span-2 px-2.5 pt-1 text-[12.5px] font-medium">
              {capital(pair.replace("-", " and ").replace(/_/g, " "))}
            </div>
            {pairing.settings.map((s) => (
              <Setting
                key={s.name}
                view={view}
                open={open}
                path={["phenomena", name, pairing.key, pair, s.name]}
                param={s}
                value={listed(given, pairing.key)[pair]?.[s.name]}
              />
            ))}
          </div>
        )),
      )}
    </>
  );
}

type Listed = Record<string, Record<string, unknown>>;
const listed = (given: Record<string, unknown>, key: string) => (given[key] ?? {}) as Listed;

/** Names of the pairs of members that have settings together, as a case file lists them. */
export function pairsOf(
  p: PhenomenonView,
  pairing: PhenomenonView["pairings"][number],
  given: Record<string, unknown>,
): string[] {
  const [first, second] = pairing.kinds.map((kind) =>
    p.member_kinds.filter((k) => k.name === kind).flatMap((k) => Object.keys(listed(given, k.key))),
  ) as [string[], string[]];
  return pairing.kinds[0] === pairing.kinds[1]
    ? first.flatMap((a, n) => first.slice(n + 1).map((b) => `${a}-${b}`))
    : first.flatMap((a) => second.map((b) => `${a}-${b}`));
}

/** Members of one kind: their values, one more, one less. */
function Members({
  view,
  open,
  name,
  kind,
}: {
  view: CaseView;
  open: OpenCase;
  name: string;
  kind: PhenomenonView["member_kinds"][number];
}) {
  const members = listed(view.data.phenomena[name] ?? {}, kind.key);
  const [fresh, setFresh] = useState("");
  return (
    <>
      {Object.entries(members).map(([m, values]) => (
        <div key={m} className="col-span-2 grid grid-cols-2 gap-x-2">
          <div className="col-span-2 flex items-center gap-2 px-2.5 pt-1 text-[12.5px] font-medium">
            {capital(m.replace(/_/g, " "))}
            {Object.keys(members).length > kind.least && (
              <button
                type="button"
                className="btn quiet small"
                onClick={() => void open.edit(patchAt(["phenomena", name, kind.key, m], null), `drop ${m}`)}
              >
                Drop
              </button>
            )}
          </div>
          {kind.settings.map((s) => (
            <Setting
              key={s.name}
              view={view}
              open={open}
              path={["phenomena", name, kind.key, m, s.name]}
              param={s}
              value={values[s.name]}
            />
          ))}
        </div>
      ))}
      <form
        className="col-span-2 flex items-center gap-2 px-2.5 py-1"
        onSubmit={(e) => {
          e.preventDefault();
          const blank = Object.fromEntries(
            kind.settings
              .filter((s) => s.default === null && !s.optional)
              .map((s) => [s.name, `1 ${s.unit}`.trim()]),
          );
          const first = Object.values(members)[0] ?? blank;
          void open
            .edit(patchAt(["phenomena", name, kind.key, fresh], first), `new ${kind.name} ${fresh}`)
            .then((ok) => ok && setFresh(""));
        }}
      >
        <input
          className="in max-w-[150px]"
          placeholder={`new ${kind.name}`}
          aria-label={`Name of a new ${kind.name}`}
          value={fresh}
          onChange={(e) => setFresh(e.target.value)}
        />
        <button type="submit" className="btn small" disabled={!fresh}>
          Add
        </button>
      </form>
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
  const keep = (typed: unknown, words: string) =>
    open.edit(patchAt(path, typed), `${param.label} = ${words}`);
  const choices = choicesOf(view, param);
  if (choices)
    return (
      <Choice param={param} choices={choices} value={value} onKeep={(v, words) => void keep(v, words)} />
    );
  if (param.kind === "file")
    return <HeldFile param={param} value={value} onKeep={(v, words) => void keep(v, words)} />;
  return (
    <TypedInput
      label={capital(param.label)}
      value={Array.isArray(value) ? value.join(", ") : typedText(value)}
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

/** What a value may be, where it is one of a few. */
function choicesOf(view: CaseView, param: ParamView): string[] | null {
  if (param.kind === "choice") return param.choices;
  if (param.kind === "flag") return ["yes", "no"];
  if (param.kind !== "place") return null;
  const { edges, zones } = view.places;
  return param.among === "edge" ? edges : param.among === "zone" ? zones : [...edges, ...zones];
}

function Choice({
  param,
  choices,
  value,
  onKeep,
}: {
  param: ParamView;
  choices: string[];
  value: unknown;
  onKeep: (value: unknown, words: string) => void;
}) {
  const id = useId();
  const flag = param.kind === "flag";
  const now = flag && typeof value === "boolean" ? (value ? "yes" : "no") : typedText(value);
  const gone = now && !choices.includes(now);
  const assumed = typedText(param.default);
  return (
    <div className="fld">
      <label htmlFor={id}>{capital(param.label)}</label>
      <select
        id={id}
        className={`in ${gone ? "bad" : ""}`}
        value={now}
        onChange={(e) => {
          const v = e.target.value;
          onKeep(v === "" ? null : flag ? v === "yes" : v, v.replace(/_/g, " ") || "not said");
        }}
      >
        {(param.optional || param.default !== null || !now) && (
          <option value="">{assumed ? `${assumed}, assumed` : "not said"}</option>
        )}
        {gone && <option value={now}>{now.replace(/_/g, " ")}, not drawn</option>}
        {choices.map((c) => (
          <option key={c} value={c}>
            {c.replace(/_/g, " ")}
          </option>
        ))}
      </select>
      <div className="hint">{now ? "" : capital(param.why)}</div>
    </div>
  );
}

/** A text file that the case holds: what it is called, how long it is, another one instead. */
function HeldFile({
  param,
  value,
  onKeep,
}: {
  param: ParamView;
  value: unknown;
  onKeep: (value: unknown, words: string) => void;
}) {
  const id = useId();
  const held = value as { name: string; text: string } | null | undefined;
  const [fault, setFault] = useState("");
  const take = async (file: File | undefined) => {
    if (!file) return;
    if (file.size > LARGEST) return setFault(`${file.name} is larger than ${LARGEST / 1000} kB.`);
    setFault("");
    onKeep({ name: file.name, text: await file.text() }, file.name);
  };
  return (
    <div className="fld">
      <label htmlFor={id}>{capital(param.label)}</label>
      <input
        id={id}
        type="file"
        className="in py-[3px] text-[12px]"
        onChange={(e) => void take(e.target.files?.[0])}
      />
      <div className={`hint ${fault ? "bad" : ""}`}>
        {fault || (held ? `${held.name}, ${held.text.split("\n").length} lines` : capital(param.why))}
        {held && param.optional && (
          <button type="button" className="btn quiet small" onClick={() => onKeep(null, "no file")}>
            Drop
          </button>
        )}
      </div>
    </div>
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
